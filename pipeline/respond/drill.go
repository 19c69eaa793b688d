package respond

import (
	"context"
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/notice"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// StartDrill lets a marked, made-up reading go the whole way: it is taken in as a pack, steps a copy of the guard, and
// all whom the guard tells are told, step by step, until somebody has it. The guard, its alarms and the signal stay as
// they are.
//
// It passes outputs by, unless it is to move them: then interlocks of the guard's alarm are driven until the drill
// ends.
func StartDrill(ctx context.Context, p *pipeline.Pipeline, guard string, moves bool, who string) (roster.Drill, error) {
	order := &reading.DrillOrder{Guard: guard, Who: who, Moves: moves}
	now := p.Now()
	pack := &reading.Pack{Sender: credential.Sender{Person: who, Protocol: "drill"}, Arrived: now, Drill: order}
	ticket, err := p.Start(ctx, pack)
	if err != nil {
		return roster.Drill{}, err
	}
	_, err = ticket.Wait(ctx)
	return order.Made, err
}

// StopDrill ends a drill that nobody has taken.
func StopDrill(ctx context.Context, p *pipeline.Pipeline, alarmID int64, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		a, err := events.Alarm(t.Ctx, t.Tx, alarmID)
		if err != nil {
			return err
		}
		if !a.Drill || a.State == alarm.StateOver {
			return fmt.Errorf("the drill is over: %w", commit.ErrNotNow)
		}
		return stopDrill(t, a, who+" stopped it")
	})
}

// stopDrill ends a drill and tells those who heard of it.
func stopDrill(t *reading.Turn, a alarm.Alarm, how string) error {
	if err := t.EndDrill(a, how); err != nil {
		return err
	}
	s, _, err := t.TopicOf(a.ID)
	if err != nil {
		return err
	}
	s.Tells = roster.Return
	return t.NotifyTold(s, "")
}

// EndDrills ends drills that nobody took for long.
func EndDrills(t *reading.Turn) error {
	open, err := events.OpenDrills(t.Ctx, t.Tx, 0, t.Now-roster.DrillLasts)
	if err != nil {
		return err
	}
	for _, d := range open {
		a, err := events.Alarm(t.Ctx, t.Tx, d.AlarmID)
		if err != nil {
			return err
		}
		if err := stopDrill(t, a, "nobody took it"); err != nil {
			return err
		}
	}
	return nil
}

// remindOfDrills raises an advisory for each roster that guards use and that was not drilled for long, and ends those
// of rosters that were.
func remindOfDrills(t *reading.Turn) error {
	standing, err := config.DrillAlarms(t.Ctx, t.Tx)
	if err != nil {
		return err
	}
	used := map[string]bool{}
	for _, g := range t.Site.Guards {
		for _, name := range g.Tell {
			used[name] = true
		}
	}
	for _, r := range t.Site.Rosters {
		last := r.MadeAt
		if r.DrilledAt != nil {
			last = max(last, *r.DrilledAt)
		}
		due := last + roster.DrillEvery
		switch _, stands := standing[r.ID]; {
		case !stands && used[r.Name] && due <= t.Now:
			err = raiseRosterAlarm(t, r, due)
		case stands && !used[r.Name]:
			err = t.EndRosterAlarm(r, alarm.EndUnwatched, "no guard tells it any more")
		case stands && due > t.Now:
			err = t.EndRosterAlarm(r, alarm.EndBack, "it was drilled")
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func raiseRosterAlarm(t *reading.Turn, r *roster.Roster, due measure.Instant) error {
	guard := "GUARD"
	for _, g := range t.Site.Guards {
		for _, name := range g.Tell {
			if name == r.Name && (guard == "GUARD" || g.Name < guard) {
				guard = g.Name
			}
		}
	}
	a := alarm.Alarm{Kind: alarm.ByDrills, About: r.Name, Severity: alarm.Advisory, State: alarm.StateRaised, RaisedAt: due,
		LearnedAt: t.Now, When: "not drilled for 90 days",
		Sentence: fmt.Sprintf("Roster %s is not proven: nobody has drilled it for 90 days", r.Called()),
		Advice:   fmt.Sprintf("Drill a guard that tells it: jaunty drill start %s", guard)}
	if err := events.AddAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return err
	}
	if err := config.SetDrillAlarm(t.Ctx, t.Tx, r.ID, &a.ID); err != nil {
		return err
	}
	if err := t.EnterAlarm(a, "alarm raised", event.Happening{Transition: alarm.Transition{At: due}},
		a.Sentence); err != nil {
		return err
	}
	return t.TellAnew(notice.Topic{Alarm: a, Tells: roster.Raise}, []string{r.Name})
}

// RemindOfDrills looks whether rosters are to be drilled, and ends drills that nobody took.
func RemindOfDrills(ctx context.Context, p *pipeline.Pipeline) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := remindOfDrills(t); err != nil {
			return err
		}
		return EndDrills(t)
	})
}
