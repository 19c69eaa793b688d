package main

import (
	"context"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"jauntylark/api"
	"jauntylark/console/browser"
	"jauntylark/core/act"
	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
)

const (
	wallSignals = 40
	wallFor     = 20 * time.Second
	settling    = 5 * time.Second
	manyWatch   = 50
	monthOf     = 30 * 24 * 3600 // seconds
)

// wall lets a device of a name send forty signals each second until the function that comes back is called.
func wall(ctx context.Context, s *process, name string) (end func() error, err error) {
	key, err := s.device(ctx, name)
	if err != nil {
		return nil, err
	}
	conn, err := call(s.url)
	if err != nil {
		return nil, err
	}
	stop, done := make(chan struct{}), make(chan error, 1)
	go func() {
		defer conn.conn.Close()
		beat := time.NewTicker(time.Second)
		defer beat.Stop()
		for i := 0; ; i++ {
			body := []byte("{")
			for n := range wallSignals {
				if n > 0 {
					body = append(body, ',')
				}
				body = fmt.Appendf(body, `"s%d":%.2f`, n, 20+5*math.Sin(float64(i+7*n)/30))
			}
			if status, err := conn.post(api.SendReadings.At().Path, key, "application/json",
				append(body, '}')); err != nil || status != 204 {
				done <- fmt.Errorf("the wall's device: %d %v", status, err)
				return
			}
			select {
			case <-stop:
				done <- nil
				return
			case <-beat.C:
			}
		}
	}()
	return func() error { close(stop); return <-done }, nil
}

// wallBoard is a board of 24 tiles that shows all forty signals.
func wallBoard() act.BoardSaving {
	series := func(from, n int) (all []board.Series) {
		for i := range n {
			all = append(all, board.Series{Signal: fmt.Sprintf("wall/s%d", (from+i)%wallSignals)})
		}
		return all
	}
	var tiles []board.Tile
	add := func(kind string, n, signals int) {
		for range n {
			tiles = append(tiles, board.Tile{Kind: kind, Series: series(2*len(tiles), signals)})
		}
	}
	add(board.Value, 12, 1)
	add(board.Lines, 8, 4)
	add(board.Bar, 2, 4)
	add(board.Dial, 1, 1)
	add(board.Table, 1, 16)
	return act.BoardSaving{Shared: true, Tiling: board.Tiling{Range: measure.Duration(10 * time.Minute), Tiles: tiles}}
}

// browse opens a browser, signed in.
func browse(ctx context.Context, s *process) (*browser.Page, func(), error) {
	page, close, err := browser.Open(ctx, s.url)
	if err == nil {
		if err = page.SignIn(owner, password); err != nil {
			close()
		}
	}
	return page, close, err
}

// boards measures what an open board costs, in the browser beside a page that is blank, in the service beside none.
func boards(ctx context.Context, s *process) error {
	end, err := wall(ctx, s, "wall")
	if err != nil {
		return err
	}
	time.Sleep(2 * time.Second)
	if err := s.owner.Call(ctx, api.PutBoard.At("wall"), wallBoard(), nil); err != nil {
		return err
	}
	page, close, err := browse(ctx, s)
	if err != nil {
		return err
	}
	defer close()
	shares := map[string][2]float64{}
	for _, path := range []string{"/health/live", "/boards/wall"} {
		if err := page.Goto(path); err != nil {
			return err
		}
		if path != "/health/live" {
			if err := page.Until(
				`document.querySelectorAll('[data-tile]').length === 24 && document.querySelectorAll('canvas').length === 8`); err != nil {
				return err
			}
		}
		time.Sleep(settling)
		browser, service := browserTime(), processor()
		time.Sleep(wallFor)
		shares[path] = [2]float64{(browserTime() - browser).Seconds() / wallFor.Seconds(),
			(processor() - service).Seconds() / wallFor.Seconds()}
	}
	blank, busy := shares["/health/live"], shares["/boards/wall"]
	fmt.Printf("a board of 24 tiles with %d signals at 1 s, %v: of one core the browser takes %.3f (a blank page "+
		"%.3f), the service with it %.3f (without it %.3f); aim 0.1 each\n",
		wallSignals, wallFor, busy[0], blank[0], busy[1], blank[1])
	return end()
}

// browserTime is the processor time that all processes of our browsers have taken.
func browserTime() (sum time.Duration) {
	stats, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, path := range stats {
		text, err := os.ReadFile(path)
		if err != nil {
			continue
		}
		name, rest, found := strings.Cut(string(text), ") ")
		fields := strings.Fields(rest)
		if !found || !strings.Contains(name, "chrom") || len(fields) < 13 {
			continue
		}
		for _, ticks := range fields[11:13] { // utime and stime, in hundredths of a second
			n, _ := strconv.Atoi(ticks)
			sum += time.Duration(n) * 10 * time.Millisecond
		}
	}
	return sum
}

// charts measures how long a chart of 30 days of a reading a second takes from the click until it is drawn.
func charts(ctx context.Context, s *process) error {
	if _, err := s.device(ctx, "month"); err != nil {
		return err
	}
	until := measure.InstantOf(time.Now().Truncate(time.Second))
	past := &record.Past{Signal: "month/temp", Kind: site.KindNumber, Unit: "Cel",
		Readings: make([]measure.Reading, monthOf)}
	for i := range past.Readings {
		at := until - measure.Instant(monthOf-i)*1000
		past.Readings[i] = measure.Reading{At: at, Value: second(at)}
	}
	past.Readings[monthOf/2].Value = 95
	if _, err := record.Import(ctx, s.pipe, past); err != nil {
		return err
	}
	page, close, err := browse(ctx, s)
	if err != nil {
		return err
	}
	defer close()
	var drawn, bare time.Duration
	const times = 9
	took := make([]time.Duration, 0, times)
	for range times {
		if err := page.Goto("/signals/month/temp"); err != nil {
			return err
		}
		if err := page.Until(
			`document.querySelector('[data-chart]')?.getAttribute('aria-label').includes('lowest')`); err != nil {
			return err
		}
		time.Sleep(500 * time.Millisecond)
		spent, err := browser.Eval[float64](page, `new Promise((done) => {
			const choice = document.querySelector('[aria-label="What the charts show"] select'),
			    begun = performance.now()
			choice.value = 'month'
			choice.dispatchEvent(new Event('change', { bubbles: true }))
			const look = () => document.querySelector('[data-chart]').getAttribute('aria-label').includes('highest 95')
				? requestAnimationFrame(() => setTimeout(() => done(performance.now() - begun))) : setTimeout(look, 4)
			look() })`)
		if err != nil {
			return err
		}
		took = append(took, time.Duration(spent*1e6))
		spent, err = browser.Eval[float64](page, `(async () => { const begun = performance.now()
			const since = new Date(Date.now() - 30 * 86_400_000).toISOString()
			await (await fetch('/api/v1/lines?signal=month/temp&columns=1000&since=' + since)).json()
			return performance.now() - begun })()`)
		if err != nil {
			return err
		}
		bare += time.Duration(spent*1e6) / times
	}
	for _, t := range took {
		drawn += t / times
	}
	fmt.Printf("a chart of 30 days of a reading a second, %.1f million: from the click until it is drawn %.0f ms, "+
		"%.1f times asking for it alone (%.0f ms); aim 300 ms\n", monthOf/1e6, ms(drawn), float64(drawn)/float64(bare),
		ms(bare))
	return nil
}

// watching measures what fifty live consoles cost the service, beside none.
func watching(ctx context.Context, s *process) error {
	end, err := wall(ctx, s, "watched")
	if err != nil {
		return err
	}
	time.Sleep(settling)
	alone := processor()
	time.Sleep(wallFor)
	alone = processor() - alone
	var heard []io.ReadCloser
	for range manyWatch {
		answer, err := s.owner.Fetch(ctx, api.WatchLive.At(), nil)
		if err != nil {
			return err
		}
		heard = append(heard, answer.Body)
		go io.Copy(io.Discard, answer.Body)
	}
	time.Sleep(settling)
	watched := processor()
	time.Sleep(wallFor)
	watched = processor() - watched
	for _, body := range heard {
		body.Close()
	}
	fmt.Printf("%d live consoles, %d signals at 1 s: the service takes %.3f of a core, without them %.3f; their own "+
		"reading is counted too\n", manyWatch, wallSignals, watched.Seconds()/wallFor.Seconds(),
		alone.Seconds()/wallFor.Seconds())
	return end()
}
