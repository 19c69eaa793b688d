package pipeline_test

import (
	"context"
	"crypto/sha256"
	"errors"
	"log/slog"
	"net/http/httptest"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/clock"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/meter"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/due"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// start is when the tests' clock begins.
const start = measure.Instant(1_790_000_000_000)

// bench is a pipeline with a clock that stands still until it is moved.
type bench struct {
	*pipeline.Pipeline
	t     *testing.T
	store *store.Store
	now   *atomic.Int64
	key   [32]byte
	halt  func() // ends it, as a process that is killed between two commits

	watcher *memory.Memory // a process that looks on
	leapt   int64          // by which the clock had leapt when it began
}

// process starts a pipeline on the store, as a service process would.
func process(t *testing.T, s *store.Store, now *atomic.Int64) *bench {
	b := processBy(t, s, clock.Following(func() measure.Instant { return measure.Instant(now.Load()) }))
	b.now = now
	return b
}

// processBy starts a pipeline that goes by a clock, with connections of its own: those of a process are enough for one
// turn.
func processBy(t *testing.T, s *store.Store, k *clock.Clock) *bench {
	return processTelling(t, s, k, nil)
}

// processTelling does so, and has something else hear of orders.
func processTelling(t *testing.T, s *store.Store, k *clock.Clock, told func([]drive.Output)) *bench {
	s = storetest.Another(t, s)
	p := pipeline.New(s, pipeline.Options{Log: slog.New(slog.NewTextHandler(t.Output(),
		&slog.HandlerOptions{Level: slog.LevelWarn})), Clock: k, OnOrder: told, Meter: meter.New()})
	ctx, stop := context.WithCancel(context.Background())
	var running sync.WaitGroup
	running.Go(func() { p.Run(ctx) })
	running.Go(func() { due.Run(ctx, p) })
	halt := func() { stop(); running.Wait() }
	t.Cleanup(halt)
	b := &bench{Pipeline: p, t: t, store: s, key: sha256.Sum256([]byte("key of d")), halt: halt}
	t.Cleanup(b.remembersRight)
	return b
}

// fresh starts a pipeline on an empty database with the device d.
func fresh(t *testing.T) *bench {
	now := new(atomic.Int64)
	now.Store(int64(start))
	b := process(t, storetest.Store(t), now)
	b.remembersRight()
	if err := configure.AddDevice(context.Background(), b.Pipeline, deviceD(), configure.Secret{Hash: b.key},
		pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	return b
}

var looks = regexp.MustCompile(`(?m)^jaunty_sweep_lag_seconds_count (\d+)`)

// lookedTwice waits until a whole look at what falls due has begun and ended since the call: what is not done by then
// was not due.
func (b *bench) lookedTwice() {
	b.t.Helper()
	count := func() (n int) {
		page := httptest.NewRecorder()
		b.Meter.Handler().ServeHTTP(page, httptest.NewRequest("GET", "/", nil))
		if m := looks.FindStringSubmatch(page.Body.String()); m != nil {
			n, _ = strconv.Atoi(m[1])
		}
		return n
	}
	begun := count()
	storetest.Eventually(b.t, "two more looks at what falls due", func() bool { return count() >= begun+2 })
}

func (b *bench) at(seconds float64) measure.Instant { return start + measure.Instant(seconds*1000) }

func (b *bench) clock(seconds float64) { b.now.Store(int64(b.at(seconds))) }

// send sends a pack from d.
func (b *bench) send(samples ...measure.Sample) reading.Outcome {
	b.t.Helper()
	for i := range samples {
		samples[i].Index = i
	}
	out, err := b.Submit(context.Background(), &reading.Pack{Sender: credential.Sender{Key: b.key}, Arrived: b.Now(),
		Samples: samples})
	if err != nil {
		b.t.Fatal(err)
	}
	return out
}

func (b *bench) readings(name string) []measure.Reading {
	b.t.Helper()
	s, err := config.Signal(context.Background(), b.store, "d", name)
	if err != nil {
		b.t.Fatal(err)
	}
	all, _, err := timeseries.Readings(context.Background(), b.store, &s, 0, b.at(1e6), 100_000)
	if err != nil {
		b.t.Fatal(err)
	}
	return all
}

func (b *bench) guard(g alarm.Guard) alarm.Guard {
	b.t.Helper()
	if g.Severity == "" {
		g.Severity = alarm.Warning
	}
	if g.Tell == nil {
		g.Tell = []string{"orla@hollowbrook.example"}
	}
	if err := configure.SaveGuard(context.Background(), b.Pipeline, &g, "test"); err != nil {
		b.t.Fatal(err)
	}
	return g
}

func (b *bench) alarms() []alarm.Alarm {
	b.t.Helper()
	b.remembersRight()
	all, err := events.Alarms(context.Background(), b.store, events.AlarmQuery{Limit: 1000})
	if err != nil {
		b.t.Fatal(err)
	}
	slices.Reverse(all)
	return all
}

func reason(out reading.Outcome) string {
	words := []string{}
	for _, r := range out.Refused {
		words = append(words, r.Field+": "+r.Reason)
	}
	return strings.Join(words, "; ")
}

func TestDuplicatesAndConflicts(t *testing.T) {
	b := fresh(t)
	first := measure.Sample{Name: "temp", At: b.at(-10), Value: 21}
	second := measure.Sample{Name: "temp", At: b.at(-5), Value: 22}
	if out := b.send(first, second); out.Accepted != 2 || len(out.Refused) != 0 {
		t.Fatalf("first time: %+v", out)
	}
	if out := b.send(first, second); out.Accepted != 2 || len(out.Refused) != 0 {
		t.Errorf("the same again: %+v", out)
	}
	other := first
	other.Value = 20
	if out := b.send(other, measure.Sample{Name: "temp", At: b.at(-1), Value: 23}); out.Accepted != 1 ||
		!strings.Contains(reason(out), "conflict") {
		t.Errorf("another value there, and a good one: %+v", out)
	}
	twice := measure.Sample{Name: "temp", At: b.at(0), Value: 24}
	contrary := measure.Sample{Name: "temp", At: b.at(0), Value: 25}
	if out := b.send(twice, twice, contrary); out.Accepted != 2 || len(out.Refused) != 1 ||
		out.Refused[0].Index != 2 {
		t.Errorf("twice and contrary in one pack: %+v", out)
	}
	if got := b.readings("temp"); len(got) != 4 {
		t.Errorf("stored: %v", got)
	}
}

func TestLateReadingsAreStoredAndNotStepped(t *testing.T) {
	b := fresh(t)
	b.send(measure.Sample{Name: "temp", At: b.at(-100), Value: 20})
	b.guard(alarm.Guard{Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 30}}})
	b.send(measure.Sample{Name: "temp", At: b.at(10), Value: 20})
	if out := b.send(measure.Sample{Name: "temp", At: b.at(5), Value: 99}); out.Accepted != 1 {
		t.Fatalf("late: %+v", out)
	}
	got := b.readings("temp")
	if len(got) != 3 || got[1].Value != 99 || got[1].Quality != measure.Late || got[2].Quality != 0 {
		t.Errorf("stored: %v", got)
	}
	if got := b.alarms(); len(got) != 0 {
		t.Errorf("a late reading raised %+v", got)
	}
}

func TestClocks(t *testing.T) {
	b := fresh(t)
	out := b.send(measure.Sample{Name: "temp", At: b.at(600), Value: 2}, measure.Sample{Name: "temp", At: b.at(540),
		Value: 1}, measure.Sample{Name: "temp", At: b.at(25 * 3600), Value: 3})
	if out.Accepted != 2 || !strings.Contains(reason(out), "more than a day ahead") || out.Refused[0].Index != 2 {
		t.Fatalf("%+v", out)
	}
	want := []measure.Reading{{At: b.at(-60), Value: 1, Quality: measure.Clock},
		{At: b.at(0), Value: 2, Quality: measure.Clock}}
	if got := b.readings("temp"); !slices.Equal(got, want) {
		t.Errorf("shifted as a whole: %v, want %v", got, want)
	}
	b.send(measure.Sample{Name: "near", At: b.at(110), Value: 1}, measure.Sample{Name: "untimed", Value: 5})
	if got := b.readings("near"); got[0].At != b.at(110) || got[0].Quality != 0 {
		t.Errorf("less than two minutes ahead: %v", got)
	}
	if got := b.readings("untimed"); got[0].At != b.at(0) {
		t.Errorf("without a time: %v", got)
	}
}

// What comes without a time is in order, in one millisecond and after the clock was set back.
func TestReadingsWithoutATimeAreInOrder(t *testing.T) {
	b := fresh(t)
	b.send(measure.Sample{Name: "temp", Value: 1}, measure.Sample{Name: "temp", Value: 2})
	b.send(measure.Sample{Name: "temp", Value: 3})
	b.clock(-60)
	b.send(measure.Sample{Name: "temp", Value: 4})
	want := []measure.Reading{{At: start, Value: 1}, {At: start + 1, Value: 2}, {At: start + 2, Value: 3},
		{At: start + 3, Value: 4}}
	if got := b.readings("temp"); !slices.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
	b.clock(-600)
	b.send(measure.Sample{Name: "temp", Value: 5})
	if got := b.readings("temp"); got[0] != (measure.Reading{At: b.at(-600), Value: 5, Quality: measure.Late}) {
		t.Errorf("ten minutes back: %v", got)
	}
}

func TestUnitsAndKinds(t *testing.T) {
	b := fresh(t)
	b.send(measure.Sample{Name: "temp", At: b.at(1), Value: 20}, measure.Sample{Name: "door", At: b.at(1), Value: 1,
		Form: measure.FormBool})
	out := b.send(
		measure.Sample{Name: "temp", At: b.at(2), Value: 21, Unit: "Cel"},
		measure.Sample{Name: "temp", At: b.at(3), Value: 212, Unit: "[degF]"},
		measure.Sample{Name: "temp", At: b.at(4), Value: 1, Unit: "Pa"},
		measure.Sample{Name: "temp", At: b.at(5), Value: 1, Unit: "Celsius"},
		measure.Sample{Name: "temp", At: b.at(6), Value: 1, Form: measure.FormBool},
		measure.Sample{Name: "door", At: b.at(7), Value: 2},
		measure.Sample{Name: "door", At: b.at(8), Value: 0},
		measure.Sample{Name: "Bad Name", At: b.at(9), Value: 0},
		measure.Sample{Name: "e/temp", At: b.at(10), Value: 0},
	)
	for i, says := range map[int]string{2: "cannot be given in", 3: "did you mean Cel?", 4: "holds numbers",
		5: "on or off", 7: `perhaps "bad-name"`, 8: "may send for itself"} {
		found := slices.IndexFunc(out.Refused, func(r measure.Refusal) bool { return r.Index == i })
		if found < 0 || !strings.Contains(out.Refused[found].Reason, says) {
			t.Errorf("record %d: want %q in %+v", i, says, out.Refused)
		}
	}
	if out.Accepted != 3 {
		t.Errorf("accepted %d", out.Accepted)
	}
	if got := b.readings("temp"); len(got) != 3 || got[2].Value < 99.999 || got[2].Value > 100.001 {
		t.Errorf("212 °F in °C: %v", got)
	}
	if s, _ := config.Signal(context.Background(), b.store, "d", "temp"); s.Unit != "Cel" || s.Kind != site.KindNumber {
		t.Errorf("the first unit was not kept: %+v", s)
	}
}

func TestIdempotencyKeys(t *testing.T) {
	b := fresh(t)
	post := func(key string, value float64) reading.Outcome {
		out, err := b.Submit(context.Background(), &reading.Pack{Sender: credential.Sender{Key: b.key},
			Arrived: b.Now(), IdempotencyKey: key, Samples: []measure.Sample{{Name: "temp", Value: value}}})
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	post("a", 1)
	b.clock(1)
	if out := post("a", 1); out.Accepted != 1 {
		t.Errorf("the same key again: %+v", out)
	}
	if got := b.readings("temp"); len(got) != 1 {
		t.Errorf("stored %d readings for one key", len(got))
	}
	b.clock(24*3600 + 2)
	if post("a", 1); len(b.readings("temp")) != 2 {
		t.Errorf("a day later the key still holds: %v", b.readings("temp"))
	}
}

func TestAnUnknownKeyAndAPerson(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	_, err := b.Submit(ctx, &reading.Pack{Sender: credential.Sender{Key: sha256.Sum256([]byte("x"))}, Arrived: start,
		Samples: []measure.Sample{{Name: "temp", Value: 1}}})
	if !errors.Is(err, credential.ErrKeyUnknown) {
		t.Errorf("unknown key: %v", err)
	}
	out, err := b.Submit(ctx, &reading.Pack{Sender: credential.Sender{Person: "Orla"}, Arrived: start,
		Samples: []measure.Sample{{Name: "d/temp", Value: 1}, {Index: 1, Name: "dd/temp", Value: 1},
			{Index: 2, Name: "temp", Value: 1}}})
	if err != nil || out.Accepted != 1 || !strings.Contains(reason(out), "did you mean d?") ||
		!strings.Contains(reason(out), "not DEVICE/SIGNAL") {
		t.Errorf("a person: %+v %v", out, err)
	}
}

// A delay ends without a reading: the sweeper raises a second later, at the due instant, and what
// comes with an older time afterwards is late.
func TestSweep(t *testing.T) {
	b := fresh(t)
	b.send(measure.Sample{Name: "temp", At: b.at(-1), Value: 20})
	b.guard(alarm.Guard{Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 30},
		OnDelay: measure.Duration(10 * time.Second)}})
	b.send(measure.Sample{Name: "temp", At: b.at(1), Value: 31})
	b.clock(11.9)
	b.lookedTwice()
	if got := b.alarms(); len(got) != 0 {
		t.Fatalf("raised before a second had passed: %+v", got)
	}
	b.clock(12.1)
	storetest.Eventually(t, "the sweeper raises", func() bool { return len(b.alarms()) == 1 })
	a := b.alarms()[0]
	if a.RaisedAt != b.at(11) || a.LearnedAt != b.at(12.1) || a.Value != 31 || a.State != alarm.StateRaised {
		t.Errorf("%+v", a)
	}
	b.send(measure.Sample{Name: "temp", At: b.at(10.5), Value: 0})
	if got := b.readings("temp"); got[2].Quality != measure.Late {
		t.Errorf("a reading from before the swept instant: %v", got)
	}
}

func TestADatabaseThatIsAway(t *testing.T) {
	now := new(atomic.Int64)
	now.Store(int64(start))
	address := storetest.URL(t)
	gate := storetest.NewGate(t, address)
	b := process(t, storetest.At(t, gate.URL), now)
	ctx := context.Background()
	if err := configure.AddDevice(ctx, b.Pipeline, deviceD(), configure.Secret{Hash: b.key},
		pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	b.send(measure.Sample{Name: "temp", At: b.at(1), Value: 1})
	gate.Shut()
	pack := reading.Pack{Sender: credential.Sender{Key: b.key}, Arrived: start,
		Samples: []measure.Sample{{Name: "temp", At: b.at(2), Value: 2}}}
	if _, err := b.Submit(ctx, &pack); !errors.Is(err, commit.ErrAway) {
		t.Errorf("away: %v", err)
	}
	gate.Open()
	storetest.Eventually(t, "it comes back by itself",
		func() bool { _, err := b.Submit(ctx, &pack); return err == nil })
	if got := b.readings("temp"); len(got) != 2 {
		t.Errorf("stored: %v", got)
	}
}

// deviceD is the device that the tests send as.
func deviceD() *site.Device { return &site.Device{Name: "d"} }
