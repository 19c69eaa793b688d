package pipeline

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store"
)

// onAlarm runs an act on one alarm in a commit of its own, and gives the alarm as it is then.
func (p *Pipeline) onAlarm(ctx context.Context, id int64, act func(*Turn, alarm.Alarm) error) (out alarm.Alarm, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		a, err := t.Tx.Alarm(t.ctx, id)
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("there is no alarm %d: %w", id, err)
		}
		if err != nil {
			return err
		}
		if err := act(t, a); err != nil {
			return err
		}
		if err := t.tellAll(); err != nil {
			return err
		}
		out, err = t.Tx.Alarm(t.ctx, id)
		return err
	})
	return out, err
}

// Acknowledge marks an alarm as somebody's, with a word on the cause if there is one. An alarm that is over can be
// acknowledged too; one that was acknowledged before stays as it was, but for a new word.
func (p *Pipeline) Acknowledge(ctx context.Context, id int64, comment, who string) (alarm.Alarm, error) {
	return p.onAlarm(ctx, id, func(t *Turn, a alarm.Alarm) error {
		if err := t.comment(&a, comment, who); err != nil || a.AcknowledgedAt != nil {
			return err
		}
		return t.acknowledge(a, who)
	})
}

// acknowledge marks an alarm that nobody has as somebody's.
func (t *Turn) acknowledge(a alarm.Alarm, who string) error {
	if g, side := t.standing(a.ID); g != nil {
		t.step(g, alarm.Event{Kind: alarm.Acknowledge, At: t.Now, Side: side}, who)
		return nil
	}
	return t.markAcknowledged(a, happening{Transition: alarm.Transition{Kind: alarm.Acknowledged, At: t.Now, Value: a.Value}, who: who})
}

// Comment writes down what people say was the cause of an alarm.
func (p *Pipeline) Comment(ctx context.Context, id int64, comment, who string) (alarm.Alarm, error) {
	return p.onAlarm(ctx, id, func(t *Turn, a alarm.Alarm) error {
		if strings.TrimSpace(comment) == "" {
			return &measure.Fault{Field: "comment", Reason: "is empty"}
		}
		return t.comment(&a, comment, who)
	})
}

func (t *Turn) comment(a *alarm.Alarm, comment, who string) error {
	if comment = strings.TrimSpace(comment); comment == "" {
		return nil
	}
	a.Comment = comment
	return t.saveAct(a, "alarm comment", who, fmt.Sprintf("%s says of alarm %d: %s", who, a.ID, comment))
}

// saveAct writes what a person did to an alarm, besides what its guard does.
func (t *Turn) saveAct(a *alarm.Alarm, kind, who, text string) error {
	if err := t.Tx.SaveAlarm(t.ctx, a, t.CommitNo); err != nil {
		return err
	}
	return t.Tx.AddEntry(t.ctx, site.Entry{At: t.Now, LearnedAt: t.Now, Kind: kind, Subject: a.Signal, Who: who, Text: text, AlarmID: &a.ID}, t.CommitNo)
}

// Hand asks somebody else, a contact or an e-mail address, to take an alarm on; they are told.
func (p *Pipeline) Hand(ctx context.Context, id int64, to, who string) (alarm.Alarm, error) {
	return p.onAlarm(ctx, id, func(t *Turn, a alarm.Alarm) error {
		names := []string{strings.TrimSpace(to)}
		if err := t.checkTell("to", names); err != nil {
			return err
		}
		if a.State == alarm.StateOver {
			return &measure.Fault{Field: "to", Reason: fmt.Sprintf("alarm %d is over; there is nothing to hand on", id)}
		}
		a.HandedTo, a.HandedBy = names[0], who
		if err := t.saveAct(&a, "alarm handed on", who, fmt.Sprintf("%s asks %s to take on: %s", who, t.calledOf(names[0]), a.Sentence)); err != nil {
			return err
		}
		s, _, err := t.storyOf(id)
		if err != nil {
			return err
		}
		s.kind = roster.Hand
		return t.notify(s, t.plainReaders(names))
	})
}

// calledOf is what to call a contact or a roster; an address is called as it is.
func (t *Turn) calledOf(name string) string {
	if c := t.live.contacts[name]; c != nil {
		return c.Called()
	}
	if r := t.live.rosters[name]; r != nil {
		return r.Called()
	}
	return name
}

// HandBack gives an alarm back that somebody has: nobody has it then, and those whom its guard tells are told again.
func (p *Pipeline) HandBack(ctx context.Context, id int64, who string) (alarm.Alarm, error) {
	return p.onAlarm(ctx, id, func(t *Turn, a alarm.Alarm) error {
		switch {
		case a.State == alarm.StateOver:
			return fmt.Errorf("alarm %d is over; there is nothing to hand back: %w", id, ErrNotNow)
		case a.AcknowledgedAt == nil:
			return fmt.Errorf("nobody has alarm %d: %w", id, ErrNotNow)
		}
		a.AcknowledgedAt, a.AcknowledgedBy, a.HandedTo, a.HandedBy = nil, "", "", ""
		if err := t.saveAct(&a, "alarm handed back", who, fmt.Sprintf("%s hands back: %s", who, a.Sentence)); err != nil {
			return err
		}
		s, _, err := t.storyOf(id)
		if err != nil {
			return err
		}
		tell, err := t.tellOf(s)
		if err != nil {
			return err
		}
		if g, side := t.standing(id); g != nil {
			g.state.Sides[side].Acknowledged = false
			t.keep(g)
		}
		return t.tellAnew(s, tell)
	})
}

// tellOf gives the names of those whom an alarm is told to.
func (t *Turn) tellOf(s story) ([]string, error) {
	if s.guard != nil {
		return s.guard.Tell, nil
	}
	var guards []*guardLive
	for _, g := range t.live.guards {
		if g.signal.Path() == s.Signal || g.signal.device.Name == s.Signal {
			guards = append(guards, g)
		}
	}
	if _, tell := rosterOfGuards(guards); len(tell) > 0 {
		return tell, nil
	}
	return t.ownTell()
}

// ResetAlarm ends an alarm that is latched and whose cause is gone.
func (p *Pipeline) ResetAlarm(ctx context.Context, id int64, who string) (alarm.Alarm, error) {
	return p.onAlarm(ctx, id, func(t *Turn, a alarm.Alarm) error {
		g, side := t.standing(id)
		switch {
		case g == nil && a.State == alarm.StateOver:
			return fmt.Errorf("alarm %d is over already: %w", id, ErrNotNow)
		case g == nil || !g.Latch:
			return fmt.Errorf("alarm %d is not latched; it is over by itself when all is in order: %w", id, ErrNotNow)
		case !g.state.Sides[side].Latched:
			return fmt.Errorf("alarm %d cannot be reset while it is so: %s: %w", id, a.Sentence, ErrNotNow)
		}
		t.step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - g.signal.state.Lag()}, "")
		t.step(g, alarm.Event{Kind: alarm.Reset, At: max(t.Now, a.RaisedAt), Side: side}, who)
		return nil
	})
}

// MarkAlarm notes what an alarm was worth: real, false, useful; empty takes the mark back.
func (p *Pipeline) MarkAlarm(ctx context.Context, id int64, mark, who string) (alarm.Alarm, error) {
	return p.onAlarm(ctx, id, func(t *Turn, a alarm.Alarm) error {
		a.Mark, a.MarkedBy = mark, who
		if mark == "" {
			a.MarkedBy = ""
			return t.saveAct(&a, "alarm marked", who, fmt.Sprintf("%s takes the mark of alarm %d back", who, id))
		}
		return t.saveAct(&a, "alarm marked", who, fmt.Sprintf("%s marks alarm %d as %s", who, id, mark))
	})
}

// standing gives the guard, and the side of it, whose standing alarm this is; nil when it is over.
func (t *Turn) standing(id int64) (*guardLive, alarm.Side) {
	for _, g := range t.live.guards {
		for side, standing := range g.alarms {
			if standing == id {
				return g, alarm.Side(side)
			}
		}
	}
	return nil, 0
}
