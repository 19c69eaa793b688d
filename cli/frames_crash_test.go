package cli_test

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/store/storetest"
)

// camera sends a frame every few milliseconds until stop is closed, again until each is acknowledged; what it sees is
// warm at times, and cold at the end. It counts those that were acknowledged, and gives the highest temperature of
// each.
func camera(t *testing.T, to *client.Client, count *atomic.Int64, stop <-chan struct{}) (acked []measure.Reading) {
	warm, last := 20.0, measure.Instant(0)
	for ended := false; !ended; {
		select {
		case <-stop:
			warm, ended = 20, true
		case <-time.After(time.Duration(5+rand.IntN(30)) * time.Millisecond):
			if rand.IntN(8) == 0 {
				warm = float64(20 + 30*rand.IntN(2))
			}
		}
		last = max(last+1, measure.InstantOf(time.Now()))
		body := fmt.Appendf(nil, "20,20,20\n20,%v,20\n", warm)
		at := api.SendFrame.At().Asking("at", last)
		for end := time.Now().Add(40 * time.Second); ; time.Sleep(20 * time.Millisecond) {
			err := to.SendAs(context.Background(), at, frame.CSV, "", body)
			if err == nil {
				acked = append(acked, measure.Reading{At: last, Value: warm})
				count.Add(1)
				break
			}
			if time.Now().After(end) {
				t.Errorf("%s: %v", last, err)
				return acked
			}
		}
	}
	return acked
}

// The service is killed again and again while a camera sends. Each acknowledged frame is there once, with what it
// tells; and the runs that a plan makes of it are those that its readings ask for.
func TestFramesOutliveKills(t *testing.T) {
	storetest.Long(t)
	p, address, database := newPerson(t), freeAddress(t), storetest.URL(t)
	env := []string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}
	args := []string{"serve", "--database", database, "--http", address, "--seal-after", "200ms", "--log-level",
		"error"}
	d := p.start(env, args...)
	p.login(d.URL, "o@b.example", "a long secret")
	to := &client.Client{URL: d.URL, Token: get[struct{ Key string }](p, "device", "add", "eye").Key,
		HTTP: &http.Client{Timeout: 10 * time.Second}}
	if err := to.SendAs(context.Background(), api.SendFrame.At(), frame.CSV, "",
		[]byte("20,20,20\n20,20,20\n")); err != nil {
		t.Fatal(err)
	}
	p.must("asset", "add", "kiln", "--signal", "eye")
	p.must("run", "plan", "add", "firing", "--asset", "kiln", "--signal", "eye/highest", "--start", "above 40")

	stop, done := make(chan struct{}), make(chan []measure.Reading)
	var count atomic.Int64
	go func() { done <- camera(t, to, &count, stop) }()
	for range 5 {
		time.Sleep(time.Duration(300+rand.IntN(700)) * time.Millisecond)
		d.stop(syscall.SIGKILL)
		d = p.start(env, args...)
	}
	storetest.Eventually(t, "enough frames were sent", func() bool { return count.Load() >= enough })
	close(stop)
	acked := <-done
	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	checkFrames(t, db, acked)
	runs := get[[]run.Run](p, "run", "list", "kiln", "--limit", "1000")
	var got, want []string
	for _, r := range slices.Backward(runs) {
		got = append(got, fmt.Sprint(r.StartedAt, " ", r.EndedAt))
	}
	var from measure.Instant
	for _, r := range acked {
		switch {
		case r.Value > 40 && from == 0:
			from = r.At
		case r.Value <= 40 && from != 0:
			want = append(want, fmt.Sprint(from, " ", &r.At))
			from = 0
		}
	}
	if !slices.Equal(got, want) {
		t.Errorf("runs\n%v\nwanted\n%v", got, want)
	}
	t.Logf("%d frames, %d runs", len(acked), len(runs))
}

// checkFrames tells whether each acknowledged frame is there, and its highest reading once beside it.
func checkFrames(t *testing.T, db *sql.DB, acked []measure.Reading) {
	t.Helper()
	rows, err := db.Query(`select at, high from frame order by at`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	stored := map[measure.Instant]float64{}
	for rows.Next() {
		var r measure.Reading
		if err := rows.Scan(&r.At, &r.Value); err != nil {
			t.Fatal(err)
		}
		stored[r.At] = r.Value
	}
	told := map[measure.Instant]int{}
	rows, err = db.Query(`
		select r.at from signal s cross join lateral (select at from reading where signal_id = s.id
			union all select b.at from block k cross join lateral block_readings(k.body) b where k.signal_id = s.id) r
			    where s.name = 'highest'`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var at measure.Instant
		if err := rows.Scan(&at); err != nil {
			t.Fatal(err)
		}
		told[at]++
	}
	for _, r := range acked {
		if high, there := stored[r.At]; !there || high != r.Value || told[r.At] != 1 {
			t.Errorf("the frame of %s, %v °C, is there: %v, with %v °C, told %d times", r.At, r.Value, there, high,
				told[r.At])
		}
	}
	if len(told) != len(stored) || len(stored) != len(acked)+1 { // and the first
		t.Errorf("%d frames, %d of them told, %d acknowledged", len(stored), len(told), len(acked))
	}
}
