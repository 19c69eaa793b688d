package respond

import (
	"context"
	"fmt"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// PutOutOfService takes a guard out of service, with why, or puts it back (why nil). What stands is over with that as
// its cause.
func PutOutOfService(ctx context.Context, p *pipeline.Pipeline, name string, why *string,
	who string) (alarm.Guard, error) {
	return pause(ctx, p, name, func(t *reading.Turn, g *memory.Guard) (string, string, error) {
		if why == nil {
			if g.OutOfUse == nil {
				return "", "", fmt.Errorf("guard %s is in service: %w", name, commit.ErrNotNow)
			}
			g.OutOfUse = nil
			return "guard in service", fmt.Sprintf("Guard %s is in service again", name), nil
		}
		if strings.TrimSpace(*why) == "" {
			return "", "", &measure.Fault{Field: "why", Reason: "is missing; say why, for who finds the guard silent"}
		}
		g.OutOfUse = &alarm.Pause{By: who, Why: strings.TrimSpace(*why), At: t.Now}
		return "guard out of service", fmt.Sprintf("Guard %s is out of service: %s", name, g.OutOfUse.Why), nil
	}, who)
}

// The bounds of shelving.
const (
	minShelf = time.Minute
	maxShelf = 30 * 24 * time.Hour
)

// Shelve keeps a guard's alarms from being told until an instant, but for those that are worse than what stands now, or
// than its first rung where nothing stands (docs/semantics.md 19).
func Shelve(ctx context.Context, p *pipeline.Pipeline, name string, until measure.Instant, why,
	who string) (alarm.Guard, error) {
	return pause(ctx, p, name, func(t *reading.Turn, g *memory.Guard) (string, string, error) {
		switch length := until.Sub(t.Now); {
		case strings.TrimSpace(why) == "":
			return "", "", &measure.Fault{Field: "why", Reason: "is missing; say why, for who finds the alarm shelved"}
		case length < minShelf || length > maxShelf:
			return "", "", &measure.Fault{Field: "until",
				Reason: fmt.Sprintf("%s is not between a minute and 30 days from now", until)}
		}
		severity := g.Severity
		for side, id := range g.Alarms {
			if id == 0 {
				continue
			}
			a, err := events.Alarm(t.Ctx, t.Tx, id)
			if err != nil {
				return "", "", err
			}
			if g.Alarms[1-side] == 0 || a.Severity.Above(severity) {
				severity = a.Severity
			}
			a.Shelved = true
			if err := events.SaveAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
				return "", "", err
			}
			if err := events.EndEscalation(t.Ctx, t.Tx, id); err != nil {
				return "", "", err
			}
		}
		g.Shelved = &alarm.Pause{By: who, Why: strings.TrimSpace(why), At: t.Now, Until: &until, Severity: severity}
		return "guard shelved", fmt.Sprintf("Guard %s is shelved until %s: %s", name, until, g.Shelved.Why), nil
	}, who)
}

// Unshelve ends a guard's shelving now.
func Unshelve(ctx context.Context, p *pipeline.Pipeline, name, who string) (alarm.Guard, error) {
	return pause(ctx, p, name, func(t *reading.Turn, g *memory.Guard) (string, string, error) {
		if g.Shelved == nil {
			return "", "", fmt.Errorf("guard %s is not shelved: %w", name, commit.ErrNotNow)
		}
		g.Shelved = nil
		return "guard unshelved", fmt.Sprintf("Guard %s is shelved no more", name), tellUnshelved(t, g)
	}, who)
}

// pause changes whether a guard is heard, and writes that down.
func pause(ctx context.Context, p *pipeline.Pipeline, name string,
	change func(*reading.Turn, *memory.Guard) (kind, text string, err error), who string) (out alarm.Guard, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		g, err := t.Site.FindGuard(name)
		if err != nil {
			return err
		}
		t.ConfigChanged(g.Subject.Home.Change())
		t.Step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - g.Subject.State.Lag()}, "")
		if err := t.TellAll(); err != nil {
			return err
		}
		kind, text, err := change(t, g)
		if err != nil {
			return err
		}
		if err := config.PauseGuard(t.Ctx, t.Tx, g.ID, g.OutOfUse, g.Shelved); err != nil {
			return err
		}
		if err := t.Enter(kind, name, who, text); err != nil {
			return err
		}
		t.Reconsider([]*memory.Guard{g}, t.Now)
		out = g.Guard
		return nil
	})
	return out, err
}

// DueShelves gives the guards whose shelving has ended.
func DueShelves(t *reading.Turn) ([]int64, error) { return config.ShelvesDue(t.Ctx, t.Tx, t.Now) }

// EndShelves ends the shelving of guards whose time has come.
func EndShelves(t *reading.Turn, ids []int64) error {
	for _, id := range ids {
		g := t.Site.Guards[id]
		t.ConfigChanged(g.Subject.Home.Change())
		g.Shelved = nil
		if err := config.PauseGuard(t.Ctx, t.Tx, id, g.OutOfUse, nil); err != nil {
			return err
		}
		if err := t.Enter("guard unshelved", g.Name, "", fmt.Sprintf("Guard %s is shelved no more: its time is over",
			g.Name)); err != nil {
			return err
		}
		if err := tellUnshelved(t, g); err != nil {
			return err
		}
	}
	return nil
}

// tellUnshelved tells of the alarms of a guard that stand and were shelved.
func tellUnshelved(t *reading.Turn, g *memory.Guard) error {
	for _, id := range g.Alarms {
		if id == 0 {
			continue
		}
		a, err := events.Alarm(t.Ctx, t.Tx, id)
		if err != nil {
			return err
		}
		a.Shelved = false
		if err := events.SaveAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
			return err
		}
		test, err := alarm.ParseTest(a.When)
		if err != nil {
			return err
		}
		if a.AcknowledgedAt != nil || a.ToldWith != nil {
			continue
		}
		a.Value = g.State.Held // what it reads now
		if err := t.TellAnew(notice.Topic{Alarm: a, Test: test, Device: g.Subject.Home, Guarding: g,
			Tells: roster.Raise}, g.Tell); err != nil {
			return err
		}
	}
	return nil
}
