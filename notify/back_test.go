package notify_test

import (
	"context"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/notify"
	"jauntylark/store"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

// plug is a carrier that is away until it is switched on.
type plug struct {
	on   atomic.Bool
	then scripted
}

func (p *plug) Send(ctx context.Context, n roster.Notice) notify.Result {
	if !p.on.Load() {
		return notify.Result{Answer: "connection refused"}
	}
	return p.then.Send(ctx, n)
}

// planAs puts notices to one address into the outbox, each about an alarm of its own.
func (o *outbox) planAs(severities ...alarm.Severity) {
	o.in(func(ctx context.Context, tx *store.Tx) error {
		ids, err := events.NoticeIDs(ctx, tx, len(severities))
		if err != nil {
			return err
		}
		now := measure.Instant(o.now.Load())
		var notices []roster.Notice
		for i, s := range severities {
			a := alarm.Alarm{Kind: alarm.ByGuard, Guard: "g", Signal: "d/s", Severity: s, RaisedAt: now}
			if err := events.AddAlarm(ctx, tx, &a, 1); err != nil {
				return err
			}
			notices = append(notices, roster.Notice{ID: ids[i], AlarmID: a.ID, Kind: string(s), Severity: s,
				Carrier: roster.Mail, Address: "a@b.example", State: roster.Waiting, CreatedAt: now, DueAt: now})
		}
		return events.AddNotices(ctx, tx, notices)
	})
}

// When a carrier is back, what waits for it goes at once, whenever its next attempt would have been, the severest first
// and then the oldest.
func TestWhatWaitsGoesWhenTheCarrierIsBack(t *testing.T) {
	o := newOutbox(t)
	c := &plug{}
	o.planAs(alarm.Advisory, alarm.Warning, alarm.Warning)
	w, _ := o.worker(c)
	failures := func(n int) func() bool {
		return func() bool {
			all, err := events.Carriers(context.Background(), o.Store)
			return err == nil && len(all) == 1 && all[0].Failures >= n
		}
	}
	storetest.Eventually(t, "the first attempts", failures(3))
	for i := range 4 { // up to five minutes until the next attempt
		o.now.Add(int64([]int{3, 6, 16, 61}[i] * 1000))
		w.Wake()
		storetest.Eventually(t, "more attempts", failures(3*(i+2)))
	}
	o.planAs(alarm.Critical)
	w.Wake()
	storetest.Eventually(t, "the critical one is tried", failures(16))
	for i, wait := range []int64{3, 6, 16, 61} {
		o.now.Add(wait * 1000)
		w.Wake()
		storetest.Eventually(t, "it is tried again", failures(17+i))
	}
	c.on.Store(true)
	o.now.Add(31_000) // none of them is due for minutes
	storetest.Eventually(t, "all are sent", func() bool { return len(c.then.got()) == 4 })
	if got, want := c.then.got(), []string{"critical to a@b.example", "warning to a@b.example",
		"warning to a@b.example", "advisory to a@b.example"}; !slices.Equal(got, want) {
		t.Errorf("%v", got)
	}
}

// What waits for one reader goes one after the other, also while the carrier is slow.
func TestTheMoreSevereGoesFirst(t *testing.T) {
	o := newOutbox(t)
	c := &scripted{slow: 100 * time.Millisecond}
	o.planAs(alarm.Advisory, alarm.Critical, alarm.Warning, alarm.Critical, alarm.Advisory)
	o.worker(c)
	storetest.Eventually(t, "all are sent", func() bool { return len(c.got()) == 5 })
	want := []string{"critical", "critical", "warning", "advisory", "advisory"}
	for i, got := range c.got() {
		if got != want[i]+" to a@b.example" {
			t.Fatalf("%v", c.got())
		}
	}
}

// What is milder waits while what is more severe is under way, however long the carrier takes for that.
func TestTheMilderDoesNotOvertake(t *testing.T) {
	o := newOutbox(t)
	c := &scripted{slowOf: map[string]time.Duration{"critical": 1200 * time.Millisecond}}
	o.planAs(alarm.Advisory, alarm.Critical)
	o.worker(c)
	storetest.Eventually(t, "both are sent", func() bool { return len(c.got()) == 2 })
	if got := c.got(); got[0] != "critical to a@b.example" {
		t.Errorf("%v", got)
	}
}

// What waits behind a notice that is tried again later holds up nothing else to its reader.
func TestARetryHoldsUpNothingElse(t *testing.T) {
	o := newOutbox(t)
	c := &scripted{script: []notify.Result{{Answer: "451 mailbox busy"}}}
	o.plan(roster.Raise, "a@b.example")
	w, _ := o.worker(c)
	storetest.Eventually(t, "the raise is tried", func() bool {
		all, err := events.Notices(context.Background(), o.Store, events.NoticeQuery{Limit: 1})
		return err == nil && len(all) == 1 && len(all[0].Deliveries) == 1
	})
	o.plan(roster.Return, "a@b.example") // of the same alarm: it waits for the raise
	o.in(func(ctx context.Context, tx *store.Tx) error {
		_, err := tx.Exec(ctx, `update notice set urgency = 1`) // before the other
		return err
	})
	o.planAs(alarm.Advisory)
	w.Wake()
	storetest.Eventually(t, "the other alarm is told",
		func() bool { return slices.Equal(c.got(), []string{"advisory to a@b.example"}) })
	o.now.Add(3000)
	w.Wake()
	storetest.Eventually(t, "then the raise, and its return", func() bool { return len(c.got()) == 3 })
	if got := c.got(); got[1] != "raise to a@b.example" || got[2] != "return to a@b.example" {
		t.Errorf("%v", got)
	}
}
