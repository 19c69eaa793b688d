package respond

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/events"
)

// onAlarm runs an act on one alarm in a commit of its own, and gives the alarm as it is then.
func onAlarm(ctx context.Context, p *pipeline.Pipeline, id int64,
	act func(*reading.Turn, alarm.Alarm) error) (out alarm.Alarm, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		a, err := events.Alarm(t.Ctx, t.Tx, id)
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("there is no alarm %d: %w", id, err)
		}
		if err != nil {
			return err
		}
		if err := act(t, a); err != nil {
			return err
		}
		if err := t.TellAll(); err != nil {
			return err
		}
		out, err = events.Alarm(t.Ctx, t.Tx, id)
		return err
	})
	return out, err
}

// Acknowledge marks an alarm as somebody's, with a word on the cause if there is one. An alarm that is over can be
// acknowledged too; one that was acknowledged before stays as it was, but for a new word.
func Acknowledge(ctx context.Context, p *pipeline.Pipeline, id int64, comment, who string) (alarm.Alarm, error) {
	return onAlarm(ctx, p, id, func(t *reading.Turn, a alarm.Alarm) error {
		if err := addComment(t, &a, comment, who); err != nil || a.AcknowledgedAt != nil {
			return err
		}
		return acknowledge(t, a, who)
	})
}

// acknowledge marks an alarm that nobody has as somebody's.
func acknowledge(t *reading.Turn, a alarm.Alarm, who string) error {
	if g, side := t.Site.GuardOf(a.ID); g != nil {
		t.Step(g, alarm.Event{Kind: alarm.Acknowledge, At: t.Now, Side: side}, who)
		return nil
	}
	return t.MarkAcknowledged(a, event.Happening{Transition: alarm.Transition{Kind: alarm.Acknowledged, At: t.Now,
		Value: a.Value}, Who: who})
}

// Comment writes down what people say was the cause of an alarm.
func Comment(ctx context.Context, p *pipeline.Pipeline, id int64, comment, who string) (alarm.Alarm, error) {
	return onAlarm(ctx, p, id, func(t *reading.Turn, a alarm.Alarm) error {
		if strings.TrimSpace(comment) == "" {
			return &measure.Fault{Field: "comment", Reason: "is empty"}
		}
		return addComment(t, &a, comment, who)
	})
}

func addComment(t *reading.Turn, a *alarm.Alarm, comment, who string) error {
	if comment = strings.TrimSpace(comment); comment == "" {
		return nil
	}
	a.Comment = comment
	return saveAct(t, a, "alarm comment", who, fmt.Sprintf("%s says of alarm %d: %s", who, a.ID, comment))
}

// saveAct writes what a person did to an alarm, besides what its guard does.
func saveAct(t *reading.Turn, a *alarm.Alarm, kind, who, text string) error {
	if err := events.SaveAlarm(t.Ctx, t.Tx, a, t.CommitNo); err != nil {
		return err
	}
	return events.AddEntry(t.Ctx, t.Tx, site.Entry{At: t.Now, LearnedAt: t.Now, Kind: kind, Subject: a.Signal, Who: who,
		Text: text, AlarmID: &a.ID}, t.CommitNo)
}

// Hand asks somebody else, a contact or an e-mail address, to take an alarm on; they are told.
func Hand(ctx context.Context, p *pipeline.Pipeline, id int64, to, who string) (alarm.Alarm, error) {
	return onAlarm(ctx, p, id, func(t *reading.Turn, a alarm.Alarm) error {
		names := []string{strings.TrimSpace(to)}
		if err := t.Site.CheckTell("to", names); err != nil {
			return err
		}
		if a.State == alarm.StateOver {
			return &measure.Fault{Field: "to", Reason: fmt.Sprintf("alarm %d is over; there is nothing to hand on", id)}
		}
		a.HandedTo, a.HandedBy = names[0], who
		if err := saveAct(t, &a, "alarm handed on", who, fmt.Sprintf("%s asks %s to take on: %s", who,
			calledOf(t, names[0]), a.Sentence)); err != nil {
			return err
		}
		s, _, err := t.TopicOf(id)
		if err != nil {
			return err
		}
		s.Tells = roster.Hand
		return t.Notify(s, t.Readers(names))
	})
}

// calledOf is what to call a contact or a roster; an address is called as it is.
func calledOf(t *reading.Turn, name string) string {
	if c := t.Site.Contacts[name]; c != nil {
		return c.Called()
	}
	if r := t.Site.Rosters[name]; r != nil {
		return r.Called()
	}
	return name
}

// HandBack gives an alarm back that somebody has: nobody has it then, and those whom its guard tells are told again.
func HandBack(ctx context.Context, p *pipeline.Pipeline, id int64, who string) (alarm.Alarm, error) {
	return onAlarm(ctx, p, id, func(t *reading.Turn, a alarm.Alarm) error {
		switch {
		case a.State == alarm.StateOver:
			return fmt.Errorf("alarm %d is over; there is nothing to hand back: %w", id, commit.ErrNotNow)
		case a.AcknowledgedAt == nil:
			return fmt.Errorf("nobody has alarm %d: %w", id, commit.ErrNotNow)
		}
		a.AcknowledgedAt, a.AcknowledgedBy, a.HandedTo, a.HandedBy = nil, "", "", ""
		if err := saveAct(t, &a, "alarm handed back", who,
			fmt.Sprintf("%s hands back: %s", who, a.Sentence)); err != nil {
			return err
		}
		s, _, err := t.TopicOf(id)
		if err != nil {
			return err
		}
		tell, err := tellOf(t, s)
		if err != nil {
			return err
		}
		if g, side := t.Site.GuardOf(id); g != nil {
			g.State.Sides[side].Acknowledged = false
			t.GuardChanged(g)
		}
		return t.TellAnew(s, tell)
	})
}

// tellOf gives the names of those whom an alarm is told to.
func tellOf(t *reading.Turn, s notice.Topic) ([]string, error) {
	if s.Guarding != nil {
		return s.Guarding.Tell, nil
	}
	var guards []*memory.Guard
	for _, g := range t.Site.Guards {
		if g.Subject.Path() == s.Signal || g.Subject.Home.Name == s.Signal {
			guards = append(guards, g)
		}
	}
	if _, tell := memory.RosterOfGuards(guards); len(tell) > 0 {
		return tell, nil
	}
	return t.OwnReaders()
}

// ResetAlarm ends an alarm that is latched and whose cause is gone.
func ResetAlarm(ctx context.Context, p *pipeline.Pipeline, id int64, who string) (alarm.Alarm, error) {
	return onAlarm(ctx, p, id, func(t *reading.Turn, a alarm.Alarm) error {
		g, side := t.Site.GuardOf(id)
		switch {
		case g == nil && a.State == alarm.StateOver:
			return fmt.Errorf("alarm %d is over already: %w", id, commit.ErrNotNow)
		case g == nil || !g.Latch:
			return fmt.Errorf("alarm %d is not latched; it is over by itself when all is in order: %w", id,
				commit.ErrNotNow)
		case !g.State.Sides[side].Latched:
			return fmt.Errorf("alarm %d cannot be reset while it is so: %s: %w", id, a.Sentence, commit.ErrNotNow)
		}
		t.Step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - g.Subject.State.Lag()}, "")
		t.Step(g, alarm.Event{Kind: alarm.Reset, At: max(t.Now, a.RaisedAt), Side: side}, who)
		return nil
	})
}

// MarkAlarm notes what an alarm was worth: real, false, useful; empty takes the mark back.
func MarkAlarm(ctx context.Context, p *pipeline.Pipeline, id int64, mark, who string) (alarm.Alarm, error) {
	return onAlarm(ctx, p, id, func(t *reading.Turn, a alarm.Alarm) error {
		a.Mark, a.MarkedBy = mark, who
		if mark == "" {
			a.MarkedBy = ""
			return saveAct(t, &a, "alarm marked", who, fmt.Sprintf("%s takes the mark of alarm %d back", who, id))
		}
		return saveAct(t, &a, "alarm marked", who, fmt.Sprintf("%s marks alarm %d as %s", who, id, mark))
	})
}
