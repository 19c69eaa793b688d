package server

import (
	"context"
	"fmt"
	"time"

	"jauntylark/api"
	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/store"
)

// several finds the signals that are named.
func (v *Server) several(ctx context.Context, in *api.SeveralSignals) ([]site.Signal, error) {
	all, err := v.store.Signals(ctx)
	if err != nil {
		return nil, err
	}
	byPath, paths := map[string]site.Signal{}, make([]string, len(all))
	for i := range all {
		paths[i] = all[i].Path()
		byPath[paths[i]] = all[i]
	}
	signals := make([]site.Signal, len(in.Signals))
	for i, path := range in.Signals {
		s, known := byPath[path]
		if !known {
			return nil, missing(store.ErrNotFound, "signal", path, paths)
		}
		if s.Kind == site.KindText || s.Kind == site.KindData {
			return nil, wrong("signal", path+" holds "+s.Kind+", which has no line")
		}
		signals[i] = s
	}
	return signals, nil
}

func (v *Server) listLines(ctx context.Context, in *api.ListLinesIn) (api.Lines, error) {
	signals, err := v.several(ctx, &in.SeveralSignals)
	if err != nil {
		return api.Lines{}, err
	}
	out := api.Lines{Lines: make([]api.SignalLine, len(signals))}
	if out.Since, out.Until, err = in.Bounds(v.pipeline.Now()); err != nil {
		return api.Lines{}, err
	}
	for i := range signals {
		s, l := &signals[i], &out.Lines[i]
		l.Signal, l.Hold = s.Path(), 3*time.Duration(s.Interval).Milliseconds()
		if l.Line, err = v.line(ctx, s, out.Since, out.Until, in.Columns); err != nil {
			return api.Lines{}, err
		}
		gap := (min(out.Until, v.pipeline.Now()) - out.Since) / measure.Instant(in.Columns)
		if l.Marked, err = v.store.Marked(ctx, s.ID, out.Since, out.Until, gap, measure.Unusable|measure.Late|measure.Clock|measure.Corrected); err != nil {
			return api.Lines{}, err
		}
	}
	return out, nil
}

const (
	mostTail = time.Hour        // how far back a tail may begin
	plainFor = 90 * time.Second // readings stay plain rows for longer than this
)

func (v *Server) listTails(ctx context.Context, in *api.ListTailsIn) ([]api.Tail, error) {
	signals, err := v.several(ctx, &in.SeveralSignals)
	if err != nil {
		return nil, err
	}
	since := measure.InstantOf(in.Since)
	if oldest := v.pipeline.Now().Add(-mostTail); since < oldest {
		return nil, wrong("since", fmt.Sprintf("%s is more than an hour ago; ask for lines instead", since))
	}
	if since < v.pipeline.Now().Add(-plainFor) {
		return v.longTails(ctx, signals, since)
	}
	ids := make([]int64, len(signals))
	for i := range signals {
		ids[i] = signals[i].ID
	}
	came, err := v.store.Tails(ctx, ids, since)
	if err != nil {
		return nil, err
	}
	tails := make([]api.Tail, len(signals))
	for i := range signals {
		s := &signals[i]
		tails[i] = newTail(s)
		if s.MadeOf != "" && s.At != nil && s.Value != nil && *s.At > since {
			tails[i].Add([]measure.Reading{{At: *s.At, Value: *s.Value}})
		} else {
			tails[i].Add(came[s.ID])
		}
	}
	return tails, nil
}

// longTails goes through what is sealed already, and computes what is computed.
func (v *Server) longTails(ctx context.Context, signals []site.Signal, since measure.Instant) ([]api.Tail, error) {
	tails := make([]api.Tail, len(signals))
	for i := range signals {
		tails[i] = newTail(&signals[i])
		if err := v.eachReading(ctx, &signals[i], since+1, v.pipeline.Now().Add(time.Minute), tails[i].Add); err != nil {
			return nil, err
		}
	}
	return tails, nil
}

func newTail(s *site.Signal) api.Tail {
	return api.Tail{Signal: s.Path(), At: []int64{}, Value: []float64{}}
}

func (v *Server) listStates(ctx context.Context, in *api.ListStatesIn) (board.Course, error) {
	s, since, until, err := v.stretch(ctx, in.SignalPath, in.Stretch)
	if err != nil {
		return board.Course{}, err
	}
	if s.Kind == site.KindNumber && len(s.Bands) == 0 {
		return board.Course{}, wrong("signal", s.Path()+" has neither bands nor off and on, so it has no states; give it bands")
	}
	c := board.NewCourse(&s, since, min(until, v.pipeline.Now()))
	err = v.eachReading(ctx, &s, since, until, c.Add)
	c.End()
	return *c, err
}

// eachReading goes through the true readings of a stretch, with the texts of those that hold text.
func (v *Server) eachReading(ctx context.Context, s *site.Signal, since, until measure.Instant, each func([]measure.Reading)) error {
	tx, err := v.store.Look(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	return tx.EachReading(ctx, s.ID, since, until, func(some []measure.Reading) error {
		if s.Kind == site.KindText {
			if err := tx.Spell(ctx, some); err != nil {
				return err
			}
		}
		each(some)
		return nil
	})
}

func (v *Server) getSpread(ctx context.Context, in *api.GetSpreadIn) (series.Spread, error) {
	s, since, until, err := v.stretch(ctx, in.SignalPath, in.Stretch)
	if err != nil {
		return series.Spread{}, err
	}
	if s.Kind != site.KindNumber {
		return series.Spread{}, wrong("signal", s.Path()+" holds "+s.Kind+"; only numbers have a spread")
	}
	zone, err := v.zone(ctx, "")
	if err != nil {
		return series.Spread{}, err
	}
	ends, _, err := v.store.Line(ctx, s.ID, since, min(until, v.pipeline.Now().Add(time.Minute))+1, 1)
	if err != nil {
		return series.Spread{}, err
	}
	spread := series.NewSpread(ends, in.Bins, zone)
	err = v.eachReading(ctx, &s, since, until, spread.Add)
	spread.End()
	return *spread, err
}
