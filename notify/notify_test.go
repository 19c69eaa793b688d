package notify_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
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

func TestMain(m *testing.M) { storetest.Main(m) }

// scripted is a carrier that answers what the script says, and then that all is well.
type scripted struct {
	mu     sync.Mutex
	script []notify.Result
	sent   []string
	slow   time.Duration
	slowOf map[string]time.Duration // of kinds, besides
}

func (s *scripted) Send(ctx context.Context, n roster.Notice) notify.Result {
	select {
	case <-ctx.Done():
		return notify.Result{Answer: ctx.Err().Error()}
	case <-time.After(s.slow + s.slowOf[n.Kind]):
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.script) > 0 {
		r := s.script[0]
		s.script = s.script[1:]
		return r
	}
	s.sent = append(s.sent, n.Kind+" to "+n.Address)
	return notify.Result{OK: true, Answer: "taken"}
}

func (s *scripted) got() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return slices.Clone(s.sent)
}

// outbox is a store with an alarm, and a clock that is moved by hand.
type outbox struct {
	*store.Store
	t     *testing.T
	now   atomic.Int64
	alarm int64
}

const start = measure.Instant(1_790_000_000_000)

func newOutbox(t *testing.T) *outbox {
	o := &outbox{Store: storetest.Store(t), t: t}
	o.now.Store(int64(start))
	o.in(func(ctx context.Context, tx *store.Tx) error {
		a := alarm.Alarm{Kind: alarm.ByGuard, Guard: "g", Signal: "d/s", Severity: alarm.Warning, RaisedAt: start}
		err := events.AddAlarm(ctx, tx, &a, 1)
		o.alarm = a.ID
		return err
	})
	return o
}

func (o *outbox) in(do func(context.Context, *store.Tx) error) {
	o.t.Helper()
	ctx := context.Background()
	tx, err := o.Begin(ctx)
	if err != nil {
		o.t.Fatal(err)
	}
	defer tx.Rollback()
	if err := do(ctx, tx); err != nil {
		o.t.Fatal(err)
	}
	if err := tx.Commit(); err != nil {
		o.t.Fatal(err)
	}
}

func (o *outbox) plan(kind string, addresses ...string) {
	o.in(func(ctx context.Context, tx *store.Tx) error {
		ids, err := events.NoticeIDs(ctx, tx, len(addresses))
		if err != nil {
			return err
		}
		now := measure.Instant(o.now.Load())
		notices := make([]roster.Notice, len(addresses))
		for i, address := range addresses {
			notices[i] = roster.Notice{ID: ids[i], AlarmID: o.alarm, Kind: kind, Carrier: roster.Mail, Address: address,
				Subject: kind, Text: "x", State: roster.Waiting, CreatedAt: now, DueAt: now}
		}
		return events.AddNotices(ctx, tx, notices)
	})
}

// worker starts a worker and gives what stops it.
func (o *outbox) worker(c notify.Carrier) (w *notify.Worker, stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	w = notify.NewWorker(o.Store, notify.Options{Carriers: map[string]notify.Carrier{roster.Mail: c},
		Log: slog.New(slog.DiscardHandler), Now: func() measure.Instant { return measure.Instant(o.now.Load()) }})
	done := make(chan struct{})
	go func() { w.Run(ctx); close(done) }()
	stop = sync.OnceFunc(func() { cancel(); <-done })
	o.t.Cleanup(stop)
	return w, stop
}

func (o *outbox) states() (states []string) {
	o.t.Helper()
	all, err := events.Notices(context.Background(), o.Store, events.NoticeQuery{Limit: 100})
	if err != nil {
		o.t.Fatal(err)
	}
	for _, n := range all {
		states = append(states, n.State)
	}
	return states
}

func TestRetriesWithGrowingWaitsAndKeepsEachAnswer(t *testing.T) {
	o := newOutbox(t)
	c := &scripted{script: []notify.Result{{Answer: "421 busy"}, {Answer: "450 later"}}}
	o.plan(roster.Raise, "a@b.example")
	w, _ := o.worker(c)
	attempts := func() int {
		all, err := events.Notices(context.Background(), o.Store, events.NoticeQuery{Limit: 1})
		if err != nil {
			t.Fatal(err)
		}
		return len(all[0].Deliveries)
	}
	storetest.Eventually(t, "the first attempt", func() bool { return attempts() == 1 })
	w.Wake()
	time.Sleep(100 * time.Millisecond)
	if n := attempts(); n != 1 {
		t.Fatalf("tried again at once: %d", n)
	}
	o.now.Add(2_000)
	w.Wake()
	storetest.Eventually(t, "the second attempt", func() bool { return attempts() == 2 })
	o.now.Add(2_000)
	w.Wake()
	time.Sleep(100 * time.Millisecond)
	if n := attempts(); n != 2 {
		t.Fatalf("the wait did not grow: %d attempts", n)
	}
	o.now.Add(3_000)
	w.Wake()
	storetest.Eventually(t, "the third attempt", func() bool { return attempts() == 3 })
	all, _ := events.Notices(context.Background(), o.Store, events.NoticeQuery{Limit: 1})
	var answers []string
	for _, d := range all[0].Deliveries {
		answers = append(answers, fmt.Sprint(d.OK, " ", d.Answer))
	}
	if want := []string{"false 421 busy", "false 450 later", "true taken"}; !slices.Equal(answers, want) ||
		all[0].State != roster.Sent {
		t.Errorf("%v, %s", answers, all[0].State)
	}
}

func TestAReturnNeverOvertakesItsRaise(t *testing.T) {
	o := newOutbox(t)
	c := &scripted{script: []notify.Result{{Answer: "421 busy"}}}
	o.plan(roster.Raise, "a@b.example")
	o.plan(roster.Return, "a@b.example")
	o.worker(c)
	time.Sleep(200 * time.Millisecond)
	if got := c.got(); len(got) != 0 {
		t.Fatalf("sent %v before the raise was", got)
	}
	o.now.Add(2_000)
	storetest.Eventually(t, "both are sent", func() bool { return len(c.got()) == 2 })
	if got := c.got(); got[0] != "raise to a@b.example" {
		t.Errorf("%v", got)
	}
}

func TestGivesUpWhenThereIsNoPoint(t *testing.T) {
	o := newOutbox(t)
	o.plan(roster.Raise, "gone@b.example", "busy@b.example")
	c := &scripted{script: []notify.Result{{Answer: "550 no such mailbox", Final: true}, {Answer: "421 busy"},
		{Answer: "421 busy"}}}
	o.worker(c)
	storetest.Eventually(t, "the final refusal", func() bool { return slices.Contains(o.states(), roster.GivenUp) })
	if slices.Contains(o.states(), roster.Sent) {
		t.Errorf("%v", o.states())
	}
	o.now.Add(25 * 3600 * 1000)
	storetest.Eventually(t, "a day of refusals", func() bool { return !slices.Contains(o.states(), roster.Waiting) })
}

// A worker that is killed between sending and recording leaves the claim; another one sends again
// when it has run out: never a loss, at most one copy more.
func TestAClaimOutlivesItsWorker(t *testing.T) {
	o := newOutbox(t)
	ctx := context.Background()
	o.plan(roster.Raise, "a@b.example")
	if got, err := events.ClaimNotices(ctx, o.Store, roster.Mail, start, time.Minute, 10); err != nil || len(got) != 1 {
		t.Fatal(got, err)
	}
	if got, err := events.ClaimNotices(ctx, o.Store, roster.Mail, start+59_000, time.Minute, 10); err != nil ||
		len(got) != 0 {
		t.Fatalf("claimed twice: %v %v", got, err)
	}
	c := &scripted{}
	o.worker(c)
	o.now.Add(60_000)
	storetest.Eventually(t, "sent by the next", func() bool { return len(c.got()) == 1 })
}

func TestTwoWorkersSendEachNoticeOnce(t *testing.T) {
	o := newOutbox(t)
	var addresses []string
	for i := range 60 {
		addresses = append(addresses, fmt.Sprintf("p%d@b.example", i))
	}
	c := &scripted{slow: 5 * time.Millisecond}
	o.worker(c)
	o.worker(c)
	o.plan(roster.Raise, addresses...)
	storetest.Eventually(t, "all are sent", func() bool { return len(c.got()) >= 60 })
	time.Sleep(200 * time.Millisecond)
	got := c.got()
	slices.Sort(got)
	if len(slices.Compact(got)) != 60 || len(c.got()) != 60 {
		t.Errorf("%d sent, %d different", len(c.got()), len(slices.Compact(got)))
	}
}

// Each carrier has hands of its own: one that never answers holds up no other.
func TestADeadCarrierHoldsUpNoOther(t *testing.T) {
	o := newOutbox(t)
	dead, alive := &scripted{slow: time.Hour}, &scripted{}
	ctx, cancel := context.WithCancel(context.Background())
	w := notify.NewWorker(o.Store, notify.Options{Carriers: map[string]notify.Carrier{roster.Text: dead,
		roster.Mail: alive}, Log: slog.New(slog.DiscardHandler),
		Now: func() measure.Instant { return measure.Instant(o.now.Load()) }})
	done := make(chan struct{})
	go func() { w.Run(ctx); close(done) }()
	t.Cleanup(func() { cancel(); <-done })
	o.in(func(ctx context.Context, tx *store.Tx) error {
		var notices []roster.Notice
		ids, err := events.NoticeIDs(ctx, tx, 40)
		for i, id := range ids {
			carrier := []string{roster.Text, roster.Mail}[i%2]
			notices = append(notices, roster.Notice{ID: id, AlarmID: o.alarm, Kind: roster.Raise, Carrier: carrier,
				Address: fmt.Sprint("a", i), State: roster.Waiting, CreatedAt: start, DueAt: start})
		}
		return errors.Join(err, events.AddNotices(ctx, tx, notices))
	})
	w.Wake()
	storetest.Eventually(t, "all mail is sent", func() bool { return len(alive.got()) == 20 })
}

// The severest are sent first, whatever waits.
func TestTheSeverestGoFirst(t *testing.T) {
	o := newOutbox(t)
	o.in(func(ctx context.Context, tx *store.Tx) error {
		ids, err := events.NoticeIDs(ctx, tx, 300)
		var notices []roster.Notice
		for i, id := range ids {
			n := roster.Notice{ID: id, AlarmID: o.alarm, Kind: roster.Raise, Carrier: roster.Mail,
				Severity: alarm.Advisory, Address: fmt.Sprint("advisory", i), State: roster.Waiting, CreatedAt: start,
				DueAt: start}
			if i == 299 {
				n.Severity, n.Address = alarm.Critical, "critical"
			}
			notices = append(notices, n)
		}
		return errors.Join(err, events.AddNotices(ctx, tx, notices))
	})
	claimed, err := events.ClaimNotices(context.Background(), o.Store, roster.Mail, start, time.Minute, 1)
	if err != nil || len(claimed) != 1 || claimed[0].Address != "critical" {
		t.Errorf("%+v %v", claimed, err)
	}
}

// What waits behind a raise that was given up is given up too: its reader never heard of the alarm.
func TestWhoNeverHeardIsNotToldThatItIsOver(t *testing.T) {
	o := newOutbox(t)
	o.plan(roster.Raise, "gone@b.example", "here@b.example")
	o.plan(roster.Return, "gone@b.example", "here@b.example")
	c := &scripted{script: []notify.Result{{Answer: "550 no such mailbox", Final: true}}}
	var failed atomic.Int64
	ctx, cancel := context.WithCancel(context.Background())
	w := notify.NewWorker(o.Store, notify.Options{Carriers: map[string]notify.Carrier{roster.Mail: c},
		Log: slog.New(slog.DiscardHandler), Now: func() measure.Instant { return measure.Instant(o.now.Load()) },
		Failed: func(_ context.Context, n []roster.Notice) error { failed.Add(int64(len(n))); return nil }})
	done := make(chan struct{})
	go func() { w.Run(ctx); close(done) }()
	t.Cleanup(func() { cancel(); <-done })
	storetest.Eventually(t, "all is settled", func() bool { return !slices.Contains(o.states(), roster.Waiting) })
	if got := c.got(); len(got) != 2 || strings.Contains(got[0], strings.Split(got[1], " to ")[0]) && got[0] == got[1] {
		t.Errorf("%v", got)
	}
	given := 0
	for _, s := range o.states() {
		if s == roster.GivenUp {
			given++
		}
	}
	if given != 2 || failed.Load() != 1 {
		t.Errorf("%d given up, %d called failed: %v", given, failed.Load(), o.states())
	}
}
