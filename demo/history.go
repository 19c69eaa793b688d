package demo

import (
	"context"
	"errors"
	"fmt"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/core/wall"
	"jauntylark/pipeline/record"
	"jauntylark/standin"
)

// begin notes when the site is first set up, and from when on it has a history: from the first of the
// month before last.
func (s *Site) begin() error {
	now := time.Now()
	if s.Memory.Begun == 0 {
		s.Memory.Begun = measure.InstantOf(now.Truncate(24 * time.Hour))
	}
	if s.Memory.HistorySince == 0 {
		zone, err := time.LoadLocation(zone)
		if err != nil {
			return err
		}
		s.Memory.HistorySince = wall.On(measure.InstantOf(now), zone).MonthBegin(-2).Begin(zone)
	}
	return s.Memory.keep()
}

// pastAtOnce is how many readings of the history are stored in one commit.
const pastAtOnce = 16 * series.BlockReadings

// writeHistory stores the history up to now, straight as blocks. One that was cut off is made again from its
// beginning; what is stored already is not stored twice.
func (s *Site) writeHistory(ctx context.Context, all []device) error {
	begin, until := time.Now(), measure.InstantOf(time.Now())
	var stored atomic.Int64
	work, ctx := errgroup.WithContext(ctx)
	work.SetLimit(2)
	for _, d := range all {
		if d.Frame != nil {
			work.Go(func() error {
				n, err := s.writeFramesOf(ctx, d, until)
				stored.Add(int64(n))
				return err
			})
		}
		for _, signal := range d.Signals {
			work.Go(func() error {
				n, err := s.writeHistoryOf(ctx, d, signal, until)
				stored.Add(int64(n))
				if err != nil {
					return fmt.Errorf("history of %s/%s: %w", d.Name, signal.Name, err)
				}
				return nil
			})
		}
	}
	here, err := time.LoadLocation(zone)
	if err = errors.Join(err, work.Wait()); err != nil {
		return err
	}
	s.Say("%.1f million readings of history since %s, in %.1f s", float64(stored.Load())/1e6,
		s.Memory.HistorySince.Time().In(here).Format("2 January"), time.Since(begin).Seconds())
	return nil
}

func (s *Site) writeHistoryOf(ctx context.Context, d device, signal standin.Signal,
	until measure.Instant) (stored int, err error) {
	past := record.Past{Signal: d.Name + "/" + signal.Name, Unit: signal.Unit, Kind: site.KindNumber}
	if signal.Switch {
		past.Kind = site.KindSwitch
	}
	every := measure.Instant(d.Every.Milliseconds())
	for at := s.Memory.HistorySince; at < until && ctx.Err() == nil; at += every {
		v := signal.Value(at)
		past.Readings = append(past.Readings, measure.Reading{At: at, Value: v})
		if len(past.Readings) < pastAtOnce && at+every < until {
			continue
		}
		if _, err := record.Import(ctx, s.Inside, &past); err != nil {
			return stored, err
		}
		stored, past.Readings = stored+len(past.Readings), past.Readings[:0]
	}
	return stored, ctx.Err()
}
