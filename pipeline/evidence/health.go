package evidence

import (
	"context"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/limit"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// LimitsOf tells how a signal's values are spread over a stretch, and what limits at their ends would have raised.
func LimitsOf(ctx context.Context, p *pipeline.Pipeline, path string, from,
	until measure.Instant) (limit.Shape, error) {
	var over Subject
	var unit measure.Unit
	var zone *time.Location
	err := p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(path)
		if err != nil {
			return err
		}
		if s.Kind != site.KindNumber {
			return &measure.Fault{Field: "signal", Reason: path + " holds no numbers; it has no limits"}
		}
		over, unit = SubjectOf(s, t.Now), s.Unit
		if zone, err = time.LoadLocation(t.Site.Settings.Zone); err != nil {
			zone = time.UTC
		}
		return nil
	})
	if err != nil {
		return limit.Shape{}, err
	}
	tx, err := p.Store.Look(ctx)
	if err != nil {
		return limit.Shape{}, err
	}
	defer tx.Rollback()
	sampler := limit.NewSampler(zone)
	if err := timeseries.EachReading(ctx, tx, over.ID, from, until,
		func(some []measure.Reading) error { sampler.Take(some); return nil }); err != nil {
		return limit.Shape{}, err
	}
	shape, guards := sampler.Shape(from, until, unit)
	runs := make([]*alarm.Run, len(guards))
	for i := range guards {
		runs[i] = alarm.NewRun(&guards[i], from, measure.Reading{})
		runs[i].SilentAfter = over.SilentAfter
	}
	if len(runs) > 0 {
		err = timeseries.EachReading(ctx, tx, over.ID, from, until, func(some []measure.Reading) error {
			for _, run := range runs {
				run.Take(some, over.beyond)
			}
			return nil
		})
	}
	if err != nil {
		return shape, err
	}
	past, err := events.Alarms(ctx, p.Store, events.AlarmQuery{Signal: path, Since: from, Limit: 10_000})
	for i, run := range runs {
		shape.Limits = append(shape.Limits, limit.Propose(guards[i], run.Finish(until), past, shape.From, until, unit))
	}
	return shape, err
}

// cureReadings bounds what a cure is looked for in.
const cureReadings = 600_000

// CureOf tells what change of a guard would have kept it quieter over the readings of a stretch, as far as they go;
// nil: nothing helps, or the guard is gone.
func CureOf(ctx context.Context, p *pipeline.Pipeline, guard string, from, until measure.Instant) (*limit.Cure, error) {
	var g *memory.Guard
	var unit measure.Unit
	var signal int64
	var silentAfter time.Duration
	err := p.Do(ctx, func(t *reading.Turn) error {
		for _, one := range t.Site.Guards {
			if one.Name == guard {
				copied := *one
				g, unit, signal, silentAfter = &copied, one.Subject.Unit, one.Subject.ID,
					memory.SilenceLimit(one.Subject.EffectiveInterval())
			}
		}
		return nil
	})
	if err != nil || g == nil || g.When.Kind >= alarm.Silent {
		return nil, err
	}
	tx, err := p.Store.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	var readings []measure.Reading
	err = timeseries.EachReading(ctx, tx, signal, from, until, func(some []measure.Reading) error {
		readings = append(readings, some...)
		if extra := len(readings) - cureReadings; extra > cureReadings/2 {
			readings = append(readings[:0], readings[extra:]...)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	if len(readings) == 0 {
		return nil, nil
	}
	past, err := events.PastOf(ctx, p.Store, guard, max(from, readings[0].At), until)
	if err != nil {
		return nil, err
	}
	return limit.FindCure(g.Guard, readings, past, silentAfter, unit), nil
}

// HealthOf judges the alarms of a stretch, and finds cures for the guards that chatter.
func HealthOf(ctx context.Context, p *pipeline.Pipeline, from, until measure.Instant) (alarm.Health, error) {
	all, people, err := events.Told(ctx, p.Store, from, until)
	if err != nil {
		return alarm.Health{}, err
	}
	h := alarm.Judge(all, people, from, until)
	for i := range h.Offenders {
		o := &h.Offenders[i]
		if o.Guard == "" || !o.Chatters() {
			continue
		}
		cure, err := CureOf(ctx, p, o.Guard, from, until)
		if err != nil {
			return h, err
		}
		if cure != nil {
			o.Cure = cure.Words
		}
	}
	return h, nil
}
