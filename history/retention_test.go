package history_test

import (
	"context"
	"math"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/history"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

// Readings go when they are old, their figures stay, and long charts are drawn from these.
func TestOldReadingsGoAndTheirFiguresStay(t *testing.T) {
	p := newPlace(t, nil)
	p.past("a", 20_000) // two weeks
	p.past("b", 20_000)
	p.settled()
	ctx := context.Background()
	before := p.days("a")
	week := measure.Duration(7 * 24 * time.Hour)
	if err := configure.SetSignal(ctx, p.Pipeline, "d/a", act.SignalChange{KeepReadings: &week},
		pipeline.Actor{}); err != nil {
		t.Fatal(err)
	}
	rules, err := timeseries.Keeps(ctx, p.Store)
	if err != nil || rules[0].Readings != week || rules[1].Readings != 0 {
		t.Fatalf("%+v %v", rules, err)
	}
	s := p.signal("a")
	gone := 0
	for {
		n, err := timeseries.Prune(ctx, p.Store, s.ID, p.at().Add(-time.Duration(week)))
		if err != nil {
			t.Fatal(err)
		}
		if n == 0 {
			break
		}
		gone += n
	}
	left := p.stored("a")
	if gone == 0 || len(left) < 10_000 || len(left) > 10_080+series.BlockReadings || len(p.stored("b")) != 20_000 {
		t.Errorf("%d blocks went, %d readings are left", gone, len(left))
	}
	if after := p.days("a"); !slices.Equal(after, before) {
		t.Errorf("the figures changed with the readings' going: %d, before %d", len(after), len(before))
	}
	weeks, err := timeseries.Figures(ctx, p.Store, s.ID, 7*series.Day, 0, p.at())
	whole, wholeErr := timeseries.Figures(ctx, p.Store, p.signal("b").ID, 7*series.Day, 0, p.at())
	if err != nil || wholeErr != nil || len(weeks) != len(whole) || weeks[0].Count != whole[0].Count ||
		weeks[0].Low != whole[0].Low || math.Abs(weeks[0].Held-whole[0].Held) > 1e-6*math.Abs(whole[0].Held) {
		t.Errorf("weeks %+v %v, want %+v", weeks, err, whole)
	}
	// where the readings are gone an hour counts for the part that it begins in
	hour := (p.at() - 19_000*60_000) / 3_600_000 * 3_600_000
	from, until := hour+20*60_000, hour+190*60_000
	if lost, kept := p.part("a", from, until), p.part("b", from, until); lost.Count != 180 || lost.At != from ||
		kept.Count != 170 || kept.At != from {
		t.Errorf("of a part of a day: %+v, and with its readings %+v", lost, kept)
	}
	if next := p.part("a", until, hour+360*60_000); next.Count != 120 {
		t.Errorf("of the next part: %+v", next)
	}
	line, of, err := timeseries.Line(ctx, p.Store, s.ID, p.at()-20_000*60_000, p.at(), 100)
	if err != nil || of <= len(left) || line[0].At > p.at()-19_940*60_000 {
		t.Errorf("a line of %d, beginning %v: %v", of, line[0], err)
	}
	if err := timeseries.PruneFigures(ctx, p.Store, s.ID, left[0].At); err != nil {
		t.Fatal(err)
	}
	if after := p.days("a"); len(after) >= len(before) {
		t.Error("no figures went")
	}
}

// part gives the figures of a part of a day.
func (p *place) part(signal string, from, until measure.Instant) (figures series.Figures) {
	p.t.Helper()
	ctx := context.Background()
	tx, err := p.Store.Look(ctx)
	if err != nil {
		p.t.Fatal(err)
	}
	defer tx.Rollback()
	if err := timeseries.EachFigureRow(ctx, tx, []site.Signal{p.signal(signal)}, series.Day, from, until,
		func(row series.Row) error {
			if !row.Cut || figures.Count > 0 {
				p.t.Errorf("%+v", row)
			}
			figures = *row.Figures[0]
			return nil
		}); err != nil {
		p.t.Fatal(err)
	}
	return figures
}

func TestANearlyFullDiskIsAnAlarmAndAFullOneTakesNoReadings(t *testing.T) {
	var free atomic.Int64
	free.Store(50e9)
	p := newPlace(t, func(o *history.Options) {
		o.Folder, o.DiskEvery = "/srv", 5*time.Millisecond
		o.Room = func(string) (int64, int64, error) { return free.Load(), 100e9, nil }
	})
	ctx := context.Background()
	standing := func() []alarm.Alarm {
		alarms, err := events.Alarms(ctx, p.Store, events.AlarmQuery{Standing: true, Limit: 10})
		if err != nil {
			t.Fatal(err)
		}
		return alarms
	}
	if _, err := send(p, p.at(), 1); err != nil || len(standing()) != 0 {
		t.Fatal(err, standing())
	}
	free.Store(4e9)
	storetest.Eventually(t, "an alarm", func() bool { return len(standing()) == 1 })
	if a := standing()[0]; a.Kind != alarm.ByDisk || a.Severity != alarm.Critical ||
		a.Sentence != "The disk is nearly full: 4.0 GB of 100 GB are free" {
		t.Errorf("%+v", a)
	}
	if _, err := send(p, p.at()+1, 2); err != nil {
		t.Error("readings are refused already:", err)
	}
	free.Store(0.9e9)
	storetest.Eventually(t, "readings are refused",
		func() bool { _, err := send(p, p.at()+2, 3); return err == commit.ErrNoRoom })
	free.Store(1.1e9) // not yet a quarter more than what stopped it
	time.Sleep(100 * time.Millisecond)
	if _, err := send(p, p.at()+2, 3); err != commit.ErrNoRoom {
		t.Error("readings are taken too soon:", err)
	}
	storetest.Eventually(t, "people are told that readings are refused", func() bool {
		return len(standing()) == 2 &&
			standing()[0].Sentence == "The service cannot take readings: the disk is full, 900 MB of 100 GB are free"
	})
	free.Store(5.5e9) // room for readings, but not yet a quarter more than what raised the alarm
	storetest.Eventually(t, "readings are taken", func() bool { _, err := send(p, p.at()+2, 3); return err == nil })
	storetest.Eventually(t, "that is over", func() bool { return len(standing()) == 1 })
	if standing()[0].Kind != alarm.ByDisk {
		t.Error("the alarm is over too soon")
	}
	free.Store(50e9)
	storetest.Eventually(t, "over", func() bool { return len(standing()) == 0 })
	if got := p.stored("live"); len(got) != 3 {
		t.Errorf("%+v", got)
	}
}

// Frames that are too old for all to be kept go; those around an alarm and the reference stay.
func TestOldFramesAreThinned(t *testing.T) {
	p := unkept(t)
	g := &frame.Grid{Width: 2, Height: 1, Scale: 0.01, Counts: []int32{2000, 2100}}
	const minute, day = measure.Instant(60_000), measure.Instant(86_400_000)
	now := p.at()
	var frames []configure.PastFrame
	for at := now - 40*day; at < now-39*day; at += 10 * minute {
		frames = append(frames, configure.PastFrame{At: at, Grid: g})
	}
	frames = append(frames, configure.PastFrame{At: now - day, Grid: g}, configure.PastFrame{At: now - day + minute,
		Grid: g})
	ctx := context.Background()
	if err := configure.ImportFrames(ctx, p.Pipeline, "d", frames); err != nil {
		t.Fatal(err)
	}
	device, err := config.Device(ctx, p.Store, "d", now)
	if err != nil {
		t.Fatal(err)
	}
	count := func() int {
		_, all, err := events.Frames(ctx, p.Store, device.ID, 0, now, 2)
		if err != nil {
			t.Fatal(err)
		}
		return all
	}
	if count() != 146 {
		t.Fatalf("%d frames were stored", count())
	}
	p.keep(nil) // it looks once at its start, then each hour
	storetest.Eventually(t, "the old ones to be thinned", func() bool { return count() == 24+2 || count() == 25+2 })
}
