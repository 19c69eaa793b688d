package notify_test

import (
	"context"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/notify"
	"jauntylark/store"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

// system is another system that notices go to, which may be away, or refuse some.
type system struct {
	mu      sync.Mutex
	away    bool
	refuses int64
	tried   []int64
	took    []int64
}

func (s *system) Send(_ context.Context, n roster.Notice) notify.Result {
	s.mu.Lock()
	defer s.mu.Unlock()
	if n.Kind == roster.Test { // goes to another system, which works all the time
		return notify.Result{OK: true}
	}
	s.tried = append(s.tried, n.ID)
	if s.away || n.ID == s.refuses {
		return notify.Result{Answer: "500 not now"}
	}
	s.took = append(s.took, n.ID)
	return notify.Result{OK: true}
}

func (s *system) set(away bool, refuses int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.away, s.refuses = away, refuses
}

func (s *system) has() (tried, took []int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return slices.Clone(s.tried), slices.Clone(s.took)
}

// planFor puts a notice of a kind about an alarm to another system into the outbox, and gives its number.
func (o *outbox) planFor(kind string, alarmID int64, severity alarm.Severity,
	then ...func(context.Context, *store.Tx) error) (id int64) {
	o.in(func(ctx context.Context, tx *store.Tx) error {
		ids, err := events.NoticeIDs(ctx, tx, 1)
		if err != nil {
			return err
		}
		id = ids[0]
		now := measure.Instant(o.now.Load())
		address := "https://x.example/hook"
		if kind == roster.Test {
			address = "https://y.example/hook"
		}
		err = events.AddNotices(ctx, tx, []roster.Notice{{ID: id, AlarmID: alarmID, Kind: kind, Severity: severity,
			Carrier: roster.Webhook, Address: address, State: roster.Waiting, CreatedAt: now, DueAt: now,
			Route: roster.Route{AddressID: "abc", Step: 1}}})
		for _, do := range then {
			if err == nil {
				err = do(ctx, tx)
			}
		}
		return err
	})
	return id
}

func (o *outbox) raise() (id int64) {
	o.in(func(ctx context.Context, tx *store.Tx) error {
		a := alarm.Alarm{Kind: alarm.ByGuard, Guard: "g", Signal: "d/s", Severity: alarm.Warning,
			RaisedAt: measure.Instant(o.now.Load()), Sentence: "Too <hot> & dry"}
		err := events.AddAlarm(ctx, tx, &a, 1)
		id = a.ID
		return err
	})
	return id
}

// quiet waits until all that is due has been tried.
func (o *outbox) quiet() {
	o.t.Helper()
	storetest.Eventually(o.t, "all that is due is tried", func() bool {
		var due int
		err := o.Get(context.Background(), &due, `select count(*) from notice where state = 'waiting'
			and (due_at <= $1 or claimed_until > $1)`, o.now.Load())
		return err == nil && due == 0
	})
}

func (o *outbox) hookWorker(c notify.Carrier) *notify.Worker {
	ctx, cancel := context.WithCancel(context.Background())
	w := notify.NewWorker(o.Store, notify.Options{Carriers: map[string]notify.Carrier{roster.Webhook: c},
		Log: slog.New(slog.DiscardHandler), Now: func() measure.Instant { return measure.Instant(o.now.Load()) }})
	done := make(chan struct{})
	go func() { w.Run(ctx); close(done) }()
	o.t.Cleanup(func() { cancel(); <-done })
	return w
}

// A system that is healthy again gets what waited for it at once, in order, and then what is new, however long the next
// attempt at each was still off.
func TestASystemThatIsBackGetsItsBacklogInOrder(t *testing.T) {
	o, hook := newOutbox(t), &system{away: true}
	w := o.hookWorker(hook)
	var want []int64
	for i := range 6 {
		severity := []alarm.Severity{alarm.Advisory, alarm.Critical}[i%2]
		want = append(want, o.planFor(roster.Raise, o.raise(), severity))
		w.Wake()
		storetest.Eventually(t, "it is tried", func() bool {
			tried, _ := hook.has()
			return slices.Contains(tried, want[i]) || i > 0 && len(tried) > i
		})
		o.now.Add(40_000)
	}
	for range 3 { // what has failed often waits for minutes
		o.now.Add(61_000)
		w.Wake()
		o.quiet()
	}
	o.now.Add(500)
	works := o.planFor(roster.Test, 0, "") // so the carrier as such does not fail
	w.Wake()
	storetest.Eventually(t, "another system is told", func() bool {
		n, err := events.Notice(context.Background(), o.Store, works)
		return err == nil && n.State == roster.Sent
	})
	o.quiet()
	o.now.Add(500)
	hook.set(false, 0)
	want = append(want, o.planFor(roster.Raise, o.raise(), alarm.Critical))
	w.Wake()
	storetest.Eventually(t, "all arrive", func() bool { _, took := hook.has(); return len(took) == len(want) })
	if _, took := hook.has(); !slices.Equal(took, want) {
		t.Errorf("they came as %v, want %v", took, want)
	}
}

// What a system will not take holds up nothing else.
func TestWhatASystemRefusesHoldsUpNothingElse(t *testing.T) {
	o, hook := newOutbox(t), &system{}
	w := o.hookWorker(hook)
	bad := o.planFor(roster.Raise, o.raise(), alarm.Warning)
	hook.set(false, bad)
	var want []int64
	for range 5 {
		want = append(want, o.planFor(roster.Raise, o.raise(), alarm.Warning))
		o.now.Add(1000)
	}
	w.Wake()
	storetest.Eventually(t, "the others arrive", func() bool { _, took := hook.has(); return len(took) == len(want) })
	tried, took := hook.has()
	slices.Sort(took)
	if !slices.Equal(took, want) {
		t.Errorf("%v arrived of %v", took, want)
	}
	if n := len(slices.DeleteFunc(tried, func(id int64) bool { return id != bad })); n > 3 {
		t.Errorf("what is refused was tried %d times meanwhile", n)
	}
}

// A system that was away is not told as new what is over.
func TestWhatIsOverIsNotToldAsNew(t *testing.T) {
	o, hook := newOutbox(t), &system{away: true}
	w := o.hookWorker(hook)
	a := o.raise()
	raise := o.planFor(roster.Raise, a, alarm.Warning)
	storetest.Eventually(t, "it is tried", func() bool { tried, _ := hook.has(); return slices.Contains(tried, raise) })
	storetest.Eventually(t, "it is written down", func() bool {
		n, err := events.Notice(context.Background(), o.Store, raise)
		return err == nil && n.Attempts == 1 && n.DueAt > measure.Instant(o.now.Load())
	})
	over := o.planFor(roster.Return, a, alarm.Warning, func(ctx context.Context, tx *store.Tx) error {
		return events.DropUntold(ctx, tx, a, measure.Instant(o.now.Load()))
	})
	hook.set(false, 0)
	w.Wake()
	storetest.Eventually(t, "that it is over arrives", func() bool { _, took := hook.has(); return len(took) > 0 })
	storetest.Eventually(t, "that is written down", func() bool { // an hour later its claim would have run out
		n, err := events.Notice(context.Background(), o.Store, over)
		return err == nil && n.State == roster.Sent
	})
	o.now.Add(3_600_000)
	next := o.planFor(roster.Raise, o.raise(), alarm.Warning)
	w.Wake()
	storetest.Eventually(t, "the next arrives", func() bool { _, took := hook.has(); return slices.Contains(took, next) })
	if _, took := hook.has(); !slices.Equal(took, []int64{over, next}) {
		t.Errorf("told: %v, want %v", took, []int64{over, next})
	}
}

// What waits for its turn after something that failed holds up nothing about other alarms.
func TestWhatWaitsForItsTurnHoldsUpNothingElse(t *testing.T) {
	o, hook := newOutbox(t), &system{}
	w := o.hookWorker(hook)
	o.planFor(roster.Raise, o.raise(), alarm.Warning)
	a := o.raise()
	bad := o.planFor(roster.Raise, a, alarm.Warning)
	hook.set(false, bad)
	w.Wake()
	o.quiet()
	o.planFor(roster.Worsen, a, alarm.Warning)
	next := o.planFor(roster.Raise, o.raise(), alarm.Warning)
	w.Wake()
	storetest.Eventually(t, "the next arrives", func() bool { _, took := hook.has(); return slices.Contains(took, next) })
}

// capAlert is an alert as an XML parser reads it.
type capAlert struct {
	XMLName    xml.Name `xml:"urn:oasis:names:tc:emergency:cap:1.2 alert"`
	Identifier string   `xml:"identifier"`
	Sender     string   `xml:"sender"`
	Sent       string   `xml:"sent"`
	MsgType    string   `xml:"msgType"`
	References string   `xml:"references"`
	Incidents  string   `xml:"incidents"`
	Info       struct {
		Event      string `xml:"event"`
		Response   string `xml:"responseType"`
		Urgency    string `xml:"urgency"`
		Parameters []struct {
			Name  string `xml:"valueName"`
			Value string `xml:"value"`
		} `xml:"parameter"`
	} `xml:"info"`
}

func (a *capAlert) parameter(name string) string {
	for _, p := range a.Info.Parameters {
		if p.Name == name {
			return p.Value
		}
	}
	return ""
}

// Over an alarm's life each message says what it is: the raise, that it is one again, its end, which names all before.
func TestTheLifeOfAnAlarmToOtherSystems(t *testing.T) {
	for _, format := range []string{"json", "cap"} {
		t.Run(format, func(t *testing.T) { tellLife(t, format) })
	}
}

func tellLife(t *testing.T, format string) {
	o := newOutbox(t)
	var bodies []string
	var mu sync.Mutex
	there := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		mu.Lock()
		defer mu.Unlock()
		bodies = append(bodies, string(body))
	}))
	t.Cleanup(there.Close)
	known := facts(start)
	known.Before = func(ctx context.Context, n roster.Notice) ([]roster.Notice, error) {
		return events.SentBefore(ctx, o.Store, n)
	}
	known.Alarm = func(ctx context.Context, id int64) (alarm.Alarm, error) { return events.Alarm(ctx, o.Store, id) }
	a := o.raise()
	hook := &formatted{&notify.Webhook{Client: notify.NewOutside(true), Facts: known}, there.URL, format}
	w := o.hookWorker(hook)
	var ids []int64
	for i, kind := range []string{roster.Raise, roster.Raise, roster.Worsen, roster.Raise, roster.Return} {
		if kind == roster.Return {
			o.in(func(ctx context.Context, tx *store.Tx) error {
				now := measure.Instant(o.now.Load())
				return events.SaveAlarm(ctx, tx, &alarm.Alarm{ID: a, ClearedAt: &now, Severity: alarm.Warning,
					Sentence: "Too <hot> & dry"}, 1)
			})
		}
		ids = append(ids, o.planFor(kind, a, alarm.Warning))
		w.Wake()
		storetest.Eventually(t, "it arrives", func() bool {
			mu.Lock()
			defer mu.Unlock()
			return len(bodies) == i+1
		})
		storetest.Eventually(t, "it is written down", func() bool {
			n, err := events.Notice(context.Background(), o.Store, ids[i])
			return err == nil && n.State == roster.Sent
		})
		o.now.Add(60_000)
	}
	if format == "cap" {
		checkCAP(t, bodies, ids, a)
		return
	}
	for i, want := range []string{"raise 0", "repeat 1", "worsen 0", "repeat 2", "return 0"} {
		var p notify.Posted
		if err := json.Unmarshal([]byte(bodies[i]), &p); err != nil {
			t.Fatal(err)
		}
		if fmt.Sprint(p.Event, " ", p.Repeat) != want || p.Conversation != fmt.Sprintf("alarm-%d", a) || p.Step != 1 {
			t.Errorf("message %d: %s, want %s", i, bodies[i], want)
		}
	}
}

// formatted sends what goes to another system to one that runs here, in a format.
type formatted struct {
	to      *notify.Webhook
	address string
	format  string
}

func (f *formatted) Send(ctx context.Context, n roster.Notice) notify.Result {
	real := n
	real.Route.Format = f.format
	posted := *f.to
	posted.Client = &http.Client{Transport: sentTo(f.address)}
	return posted.Send(ctx, real)
}

// sentTo sends each request to one address.
type sentTo string

func (s sentTo) RoundTrip(r *http.Request) (*http.Response, error) {
	r.URL.Scheme, r.URL.Host, _ = strings.Cut(string(s), "://")
	return http.DefaultTransport.RoundTrip(r)
}

func checkCAP(t *testing.T, bodies []string, ids []int64, about int64) {
	t.Helper()
	var before []string
	for i, want := range []string{"Alert raise  Immediate", "Update repeat  Immediate", "Update worsen  Immediate",
		"Update repeat  Immediate", "Cancel return AllClear Past"} {
		var a capAlert
		if err := xml.Unmarshal([]byte(bodies[i]), &a); err != nil {
			t.Fatalf("%s: %v", bodies[i], err)
		}
		is := strings.Join([]string{a.MsgType, a.parameter("event"), a.Info.Response, a.Info.Urgency}, " ")
		if is != want || a.References != strings.Join(before, " ") || a.Incidents != fmt.Sprintf("alarm-%d", about) ||
			a.Info.Event != "Too <hot> & dry" || a.Identifier != fmt.Sprintf("notice-%d", ids[i]) ||
			a.parameter("step") != "1" {
			t.Errorf("message %d: %s, want %s with references to %v", i, bodies[i], want, before)
		}
		before = append(before, strings.Join([]string{a.Sender, a.Identifier, a.Sent}, ","))
	}
}
