package main

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/console/browser"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/pipeline/configure"
)

const (
	framesFor      = 6 * time.Second
	frameSenders   = 4
	stripFrames    = 10_000
	cameraNoise    = 0.05 // K, as an uncooled camera's
	graymapScale   = 0.01
	graymapOffset  = -40.0
	distinctFrames = 8
	stripOpenings  = 7
)

// graymaps are some frames of a size as a camera sends them: a warm thing before a wall, with the camera's noise.
func graymaps(width, height int) (bodies [][]byte) {
	random := rand.New(rand.NewPCG(7, 7))
	for n := range distinctFrames {
		body := fmt.Appendf(nil, "P5\n# scale=%v offset=%v\n%d %d\n65535\n", graymapScale, graymapOffset, width, height)
		for i := range width * height {
			x, y := float64(i%width)/float64(width), float64(i/width)/float64(height)
			v := 21 + 2*y + 30*math.Exp(-((x-0.5)*(x-0.5)+(y-0.4)*(y-0.4))*40) + 0.1*float64(n) +
				cameraNoise*random.NormFloat64()
			body = binary.BigEndian.AppendUint16(body, uint16(math.Round((v-graymapOffset)/graymapScale)))
		}
		bodies = append(bodies, body)
	}
	return bodies
}

// sixRegions are two of each shape that has an area.
func sixRegions(width, height int) (regions []frame.Region) {
	w, h := float64(width), float64(height)
	for i := range 2 {
		x := 0.1*w + 0.4*w*float64(i)
		box := []frame.Point{{X: x, Y: 0.1 * h}, {X: x + 0.3*w, Y: 0.6 * h}}
		regions = append(regions, frame.Region{Name: fmt.Sprintf("rectangle-%d", i), Shape: frame.Rectangle,
			Points: box}, frame.Region{Name: fmt.Sprintf("ellipse-%d", i), Shape: frame.Ellipse, Points: box},
			frame.Region{Name: fmt.Sprintf("polygon-%d", i), Shape: frame.Polygon,
				Points: append(box, frame.Point{X: x, Y: 0.9 * h})})
	}
	return regions
}

// frames measures frames a second into the database, beside decoding them alone, and what they take up beside raw 16
// bits.
func frames(ctx context.Context, s *process) error {
	for _, size := range [][2]int{{32, 24}, {640, 480}} {
		width, height := size[0], size[1]
		name := fmt.Sprintf("eye-%d", width)
		key, err := s.device(ctx, name)
		if err != nil {
			return err
		}
		bodies := graymaps(width, height)
		device := &client.Client{URL: s.url, Token: key}
		if err := device.SendAs(ctx, api.SendFrame.At(), frame.PGM, "", bodies[0]); err != nil {
			return err
		}
		if err := s.owner.Call(ctx, api.PutEye.At(name), frame.Eye{Regions: sixRegions(width, height)},
			nil); err != nil {
			return err
		}
		stored, err := sendFrames(ctx, device, bodies)
		if err != nil {
			return err
		}
		alone, err := decodeAlone(bodies)
		if err != nil {
			return err
		}
		var all api.Storage
		if err := s.owner.Call(ctx, api.GetStorage.At(), nil, &all); err != nil {
			return err
		}
		for _, f := range all.Frames {
			if f.Device == name {
				each, raw := float64(f.Bytes)/float64(f.Count), float64(2*width*height)
				fmt.Printf(
					"frames %d × %d, 6 regions, HTTP: %.0f/s into the database; decoding alone %.0f/s, ratio %.2f; "+
						"%.0f bytes a frame, raw 16 bit %.0f, ratio %.2f\n", width, height, stored, alone, stored/alone,
					each, raw, each/raw)
			}
		}
	}
	return nil
}

// sendFrames sends from several connections for a while, and gives how many a second were acknowledged.
func sendFrames(ctx context.Context, device *client.Client, bodies [][]byte) (float64, error) {
	var sent atomic.Int64
	var failed atomic.Pointer[error]
	begin := time.Now()
	var all sync.WaitGroup
	for range frameSenders {
		all.Go(func() {
			for time.Since(begin) < framesFor && failed.Load() == nil {
				n := sent.Add(1)
				if err := device.SendAs(ctx, api.SendFrame.At(), frame.PGM, "", bodies[n%distinctFrames]); err != nil {
					failed.Store(&err)
				}
			}
		})
	}
	all.Wait()
	if err := failed.Load(); err != nil {
		return 0, *err
	}
	return rate(int(sent.Load()), time.Since(begin)), nil
}

// decodeAlone reads the same bodies on as many cores as the service has, and does nothing with them.
func decodeAlone(bodies [][]byte) (float64, error) {
	eye := &frame.Eye{}
	eye.Settle()
	var done atomic.Int64
	begin := time.Now()
	var all sync.WaitGroup
	for range frameSenders {
		all.Go(func() {
			for time.Since(begin) < framesFor/3 {
				if _, err := frame.Decode(frame.PGM, bodies[done.Add(1)%distinctFrames], eye); err != nil {
					panic(err)
				}
			}
		})
	}
	all.Wait()
	return rate(int(done.Load()), time.Since(begin)), nil
}

// strip measures how soon the first picture of a strip is seen over ten thousand frames, beside asking for one frame's
// picture alone.
func strip(ctx context.Context, s *process) error {
	if _, err := s.device(ctx, "strip-eye"); err != nil {
		return err
	}
	var grids []*frame.Grid
	eye := &frame.Eye{}
	eye.Settle()
	for _, body := range graymaps(32, 24) {
		shot, err := frame.Decode(frame.PGM, body, eye)
		if err != nil {
			return err
		}
		grids = append(grids, shot.Grid)
	}
	now := measure.InstantOf(time.Now())
	for begin := 0; begin < stripFrames; begin += 1000 {
		var some []configure.PastFrame
		for i := begin; i < begin+1000; i++ {
			some = append(some, configure.PastFrame{At: now - measure.Instant(stripFrames-i)*60_000,
				Grid: grids[i%len(grids)]})
		}
		if err := configure.ImportFrames(ctx, s.pipe, "strip-eye", some); err != nil {
			return err
		}
	}
	device := &client.Client{URL: s.url}
	if err := s.owner.SendAs(ctx, api.SendFrame.At(), frame.PGM, "strip-eye", graymaps(32, 24)[0]); err != nil {
		return err
	}
	page, end, err := browse(ctx, s)
	if err != nil {
		return err
	}
	defer end()
	var waits []float64
	for range stripOpenings {
		seen, err := openStrip(page)
		if err != nil {
			return err
		}
		waits = append(waits, seen)
	}
	slices.Sort(waits)
	seen := waits[len(waits)/2]
	device.Token = s.owner.Token
	begin := time.Now()
	var out bytes.Buffer
	if err := device.Download(ctx, api.GetFrame.At("strip-eye", "newest.png").Asking("bare", "true", "width", "96"),
		&out); err != nil {
		return err
	}
	alone := time.Since(begin)
	fmt.Printf("strip of %d frames: first picture after %.0f ms (click to drawn, median of %d); one frame's picture "+
		"alone %.1f ms, ratio %.0f\n", stripFrames, seen, stripOpenings, float64(alone.Microseconds())/1000,
		seen/(float64(alone.Microseconds())/1000))
	return nil
}

// openStrip opens the frames from the page of their device, and tells how many milliseconds later the first picture was
// there.
func openStrip(page *browser.Page) (float64, error) {
	if err := page.Goto("/devices/of/strip-eye"); err != nil {
		return 0, err
	}
	if err := page.Until(
		`[...document.querySelectorAll('main a')].some((a) => a.innerText === 'Look at its thermal frames')`); err != nil {
		return 0, err
	}
	time.Sleep(time.Second) // as a person takes to see the link
	_, err := browser.Eval[bool](page, `((window.seen = 0), (() => {
		const begin = performance.now()
		const look = () => {
			const img = [...document.querySelectorAll('[data-strip] img')].find((i) => i.complete && i.naturalWidth > 0)
			if (img) window.seen = performance.now() - begin
			else requestAnimationFrame(look)
		};
		[...document.querySelectorAll('main a')].find((a) => a.innerText === 'Look at its thermal frames').click()
		look()
	})(), true)`)
	if err == nil {
		err = page.Until("window.seen > 0")
	}
	if err != nil {
		return 0, err
	}
	return browser.Eval[float64](page, "window.seen")
}
