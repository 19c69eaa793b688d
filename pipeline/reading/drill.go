package reading

import (
	"errors"
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/notice"
	"jauntylark/store"
	"jauntylark/store/events"
)

// DrillOrder is what a pack of a drill brings beside its marked reading.
type DrillOrder struct {
	Guard string
	Who   string
	Moves bool // interlocks are driven too
	Made  roster.Drill
}

// acceptDrill lets the marked reading of a drill step a copy of its guard.
func (t *Turn) acceptDrill(j *Job) error {
	order := j.In.Drill
	g, err := t.Site.FindGuard(order.Guard)
	if err == nil && len(g.Tell) == 0 {
		err = fmt.Errorf("guard %s tells nobody; say who is told first: %w", g.Name, commit.ErrNotNow)
	}
	if errors.Is(err, store.ErrNotFound) || errors.Is(err, commit.ErrNotNow) {
		j.Err = err // of this pack alone
		return nil
	}
	if err != nil {
		return err
	}
	value, raised := g.Guard.Drill(t.Now)
	rung := g.About(raised)
	s := g.Subject
	a := alarm.Alarm{Kind: alarm.ByGuard, Guard: g.Name, Signal: s.Path(), Side: raised.Side, Level: g.Level(rung),
		Severity: rung.Severity, State: alarm.StateRaised, Drill: true,
		RaisedAt: t.Now, LearnedAt: t.Now, Value: value, Extreme: value, Unit: s.Unit, When: rung.When.String(),
		Advice: g.Advice, Sentence: t.Site.Sentence(g, rung, value)}
	if err := events.AddAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return err
	}
	order.Made = roster.Drill{Guard: g.Name, By: order.Who, StartedAt: j.In.Arrived, CommittedAt: t.Now, AlarmID: a.ID,
		Rosters: []string{}, Outputs: order.Moves}
	for _, name := range g.Tell {
		if t.Site.Rosters[name] != nil {
			order.Made.Rosters = append(order.Made.Rosters, name)
		}
	}
	if err := events.AddDrill(t.Ctx, t.Tx, &order.Made); err != nil {
		return err
	}
	if err := t.EnterDrill(a, order.Who, fmt.Sprintf("%s drills guard %s: nothing is wrong", order.Who,
		g.Name)); err != nil {
		return err
	}
	return t.TellAnew(notice.Topic{Alarm: a, Test: rung.When, Guarding: g, Tells: roster.Raise}, g.Tell)
}
