package pipeline_test

import (
	"context"
	"math/rand/v2"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/roster"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

func TestLateReadingsAreLearnedFrom(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	b.stream("temp", -100, 20)
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning),
		Rungs: alarm.Rungs{above(40, 1, alarm.Critical)}})
	b.guard(alarm.Guard{Name: "younger", Signal: "d/temp", Rung: above(35, 1, alarm.Warning)})
	b.stream("temp", 1, 20)
	b.stream("temp", 500, 31, 20) // known
	b.moveTo(600)
	b.stream("temp", 600, 20)
	// two alarms that nobody knows, and one that meets a known one
	b.stream("temp", 100, 33, 45, 20)
	b.stream("temp", 200, 32, 20)
	b.stream("temp", 499, 32)
	b.moveTo(620)
	storetest.Eventually(t, "what was learned late", func() bool { return len(b.alarms()) == 4 })
	var learned []string
	for _, a := range b.alarms() {
		if a.LearnedLate {
			learned = append(learned, a.Guard+" "+a.Level+" "+string(a.Severity)+" "+a.RaisedAt.Sub(start).String()+" "+
				a.State)
		}
	}
	want := "hot high-high critical 1m40s over, hot high warning 3m20s over, younger high warning 1m41s over"
	for _, w := range strings.Split(want, ", ") {
		if !strings.Contains(strings.Join(learned, ", "), w) {
			t.Errorf("learned %q, want %q", learned, want)
		}
	}
	if len(learned) != 3 {
		t.Errorf("learned %d: %v", len(learned), learned)
	}
	if got := b.told(0); got != "raise return summary" {
		t.Errorf("told %q", got)
	}
	b.stream("temp", 101.5, 44) // into what is known by now
	b.moveTo(650)
	storetest.Eventually(t, "the second look", func() bool {
		left, err := events.LateStretches(context.Background(), b.store, b.at(1e6))
		return err == nil && len(left) == 0
	})
	if n := len(b.alarms()); n != 4 {
		t.Errorf("%d alarms after the second look", n)
	}
	notices, _ := events.Notices(context.Background(), b.store, events.NoticeQuery{Limit: 10})
	if !strings.Contains(notices[0].Text, "hot") && !strings.Contains(notices[0].Text, "above 40") ||
		notices[0].Kind != roster.Summary {
		t.Errorf("the summary: %+v", notices[0])
	}
}

// Over all that happened to a guard, in the order in which it happened, a replay gives exactly the alarms that were
// raised: whatever came late, was acted on, changed or was silent meanwhile, and by whichever process.
func TestAReplayWithEventsIsWhatHappened(t *testing.T) {
	storetest.Long(t)
	rounds := 5
	if testing.Short() {
		rounds = 3
	}
	found := 0
	for seed := range rounds {
		t.Run(strconv.Itoa(seed), func(t *testing.T) { found += replayWithEvents(t, seed) })
	}
	if found < 10*rounds {
		t.Errorf("only %d alarms in %d rounds", found, rounds)
	}
}

func replayWithEvents(t *testing.T, seed int) (found int) {
	ctx := context.Background()
	r := rand.New(rand.NewPCG(uint64(seed), 21))
	now := new(atomic.Int64)
	now.Store(int64(start))
	records := storetest.Store(t)
	processes := []*bench{process(t, records, now), process(t, records, now)}
	first := processes[0]
	if err := configure.AddDevice(ctx, first.Pipeline, deviceD(), configure.Secret{Hash: first.key},
		pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	first.expect("d", 4*time.Second)
	first.send(measure.Sample{Name: "temp", At: start, Value: 0})
	first.send(measure.Sample{Name: "here", At: start, Value: 0, Form: measure.FormBool})
	version := func() alarm.Guard {
		delay := func() measure.Duration { return measure.Duration(r.IntN(3)) * measure.Duration(time.Second) }
		g := alarm.Guard{Name: "g", Signal: "d/temp", Latch: r.IntN(3) == 0,
			Rung: above(4+float64(r.IntN(3)), 1, alarm.Warning), Rungs: alarm.Rungs{above(8, 1, alarm.Critical),
				below(1, 0, alarm.Advisory)}}
		for i := range g.Count() {
			g.At(i).OnDelay, g.At(i).OffDelay = delay(), delay()
		}
		if r.IntN(2) == 0 {
			g.Suppressed = "d/here is on"
		}
		if r.IntN(3) == 0 {
			edge := start.Time().UTC().Truncate(time.Minute)
			g.Armed = "daily " + edge.Format("15:04") + "-" + edge.Add(2*time.Minute).Format("15:04")
		}
		return g
	}
	g := version()
	g = first.guard(g)
	at := start
	for range 150 {
		b := processes[r.IntN(2)]
		at += measure.Instant(200 + r.IntN(2500))
		now.Store(int64(at))
		switch r.IntN(12) {
		case 0:
			next := version()
			next.ID, next.Tell = g.ID, []string{}
			if err := configure.SaveGuard(ctx, b.Pipeline, &next, "test"); err != nil {
				t.Fatal(err)
			}
		case 1:
			why := "a test"
			if _, err := respond.PutOutOfService(ctx, b.Pipeline, "g", &why, "test"); err == nil && r.IntN(2) == 0 {
				_, _ = respond.PutOutOfService(ctx, b.Pipeline, "g", nil, "test")
			}
		case 2:
			_, _ = respond.PutOutOfService(ctx, b.Pipeline, "g", nil, "test")
		case 3:
			for _, a := range b.alarms() {
				_, _ = respond.ResetAlarm(ctx, b.Pipeline, a.ID, "test")
				_, _ = respond.Acknowledge(ctx, b.Pipeline, a.ID, "", "test")
			}
		case 4:
			b.send(measure.Sample{Name: "here", At: at, Value: float64(r.IntN(2)), Form: measure.FormBool})
		case 5:
			at += 15_000 // silent; a sweeper may see it
			now.Store(int64(at))
			time.Sleep(time.Duration(r.IntN(2)) * 450 * time.Millisecond)
		case 6:
			b.send(measure.Sample{Name: "temp", At: at - measure.Instant(r.IntN(8000)), Value: float64(r.IntN(10)) +
				0.25})
		default:
			b.send(measure.Sample{Name: "temp", At: at, Value: float64(r.IntN(10))})
		}
	}
	now.Store(int64(at + 60_000))
	var raised []alarm.Alarm
	for _, a := range first.alarms() {
		if a.Kind == alarm.ByGuard && !a.LearnedLate {
			raised = append(raised, a)
		}
	}
	replayed, err := evidence.Replay(ctx, first.Pipeline, evidence.ReplayOrder{Guard: guardOf(t, records), Until: at,
		WithEvents: true}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if len(replayed.Alarms) < len(raised) {
		t.Errorf("seed %d: %d replayed, %d raised", seed, len(replayed.Alarms), len(raised))
	}
	for i, a := range raised {
		if i >= len(replayed.Alarms) {
			break
		}
		o := replayed.Alarms[i]
		if o.RaisedAt != a.RaisedAt || o.Side != a.Side || o.Value != a.Value || a.ClearedAt != nil &&
			(o.ClearedAt == nil || *o.ClearedAt != *a.ClearedAt || o.Extreme != a.Extreme || o.Severity != a.Worst) {
			t.Fatalf("seed %d: alarm %d was %+v\nreplayed %+v", seed, i, a, o)
		}
	}
	return len(raised)
}

func guardOf(t *testing.T, s *store.Store) alarm.Guard {
	guards, err := config.Guards(context.Background(), s)
	if err != nil {
		t.Fatal(err)
	}
	return guards[0]
}

func both() *quality.Side { side := quality.Both; return &side }
