package pipeline

import (
	"context"
	"errors"
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

// drillOrder is what a pack of a drill brings beside its marked reading.
type drillOrder struct {
	guard string
	who   string
	moves bool // interlocks are driven too
	made  roster.Drill
}

// StartDrill lets a marked, made-up reading go the whole way: it is taken in as a pack, steps a copy of the guard, and all whom
// the guard tells are told, step by step, until somebody has it. The guard, its alarms and the signal stay as they are.
//
// It passes outputs by, unless it is to move them: then interlocks of the guard's alarm are driven until the drill ends.
func (p *Pipeline) StartDrill(ctx context.Context, guard string, moves bool, who string) (roster.Drill, error) {
	order := &drillOrder{guard: guard, who: who, moves: moves}
	now := p.Now()
	pack := &Pack{Sender: Sender{Person: who, Protocol: "drill"}, Arrived: now, drill: order}
	ticket, err := p.Start(ctx, pack)
	if err != nil {
		return roster.Drill{}, err
	}
	_, err = ticket.Wait(ctx)
	return order.made, err
}

// takeDrill lets the marked reading of a drill step a copy of its guard.
func (t *Turn) takeDrill(j *job) error {
	order := j.pack.drill
	g, err := t.guardNamed(order.guard)
	if err == nil && len(g.Tell) == 0 {
		err = fmt.Errorf("guard %s tells nobody; say who is told first: %w", g.Name, ErrNotNow)
	}
	if errors.Is(err, store.ErrNotFound) || errors.Is(err, ErrNotNow) {
		j.err = err // of this pack alone
		return nil
	}
	if err != nil {
		return err
	}
	value, raised := g.Guard.Drill(t.Now)
	rung := g.About(raised)
	s := g.signal
	a := alarm.Alarm{Kind: alarm.ByGuard, Guard: g.Name, Signal: s.Path(), Side: raised.Side, Level: g.Level(rung), Severity: rung.Severity, State: alarm.StateRaised, Drill: true,
		RaisedAt: t.Now, LearnedAt: t.Now, Value: value, Extreme: value, Unit: s.Unit, When: rung.When.String(), Advice: g.Advice, Sentence: t.sentence(g, rung, value)}
	if err := t.Tx.AddAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	order.made = roster.Drill{Guard: g.Name, By: order.who, StartedAt: j.pack.Arrived, CommittedAt: t.Now, AlarmID: a.ID, Rosters: []string{}, Outputs: order.moves}
	for _, name := range g.Tell {
		if t.live.rosters[name] != nil {
			order.made.Rosters = append(order.made.Rosters, name)
		}
	}
	if err := t.Tx.AddDrill(t.ctx, &order.made); err != nil {
		return err
	}
	if err := t.enterDrill(a, order.who, fmt.Sprintf("%s drills guard %s: nothing is wrong", order.who, g.Name)); err != nil {
		return err
	}
	return t.tellAnew(story{Alarm: a, test: rung.When, guard: g, kind: roster.Raise}, g.Tell)
}

func (t *Turn) enterDrill(a alarm.Alarm, who, text string) error {
	return t.enter(a, "drill", happening{Transition: alarm.Transition{At: t.Now, Value: a.Value}, who: who}, text)
}

// endDrill lets a drill be over. When somebody has taken it, its rosters are drilled.
func (t *Turn) endDrill(a alarm.Alarm, how string) error {
	if err := t.Tx.EndEscalation(t.ctx, a.ID); err != nil {
		return err
	}
	now := a.End(t.Now, alarm.EndDrill, how)
	if err := t.Tx.SaveAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	open, err := t.Tx.OpenDrills(t.ctx, a.ID, t.Now)
	if err != nil {
		return err
	}
	for _, d := range open {
		if err := t.Tx.EndDrill(t.ctx, d.ID, now, how); err != nil {
			return err
		}
		if a.AcknowledgedAt == nil {
			continue
		}
		for _, name := range d.Rosters {
			if err := t.Tx.RosterDrilled(t.ctx, name, now); err != nil {
				return err
			}
			if r := t.live.rosters[name]; r != nil {
				r.DrilledAt = &now
				t.touched = true
				if err := t.endRosterAlarm(r, alarm.EndBack, "it was drilled"); err != nil {
					return err
				}
			}
		}
	}
	return t.enterDrill(a, a.AcknowledgedBy, fmt.Sprintf("The drill of guard %s is over: %s", a.Guard, how))
}

// StopDrill ends a drill that nobody has taken.
func (p *Pipeline) StopDrill(ctx context.Context, alarmID int64, who string) error {
	return p.Do(ctx, func(t *Turn) error {
		a, err := t.Tx.Alarm(t.ctx, alarmID)
		if err != nil {
			return err
		}
		if !a.Drill || a.State == alarm.StateOver {
			return fmt.Errorf("the drill is over: %w", ErrNotNow)
		}
		return t.stopDrill(a, who+" stopped it")
	})
}

// stopDrill ends a drill and tells those who heard of it.
func (t *Turn) stopDrill(a alarm.Alarm, how string) error {
	if err := t.endDrill(a, how); err != nil {
		return err
	}
	s, _, err := t.storyOf(a.ID)
	if err != nil {
		return err
	}
	s.kind = roster.Return
	return t.notifyTold(s, "")
}

// endDrills ends drills that nobody took for long.
func (t *Turn) endDrills() error {
	open, err := t.Tx.OpenDrills(t.ctx, 0, t.Now-roster.DrillLasts)
	if err != nil {
		return err
	}
	for _, d := range open {
		a, err := t.Tx.Alarm(t.ctx, d.AlarmID)
		if err != nil {
			return err
		}
		if err := t.stopDrill(a, "nobody took it"); err != nil {
			return err
		}
	}
	return nil
}

// remindOfDrills raises an advisory for each roster that guards use and that was not drilled for long, and ends those of
// rosters that were.
func (t *Turn) remindOfDrills() error {
	standing, err := t.Tx.DrillAlarms(t.ctx)
	if err != nil {
		return err
	}
	used := map[string]bool{}
	for _, g := range t.live.guards {
		for _, name := range g.Tell {
			used[name] = true
		}
	}
	for _, r := range t.live.rosters {
		last := r.MadeAt
		if r.DrilledAt != nil {
			last = max(last, *r.DrilledAt)
		}
		due := last + roster.DrillEvery
		switch _, stands := standing[r.ID]; {
		case !stands && used[r.Name] && due <= t.Now:
			err = t.raiseRosterAlarm(r, due)
		case stands && !used[r.Name]:
			err = t.endRosterAlarm(r, alarm.EndUnwatched, "no guard tells it any more")
		case stands && due > t.Now:
			err = t.endRosterAlarm(r, alarm.EndBack, "it was drilled")
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (t *Turn) raiseRosterAlarm(r *roster.Roster, due measure.Instant) error {
	guard := "GUARD"
	for _, g := range t.live.guards {
		for _, name := range g.Tell {
			if name == r.Name && (guard == "GUARD" || g.Name < guard) {
				guard = g.Name
			}
		}
	}
	a := alarm.Alarm{Kind: alarm.ByDrills, Severity: alarm.Advisory, State: alarm.StateRaised, RaisedAt: due, LearnedAt: t.Now, When: "not drilled for 90 days",
		Sentence: fmt.Sprintf("Roster %s is not proven: nobody has drilled it for 90 days", r.Called()),
		Advice:   fmt.Sprintf("Drill a guard that tells it: jaunty drill start %s", guard)}
	if err := t.Tx.AddAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	if err := t.Tx.SetDrillAlarm(t.ctx, r.ID, &a.ID); err != nil {
		return err
	}
	if err := t.enter(a, "alarm raised", happening{Transition: alarm.Transition{At: due}}, a.Sentence); err != nil {
		return err
	}
	return t.tellAnew(story{Alarm: a, kind: roster.Raise}, []string{r.Name})
}

// endRosterAlarm lets the alarm that a roster was not drilled be over, if it stands.
func (t *Turn) endRosterAlarm(r *roster.Roster, why alarm.Ending, cause string) error {
	standing, err := t.Tx.DrillAlarms(t.ctx)
	if err != nil {
		return err
	}
	id, stands := standing[r.ID]
	if !stands {
		return nil
	}
	a, err := t.Tx.Alarm(t.ctx, id)
	if err != nil {
		return err
	}
	if err := t.Tx.SetDrillAlarm(t.ctx, r.ID, nil); err != nil || a.State == alarm.StateOver {
		return err
	}
	now := a.End(t.Now, why, cause)
	return t.over(a, happening{Transition: alarm.Transition{At: now}}, alarm.Test{})
}

// RemindOfDrills looks whether rosters are to be drilled, and ends drills that nobody took.
func (p *Pipeline) RemindOfDrills(ctx context.Context) error {
	return p.Do(ctx, func(t *Turn) error {
		if err := t.remindOfDrills(); err != nil {
			return err
		}
		return t.endDrills()
	})
}
