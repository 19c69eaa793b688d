package record

import (
	"context"
	"fmt"
	"math"
	"strings"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
)

// freshEnough is how old the newest value may be for it to be what the signal shows, where no interval says.
const freshEnough = 5 * time.Minute

// Verify checks what a signal shows against a reference, and keeps what came of it.
func Verify(ctx context.Context, p *pipeline.Pipeline, path string, o act.VerificationOrder,
	who pipeline.Actor) (v calibrate.Verification, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(path)
		if err != nil {
			return err
		}
		if v, err = verify(t, s, o); err != nil {
			return err
		}
		v.At, v.Unit, v.Note, v.Who = t.Now, s.Unit, strings.TrimSpace(o.Note), who.Called
		if err := config.AddVerification(t.Ctx, t.Tx, s.ID, &v); err != nil {
			return err
		}
		units := t.Site.Settings.Units
		result := "passed"
		if !v.Passed {
			result = "failed"
		}
		text := fmt.Sprintf("Verification of %s %s: it showed %s where the reference said %s", path, result,
			s.Figure(v.Shown, units), measure.Figure(units.Show(v.Reference, s.Unit)))
		return t.Enter("verification "+result, path, who.Called, text)
	})
	if err != nil {
		return v, err
	}
	return v, Remind(ctx, p)
}

func verify(t *reading.Turn, s *memory.Signal, o act.VerificationOrder) (v calibrate.Verification, err error) {
	tolerance, err := calibrate.ParseTolerance(o.Tolerance)
	if err != nil {
		return v, &measure.Fault{Field: "tolerance", Reason: err.Error()}
	}
	if s.Kind != site.KindNumber {
		return v, &measure.Fault{Field: "signal", Reason: fmt.Sprintf("%s holds %s; numbers can be verified", s.Path(),
			memory.Holds[s.Kind])}
	}
	convert, err := configure.UnitOf(o.Unit, s)
	if err != nil {
		return v, err
	}
	reference, shown := convert(o.Reference), s.State.Value
	if o.Shown != nil {
		shown = convert(*o.Shown)
	} else if err := fresh(t, s); err != nil {
		return v, err
	}
	allowed := tolerance.Of(o.Reference)
	if o.Unit != "" { // it is a width
		allowed = math.Abs(convert(o.Reference+allowed) - reference)
	}
	return calibrate.Verify(shown, reference, allowed), nil
}

// fresh tells why a signal's newest value is not what it shows now: nil or a *measure.Fault.
func fresh(t *reading.Turn, s *memory.Signal) error {
	limit := freshEnough
	if interval := s.EffectiveInterval(); interval != 0 {
		limit = max(limit, memory.SilenceLimit(interval))
	}
	switch old := t.Now.Sub(s.State.At); {
	case s.State.At == 0:
		return &measure.Fault{Field: "shown", Reason: s.Path() + " has no reading yet; say what it shows"}
	case old > limit:
		return &measure.Fault{Field: "shown",
			Reason: fmt.Sprintf("the newest reading of %s is %s old; say what it shows", s.Path(), prose.Length(old))}
	}
	return nil
}

// VerifyEvery says how often a signal is to be verified; the zero Every: never.
func VerifyEvery(ctx context.Context, p *pipeline.Pipeline, path string, every calibrate.Every,
	who pipeline.Actor) error {
	err := p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(path)
		if err != nil {
			return err
		}
		if err := config.SetVerifyEvery(t.Ctx, t.Tx, s.ID, every, t.Now); err != nil {
			return err
		}
		text := "Signal " + path + " is to be verified every " + every.String()
		if every == (calibrate.Every{}) {
			text = "Signal " + path + " need not be verified any more"
		}
		return t.Enter("verification planned", path, who.Called, text)
	})
	if err != nil {
		return err
	}
	return Remind(ctx, p)
}

// Remind raises an advisory for each signal whose verification is due, and ends those that were seen to.
func Remind(ctx context.Context, p *pipeline.Pipeline) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		duties, err := config.Duties(t.Ctx, t.Tx)
		if err != nil {
			return err
		}
		zone, err := time.LoadLocation(t.Site.Settings.Zone)
		if err != nil {
			zone = time.UTC
		}
		for _, d := range duties {
			s := t.Site.Signals[d.Signal]
			due := d.Every.After(d.Last, zone)
			is := d.Every != (calibrate.Every{}) && due <= t.Now
			switch {
			case is && d.Alarm == nil:
				thing := roster.Thing(site.Title(s.Home.Title, s.Home.Name), site.Title(s.Title, s.Name))
				a := alarm.Alarm{Kind: alarm.ByDueDate, Signal: s.Path(), Severity: alarm.Advisory, RaisedAt: due,
					Value: s.State.Value, Unit: s.Unit, When: "every " + d.Every.String(),
					Sentence: fmt.Sprintf("%s is due for verification since %s", thing,
						due.Time().In(zone).Format("2 January 2006")),
					Advice: fmt.Sprintf(
						"Hold a reference beside it: jaunty calibration verify %s --reference VALUE --tolerance 2%%",
						s.Path())}
				id, err := t.RaiseSignalAlarm(s, a)
				if err != nil {
					return err
				}
				if err := config.SetDueAlarm(t.Ctx, t.Tx, s.ID, &id); err != nil {
					return err
				}
			case !is && d.Alarm != nil:
				why, cause := alarm.EndBack, "it was verified"
				if d.Every == (calibrate.Every{}) {
					why, cause = alarm.EndChanged, "it need not be verified any more"
				}
				if err := t.EndSignalAlarm(&d.Alarm, t.Now, s.State.Value, why, cause); err != nil {
					return err
				}
				if err := config.SetDueAlarm(t.Ctx, t.Tx, s.ID, nil); err != nil {
					return err
				}
			}
		}
		return nil
	})
}
