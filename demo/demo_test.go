package demo

import (
	"context"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/standin"
	"jauntylark/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// The stories come out of a replay of what the devices will send: the vent sticks within two minutes
// and is over in five, and the history is quiet.
func TestTheStuckVentIsToldSoonAndIsOverSoon(t *testing.T) {
	hot := &alarm.Guard{Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 30}, Deadband: 1,
		OnDelay: measure.Duration(10 * time.Second), OffDelay: measure.Duration(10 * time.Second)}}
	for hour := range 24 { // whenever the demo is started
		live := measure.InstantOf(time.Date(2026, 3, 1, hour, 17, 0, 0, time.UTC))
		air := devices(clock{live: live})[0].Signals[0]
		var readings []measure.Reading
		for at := live.Add(-24 * time.Hour); at < live.Add(6*time.Minute); at = at.Add(15 * time.Second) {
			readings = append(readings, measure.Reading{At: at, Value: air.Value(at)})
		}
		got := alarm.Replay(hot, readings, live.Add(6*time.Minute))
		if len(got) != 2 || got[0].At < live || got[0].At > live.Add(2*time.Minute) ||
			got[1].At > live.Add(5*time.Minute) {
			t.Errorf("started at %v: %+v", live, got)
		}
	}
}

func TestTheDemoIsTheSameOnEveryMachine(t *testing.T) {
	at := measure.InstantOf(time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC))
	want := map[string]float64{"fern-house/air": 21.7, "fern-house/humidity": 84, "pond/oxygen": 94.5}
	for _, d := range devices(clock{}) {
		for _, s := range d.Signals {
			if v, known := want[d.Name+"/"+s.Name]; known && s.Value(at) != v {
				t.Errorf("%s/%s reads %v, want %v", d.Name, s.Name, s.Value(at), v)
			}
		}
	}
}

// Setting up twice, even after a history that was cut off, gives one site.
func TestSetUpTwiceIsOnce(t *testing.T) {
	s := servertest.Start(t)
	ctx := context.Background()
	dir := t.TempDir()
	memory, err := Remember(dir)
	if err != nil {
		t.Fatal(err)
	}
	memory.HistorySince = measure.InstantOf(time.Now().Add(-48 * time.Hour).Truncate(time.Minute))
	demo := Site{Owner: s.Owner, Inside: s.Pipeline, Memory: memory, Say: t.Logf}
	counts := func() (signals, guards, readings int) {
		var all []site.Signal
		var some []alarm.Guard
		var line struct{ Of int }
		for at, into := range map[api.Place]any{api.ListSignals.At(): &all, api.ListGuards.At(): &some,
			api.GetLine.At("fern-house", "air").Asking("since", "2000-01-01T00:00:00Z"): &line} {
			if err := s.Owner.Call(ctx, at, nil, into); err != nil {
				t.Fatal(err)
			}
		}
		return len(all), len(some), line.Of
	}
	if err := demo.SetUp(ctx); err != nil {
		t.Fatal(err)
	}
	var here site.Site
	if err := s.Owner.Call(ctx, api.GetSite.At(), nil, &here); err != nil || here.Name != siteName ||
		here.KeepAlarms == 0 || here.KeepJournal == 0 {
		t.Errorf("the site is %+v (%v)", here, err)
	}
	signals, guards, readings := counts()
	if signals != 51 || guards != 17 || readings < 11_500 {
		t.Errorf("%d signals, %d guards, %d readings", signals, guards, readings)
	}
	if again, err := Remember(dir); err != nil || again.Password != memory.Password || !again.HistoryDone ||
		again.Keys["pond"] == "" {
		t.Errorf("remembers %+v %v", again, err)
	}
	if info, err := os.Stat(dir + "/demo.json"); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the memory's file: %v %v", info, err)
	}
	memory.HistoryDone = false // as if it had been cut off at the very end
	if err := demo.SetUp(ctx); err != nil {
		t.Fatal(err)
	}
	s2, g2, r2 := counts()
	if s2 != signals || g2 != guards || r2 > readings+8 {
		t.Errorf("after a second time: %d signals, %d guards, %d readings, before %d", s2, g2, r2, readings)
	}
}

// A demo that is started again reaches its stand-in where that listens now.
func TestTheStandInIsReachedAfterARestart(t *testing.T) {
	s := servertest.Start(t)
	ctx := context.Background()
	memory, err := Remember(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	reached := func() (to []string) {
		gateway, err := standin.StartGateway(nil)
		if err != nil {
			t.Fatal(err)
		}
		defer gateway.Close()
		demo := Site{Owner: s.Owner, Memory: memory, Gateway: gateway, Say: t.Logf}
		if err := demo.reach(ctx); err != nil {
			t.Fatal(err)
		}
		var known []roster.Contact
		var own roster.SiteReach
		for at, into := range map[api.Place]any{api.ListContacts.At(): &known, api.GetReach.At(): &own} {
			if err := s.Owner.Call(ctx, at, nil, into); err != nil {
				t.Fatal(err)
			}
		}
		for _, c := range known {
			for _, a := range c.Addresses {
				to = append(to, c.Name+" "+strings.Replace(a.To, gateway.URL, "now", 1))
			}
		}
		slices.Sort(to)
		return append(to, strings.Replace(own.Heartbeat.URL, gateway.URL, "now", 1))
	}
	first := reached()
	if again := reached(); !slices.Equal(first, again) || !slices.Contains(again, "orla now/push/orlas-phone") ||
		!slices.Contains(again, "boiler-firm now/hook?as=cap") || !slices.Contains(again, "now/heartbeat") {
		t.Errorf("at first %q, then %q", first, again)
	}
}
