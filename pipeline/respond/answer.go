package respond

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/notice"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/events"
)

// ErrUsed says that a link was used before.
var ErrUsed = fmt.Errorf("this link was used before: %w", commit.ErrNotNow)

// TakeByNotice marks the alarm of a notice as its reader's, who used the link in it. A link works once.
func TakeByNotice(ctx context.Context, p *pipeline.Pipeline, noticeID int64) (out alarm.Alarm, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		n, err := events.Notice(t.Ctx, t.Tx, noticeID)
		if err != nil {
			return err
		}
		first, err := events.UseLink(t.Ctx, t.Tx, noticeID, t.Now)
		if err != nil {
			return err
		}
		if !first {
			return ErrUsed
		}
		out, err = acknowledgeFor(t, n)
		return err
	})
	return out, err
}

// acknowledgeFor marks the alarm of a notice as its reader's.
func acknowledgeFor(t *reading.Turn, n roster.Notice) (alarm.Alarm, error) {
	a, err := events.Alarm(t.Ctx, t.Tx, n.AlarmID)
	if err != nil {
		return a, err
	}
	if a.AcknowledgedAt == nil {
		who := n.Address
		if c := t.Site.Contacts[n.Contact]; c != nil {
			who = c.Called()
		}
		if err := acknowledge(t, a, who); err != nil {
			return a, err
		}
		if err := t.TellAll(); err != nil {
			return a, err
		}
	}
	return events.Alarm(t.Ctx, t.Tx, n.AlarmID)
}

// Receipt is what a gateway says became of a message.
type Receipt struct {
	Carrier, GatewayID string
	OK                 bool
	Answer             string
}

// TakeReceipt writes a gateway's receipt down. When the message did not arrive, the next step of the roster comes at
// once.
func TakeReceipt(ctx context.Context, p *pipeline.Pipeline, r Receipt) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		n, err := events.NoticeOfGateway(t.Ctx, t.Tx, r.Carrier, r.GatewayID)
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("no message %s of %s was sent: %w", r.GatewayID, r.Carrier, err)
		}
		if err != nil || n.State == roster.Delivered {
			return err
		}
		state := roster.Delivered
		if !r.OK {
			state = roster.GivenUp
		}
		if err := events.Receipt(t.Ctx, t.Tx, roster.Delivery{NoticeID: n.ID, At: t.Now, OK: r.OK, Answer: r.Answer},
			state); err != nil || r.OK || n.AlarmID == 0 {
			return err
		}
		return t.Undelivered(n)
	})
}

// Reply is what somebody answered to a message.
type Reply struct {
	Carrier   string
	GatewayID string // of the message; empty where the gateway does not say
	From      string // address of who answered
	Text      string
}

// TakeReply takes an answer: 1 says "I have it", of the message that it answers, or else of the newest one to that
// address. Any other answer is written into the journal. taken tells whether the alarm is now the one's who answered.
func TakeReply(ctx context.Context, p *pipeline.Pipeline, r Reply) (taken bool, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		n, err := noticeOf(t, r)
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("nothing was sent to %s by %s: %w", r.From, r.Carrier, err)
		}
		if err != nil || n.AlarmID == 0 {
			return err
		}
		if strings.TrimSpace(r.Text) != "1" {
			a, err := events.Alarm(t.Ctx, t.Tx, n.AlarmID)
			if err != nil {
				return err
			}
			return saveAct(t, &a, "alarm answered", calledOf(t, n.Contact),
				fmt.Sprintf("%s answers by %s: %s", calledOf(t, n.Contact), r.Carrier, ClipText(r.Text, 300)))
		}
		a, err := acknowledgeFor(t, n)
		taken = a.AcknowledgedAt != nil
		return err
	})
	return taken, err
}

// ClipText cuts a text to so many characters.
func ClipText(text string, most int) string {
	if runes := []rune(strings.Join(strings.Fields(text), " ")); len(runes) > most {
		return string(runes[:most]) + "…"
	}
	return strings.Join(strings.Fields(text), " ")
}

func noticeOf(t *reading.Turn, r Reply) (roster.Notice, error) {
	if r.GatewayID != "" {
		n, err := events.NoticeOfGateway(t.Ctx, t.Tx, r.Carrier, r.GatewayID)
		if err == nil || !errors.Is(err, store.ErrNotFound) {
			return n, err
		}
	}
	return events.NewestTo(t.Ctx, t.Tx, r.Carrier, r.From)
}

// Failed looks at notices that could not be delivered: it brings the next step of their rosters forward.
func Failed(ctx context.Context, p *pipeline.Pipeline, notices []roster.Notice) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		for _, n := range notices {
			if n.AlarmID == 0 {
				continue
			}
			if err := t.Undelivered(n); err != nil {
				return err
			}
		}
		return nil
	})
}

// JudgeCarriers raises an alarm for each carrier that keeps failing, told by other carriers, and ends those of carriers
// that work again.
func JudgeCarriers(ctx context.Context, p *pipeline.Pipeline) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		carriers, err := events.Carriers(t.Ctx, t.Tx)
		if err != nil {
			return err
		}
		for _, c := range carriers {
			switch {
			case c.AlarmID == nil && Failing(c, t.Now):
				err = raiseCarrier(t, c)
			case c.AlarmID != nil && c.FailingSince == nil:
				err = endCarrier(t, c)
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// Failing tells whether a carrier keeps failing.
func Failing(c roster.CarrierState, now measure.Instant) bool {
	return c.FailingSince != nil && c.Failures >= events.BackAfter && now.Sub(*c.FailingSince) >= events.BackOver
}

func raiseCarrier(t *reading.Turn, c roster.CarrierState) error {
	a := alarm.Alarm{Kind: alarm.ByCarrier, About: c.Name, Severity: alarm.Warning, State: alarm.StateRaised,
		RaisedAt: *c.FailingSince, LearnedAt: t.Now, Value: float64(c.Failures), Extreme: float64(c.Failures),
		Unit: "", When: "failing", Sentence: fmt.Sprintf("The carrier %s is failing: %s", c.Name,
			ClipText(c.Answer, 160)),
		Advice: "See why, and what waits: jaunty carrier list, jaunty notice list --state waiting"}
	if err := events.AddAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return err
	}
	if err := events.SetCarrierAlarm(t.Ctx, t.Tx, c.Name, &a.ID); err != nil {
		return err
	}
	if err := t.EnterAlarm(a, "alarm raised", event.Happening{Transition: alarm.Transition{At: a.RaisedAt,
		Value: a.Value}}, a.Sentence); err != nil {
		return err
	}
	names, err := t.OwnReaders()
	if err != nil {
		return err
	}
	return t.TellAnew(notice.Topic{Alarm: a, Tells: roster.Raise, NotBy: c.Name}, names)
}

func endCarrier(t *reading.Turn, c roster.CarrierState) error {
	a, err := events.Alarm(t.Ctx, t.Tx, *c.AlarmID)
	if err != nil {
		return err
	}
	if err := events.SetCarrierAlarm(t.Ctx, t.Tx, c.Name, nil); err != nil || a.State == alarm.StateOver {
		return err
	}
	now := a.End(t.Now, alarm.EndBack, "")
	return t.Over(a, event.Happening{Transition: alarm.Transition{At: now, Value: a.Value}}, alarm.Test{})
}
