package readings

import (
	"context"
	"fmt"
	"time"

	"jauntylark/api"
	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/server/place"
	"jauntylark/server/web"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// linesOperations has the operations of this file answered.
func linesOperations(v *web.Server) {
	web.Answer(v, api.ListLines, listLines)
	web.Answer(v, api.ListTails, listTails)
	web.Answer(v, api.ListStates, listStates)
	web.Answer(v, api.GetSpread, getSpread)
}

// severalSignals finds the signals that are named.
func severalSignals(ctx context.Context, v *web.Server, in *api.SeveralSignals) ([]site.Signal, error) {
	all, err := config.Signals(ctx, v.Store)
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
			return nil, web.Missing(store.ErrNotFound, "signal", path, paths)
		}
		if s.Kind == site.KindText || s.Kind == site.KindData {
			return nil, web.Wrong("signal", path+" holds "+s.Kind+", which has no line")
		}
		signals[i] = s
	}
	return signals, nil
}

func listLines(ctx context.Context, v *web.Server, in *api.ListLinesIn) (api.Lines, error) {
	signals, err := severalSignals(ctx, v, &in.SeveralSignals)
	if err != nil {
		return api.Lines{}, err
	}
	out := api.Lines{Lines: make([]api.SignalLine, len(signals))}
	if out.Since, out.Until, err = in.Bounds(v.Pipeline.Now()); err != nil {
		return api.Lines{}, err
	}
	for i := range signals {
		s, l := &signals[i], &out.Lines[i]
		l.Signal, l.Hold = s.Path(), measure.Millis(3*time.Duration(s.Interval).Milliseconds())
		if l.Line, err = place.LineOf(ctx, v, s, out.Since, out.Until, in.Columns); err != nil {
			return api.Lines{}, err
		}
		gap := (min(out.Until, v.Pipeline.Now()) - out.Since) / measure.Instant(in.Columns)
		if l.Marked, err = timeseries.Marked(ctx, v.Store, s.ID, out.Since, out.Until-1, gap,
			measure.Unusable|measure.Late|measure.Clock|measure.Corrected); err != nil {
			return api.Lines{}, err
		}
	}
	return out, nil
}

const (
	mostTail = time.Hour        // how far back a tail may begin
	plainFor = 90 * time.Second // readings stay plain rows for longer than this
)

func listTails(ctx context.Context, v *web.Server, in *api.ListTailsIn) ([]api.Tail, error) {
	signals, err := severalSignals(ctx, v, &in.SeveralSignals)
	if err != nil {
		return nil, err
	}
	since := measure.InstantOf(in.Since)
	if oldest := v.Pipeline.Now().Add(-mostTail); since < oldest {
		return nil, web.Wrong("since", fmt.Sprintf("%s is more than an hour ago; ask for lines instead", since))
	}
	if since < v.Pipeline.Now().Add(-plainFor) {
		return longTails(ctx, v, signals, since)
	}
	ids := make([]int64, len(signals))
	for i := range signals {
		ids[i] = signals[i].ID
	}
	came, err := timeseries.Tails(ctx, v.Store, ids, since)
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
func longTails(ctx context.Context, v *web.Server, signals []site.Signal, since measure.Instant) ([]api.Tail, error) {
	tails := make([]api.Tail, len(signals))
	for i := range signals {
		tails[i] = newTail(&signals[i])
		if err := eachReading(ctx, v, &signals[i], since+1, v.Pipeline.Now().Add(time.Minute),
			tails[i].Add); err != nil {
			return nil, err
		}
	}
	return tails, nil
}

func newTail(s *site.Signal) api.Tail {
	return api.Tail{Signal: s.Path(), At: []measure.Instant{}, Value: []float64{}}
}

func listStates(ctx context.Context, v *web.Server, in *api.ListStatesIn) (board.Course, error) {
	s, since, until, err := place.StretchOf(ctx, v, in.SignalPath, in.Window)
	if err != nil {
		return board.Course{}, err
	}
	if s.Kind == site.KindNumber && len(s.Bands) == 0 {
		return board.Course{}, web.Wrong("signal", s.Path()+
			" has neither bands nor off and on, so it has no states; give it bands")
	}
	c := board.NewCourse(&s, since, min(until, v.Pipeline.Now()))
	err = eachReading(ctx, v, &s, since, until-1, c.Add)
	c.End()
	return *c, err
}

// eachReading goes through the true readings of a stretch, with the texts of those that hold text.
func eachReading(ctx context.Context, v *web.Server, s *site.Signal, since, until measure.Instant,
	each func([]measure.Reading)) error {
	tx, err := v.Store.Look(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	return timeseries.EachReading(ctx, tx, s.ID, since, until, func(some []measure.Reading) error {
		if s.Kind == site.KindText {
			if err := timeseries.Spell(ctx, tx, some); err != nil {
				return err
			}
		}
		each(some)
		return nil
	})
}

func getSpread(ctx context.Context, v *web.Server, in *api.GetSpreadIn) (series.Spread, error) {
	s, since, until, err := place.StretchOf(ctx, v, in.SignalPath, in.Window)
	if err != nil {
		return series.Spread{}, err
	}
	if s.Kind != site.KindNumber {
		return series.Spread{}, web.Wrong("signal", s.Path()+" holds "+s.Kind+"; only numbers have a spread")
	}
	zone, err := web.ZoneOf(ctx, v, "")
	if err != nil {
		return series.Spread{}, err
	}
	ends, _, err := timeseries.Line(ctx, v.Store, s.ID, since, min(until, v.Pipeline.Now().Add(time.Minute)+1), 1)
	if err != nil {
		return series.Spread{}, err
	}
	spread := series.NewSpread(ends, in.Bins, zone)
	err = eachReading(ctx, v, &s, since, until-1, spread.Add)
	spread.End()
	return *spread, err
}
