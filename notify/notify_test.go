package notify_test

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
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
	"jauntylark/server/servertest"
	"jauntylark/store"
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
		err := tx.AddAlarm(ctx, &a, 1)
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
		ids, err := tx.NoticeIDs(ctx, len(addresses))
		if err != nil {
			return err
		}
		now := measure.Instant(o.now.Load())
		notices := make([]roster.Notice, len(addresses))
		for i, address := range addresses {
			notices[i] = roster.Notice{ID: ids[i], AlarmID: o.alarm, Kind: kind, Carrier: roster.Mail, Address: address, Subject: kind, Text: "x", State: roster.Waiting, CreatedAt: now, DueAt: now}
		}
		return tx.AddNotices(ctx, notices)
	})
}

// worker starts a worker and gives what stops it.
func (o *outbox) worker(c notify.Carrier) (w *notify.Worker, stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	w = notify.NewWorker(o.Store, notify.Options{Carriers: map[string]notify.Carrier{roster.Mail: c}, Log: slog.New(slog.DiscardHandler), Now: func() measure.Instant { return measure.Instant(o.now.Load()) }})
	done := make(chan struct{})
	go func() { w.Run(ctx); close(done) }()
	stop = sync.OnceFunc(func() { cancel(); <-done })
	o.t.Cleanup(stop)
	return w, stop
}

func (o *outbox) states() (states []string) {
	o.t.Helper()
	all, err := o.Notices(context.Background(), store.NoticeQuery{Limit: 100})
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
		all, err := o.Notices(context.Background(), store.NoticeQuery{Limit: 1})
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
	all, _ := o.Notices(context.Background(), store.NoticeQuery{Limit: 1})
	var answers []string
	for _, d := range all[0].Deliveries {
		answers = append(answers, fmt.Sprint(d.OK, " ", d.Answer))
	}
	if want := []string{"false 421 busy", "false 450 later", "true taken"}; !slices.Equal(answers, want) || all[0].State != roster.Sent {
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
	c := &scripted{script: []notify.Result{{Answer: "550 no such mailbox", Final: true}, {Answer: "421 busy"}, {Answer: "421 busy"}}}
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
	if got, err := o.ClaimNotices(ctx, roster.Mail, start, time.Minute, 10); err != nil || len(got) != 1 {
		t.Fatal(got, err)
	}
	if got, err := o.ClaimNotices(ctx, roster.Mail, start+59_000, time.Minute, 10); err != nil || len(got) != 0 {
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

func TestMailOverSMTP(t *testing.T) {
	in, sink := servertest.Sink(t)
	m, err := notify.NewMail(sink)
	if err != nil {
		t.Fatal(err)
	}
	n := roster.Notice{ID: 3, AlarmID: 2, Address: "órla@hollowbrook.example", Subject: "Warning: 30 °C", Text: "It reads 31 °C.\nSecond line of … text.\n", CreatedAt: start}
	r := m.Send(context.Background(), n)
	got := in.Messages()
	if !r.OK || !strings.Contains(r.Answer, "queued") || len(got) != 1 || got[0].Subject != n.Subject || got[0].Text != n.Text || got[0].To != n.Address {
		t.Errorf("%+v %+v", r, got)
	}
}

// refuser is an SMTP server that says one thing to RCPT.
func refuser(t *testing.T, says string) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				fmt.Fprint(c, "220 here\r\n")
				for lines := bufio.NewScanner(c); lines.Scan(); {
					answer := "250 ok"
					if strings.HasPrefix(lines.Text(), "RCPT") {
						answer = says
					}
					fmt.Fprint(c, answer+"\r\n")
				}
			}()
		}
	}()
	return l.Addr().String()
}

func TestWhatAServersRefusalMeans(t *testing.T) {
	for says, final := range map[string]bool{"550 5.1.1 no such mailbox": true, "450 4.2.1 mailbox busy": false, "552 5.2.2 mailbox full": false} {
		m, err := notify.NewMail("smtp://" + refuser(t, says))
		if err != nil {
			t.Fatal(err)
		}
		r := m.Send(context.Background(), roster.Notice{Address: "a@b.example", Subject: "s", Text: "t"})
		if r.OK || r.Final != final || !strings.Contains(r.Answer, says[4:]) {
			t.Errorf("%s: %+v", says, r)
		}
	}
	closed, err := notify.NewMail("smtp://127.0.0.1:1")
	if err != nil {
		t.Fatal(err)
	}
	if r := closed.Send(context.Background(), roster.Notice{Address: "a@b.example"}); r.OK || r.Final {
		t.Errorf("a server that is not there: %+v", r)
	}
	for _, bad := range []string{"", "mail.example.org", "http://x", "smtp://", "smtp://h:x"} {
		if _, err := notify.NewMail(bad); err == nil {
			t.Errorf("%q was taken", bad)
		}
	}
}

// Each carrier has hands of its own: one that never answers holds up no other.
func TestADeadCarrierHoldsUpNoOther(t *testing.T) {
	o := newOutbox(t)
	dead, alive := &scripted{slow: time.Hour}, &scripted{}
	ctx, cancel := context.WithCancel(context.Background())
	w := notify.NewWorker(o.Store, notify.Options{Carriers: map[string]notify.Carrier{roster.Text: dead, roster.Mail: alive}, Log: slog.New(slog.DiscardHandler), Now: func() measure.Instant { return measure.Instant(o.now.Load()) }})
	done := make(chan struct{})
	go func() { w.Run(ctx); close(done) }()
	t.Cleanup(func() { cancel(); <-done })
	o.in(func(ctx context.Context, tx *store.Tx) error {
		var notices []roster.Notice
		ids, err := tx.NoticeIDs(ctx, 40)
		for i, id := range ids {
			carrier := []string{roster.Text, roster.Mail}[i%2]
			notices = append(notices, roster.Notice{ID: id, AlarmID: o.alarm, Kind: roster.Raise, Carrier: carrier, Address: fmt.Sprint("a", i), State: roster.Waiting, CreatedAt: start, DueAt: start})
		}
		return errors.Join(err, tx.AddNotices(ctx, notices))
	})
	w.Wake()
	storetest.Eventually(t, "all mail is sent", func() bool { return len(alive.got()) == 20 })
}

// The severest are sent first, whatever waits.
func TestTheSeverestGoFirst(t *testing.T) {
	o := newOutbox(t)
	o.in(func(ctx context.Context, tx *store.Tx) error {
		ids, err := tx.NoticeIDs(ctx, 300)
		var notices []roster.Notice
		for i, id := range ids {
			n := roster.Notice{ID: id, AlarmID: o.alarm, Kind: roster.Raise, Carrier: roster.Mail, Severity: alarm.Advisory, Address: fmt.Sprint("advisory", i), State: roster.Waiting, CreatedAt: start, DueAt: start}
			if i == 299 {
				n.Severity, n.Address = alarm.Critical, "critical"
			}
			notices = append(notices, n)
		}
		return errors.Join(err, tx.AddNotices(ctx, notices))
	})
	claimed, err := o.ClaimNotices(context.Background(), roster.Mail, start, time.Minute, 1)
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
	w := notify.NewWorker(o.Store, notify.Options{Carriers: map[string]notify.Carrier{roster.Mail: c}, Log: slog.New(slog.DiscardHandler), Now: func() measure.Instant { return measure.Instant(o.now.Load()) },
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

// A mail server with TLS and sign-in, by STARTTLS and from the start; without TLS no password goes to another machine.
func TestMailOverTLS(t *testing.T) {
	for _, scheme := range []string{"smtp", "smtps"} {
		in, address, ca := servertest.SecureSink(t, scheme == "smtps", "lark", "secret")
		m, err := notify.NewMail(scheme + "://lark:secret@" + address + "?from=lark@b.example&ca=" + ca)
		if err != nil {
			t.Fatal(err)
		}
		n := roster.Notice{ID: 3, AlarmID: 2, Kind: roster.Raise, Address: "orla@b.example", Subject: "Air is above 30 °C", Text: "Something.\n\nSite, watched by Jaunty Lark\n", CreatedAt: start, Route: roster.Route{Link: "https://lark.example.org/take/x"}}
		if r := m.Send(context.Background(), n); !r.OK {
			t.Fatalf("%s: %+v", scheme, r)
		}
		got := in.Messages()
		if len(got) != 1 || got[0].Text != n.Text || !strings.Contains(got[0].HTML, "I have it") || !strings.Contains(got[0].HTML, "above 30\u00a0°C</h1>") || !strings.Contains(got[0].HTML, n.Route.Link) || got[0].Thread != "<alarm-2@b.example>" {
			t.Errorf("%s: %+v", scheme, got)
		}
		wrong, _ := notify.NewMail(scheme + "://lark:wrong@" + address + "?ca=" + ca)
		if r := wrong.Send(context.Background(), n); r.OK || !strings.Contains(r.Answer, "535") {
			t.Errorf("%s with a wrong password: %+v", scheme, r)
		}
		strange, _ := notify.NewMail(scheme + "://lark:secret@" + address)
		if r := strange.Send(context.Background(), n); r.OK || !strings.Contains(r.Answer, "certificate") {
			t.Errorf("%s with a certificate that nobody knows: %+v", scheme, r)
		}
	}
}

// Each way in which a mail server can fail is told in its own words, and tried again unless it is final.
func TestAMailServerThatFails(t *testing.T) {
	for name, c := range map[string]struct {
		script map[string]string // what it answers to the verb; "" hangs up
		says   string
		final  bool
	}{
		"is too busy to greet":      {map[string]string{"greet": "421 4.3.2 later"}, "421", false},
		"hangs up at once":          {map[string]string{"greet": ""}, "", false},
		"does not let us send":      {map[string]string{"MAIL": "550 5.7.1 not you"}, "not you", true},
		"knows nobody":              {map[string]string{"RCPT": "550 5.1.1 nobody here"}, "nobody here", true},
		"takes no data":             {map[string]string{"DATA": "451 4.3.0 disk full"}, "disk full", false},
		"does not like the content": {map[string]string{".": "554 5.6.0 no"}, "554", true},
		"hangs up after the data":   {map[string]string{".": ""}, "", false},
		"speaks nonsense":           {map[string]string{"greet": "hello?"}, "", false},
	} {
		m, err := notify.NewMail("smtp://" + scriptedServer(t, c.script))
		if err != nil {
			t.Fatal(err)
		}
		r := m.Send(context.Background(), roster.Notice{ID: 1, Address: "a@b.example", Subject: "s", Text: "t"})
		if r.OK || r.Final != c.final || !strings.Contains(r.Answer, c.says) || r.Answer == "" {
			t.Errorf("a server that %s: %+v", name, r)
		}
	}
	if testing.Short() {
		return
	}
	in, address := servertest.Sink(t)
	if err := in.Fail("e-mail", "time-out"); err != nil {
		t.Fatal(err)
	}
	m, err := notify.NewMail(address)
	if err != nil {
		t.Fatal(err)
	}
	short, cancel := context.WithTimeout(context.Background(), 300*time.Millisecond)
	defer cancel()
	began := time.Now()
	if r := m.Send(short, roster.Notice{ID: 1, Address: "a@b.example", Subject: "s", Text: "t"}); r.OK || r.Final || time.Since(began) > 25*time.Second {
		t.Errorf("a server that never answers: %+v after %v", r, time.Since(began))
	}
}

// scriptedServer is an SMTP server that answers verbs as it is told, and hangs up where the answer is empty.
func scriptedServer(t *testing.T, script map[string]string) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	serve := func(c net.Conn) {
		defer c.Close()
		say := func(verb, usual string) bool {
			answer, told := script[verb]
			if !told {
				answer = usual
			}
			if answer != "" {
				fmt.Fprint(c, answer+"\r\n")
			}
			return answer != ""
		}
		if !say("greet", "220 here") {
			return
		}
		data := false
		for lines := bufio.NewScanner(c); lines.Scan(); {
			verb, _, _ := strings.Cut(lines.Text(), " ")
			switch {
			case data && lines.Text() != ".":
				continue
			case data:
				if data = false; !say(".", "250 queued") {
					return
				}
			case verb == "DATA":
				if data = !strings.HasPrefix(script["DATA"], "4"); !say("DATA", "354 go on") {
					return
				}
			default:
				verb, _, _ = strings.Cut(verb, ":")
				if !say(verb, "250 ok") {
					return
				}
			}
		}
	}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go serve(c)
		}
	}()
	return l.Addr().String()
}
