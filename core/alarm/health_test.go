package alarm

import (
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
)

func told(guard string, severity Severity, from, until time.Duration) Told {
	a := Told{Guard: guard, Signal: "d/" + guard, Kind: ByGuard, Severity: severity,
		RaisedAt: measure.Instant(from / time.Millisecond)}
	if until > 0 {
		cleared := measure.Instant(until / time.Millisecond)
		a.ClearedAt = &cleared
	}
	return a
}

func figure(h Health, name string) HealthFigure {
	i := slices.IndexFunc(h.Figures, func(f HealthFigure) bool { return f.Name == name })
	if i < 0 {
		return HealthFigure{}
	}
	return h.Figures[i]
}

func TestHealthIsJudged(t *testing.T) {
	var all []Told
	all = append(all, told("stale", Warning, time.Minute, 0))
	for i := range 12 { // a flood
		at := 100*time.Hour + time.Duration(i)*30*time.Second
		all = append(all, told("flood-"+string(rune('a'+i)), Advisory, at, at+time.Second))
	}
	for i := range 5 { // it chatters
		at := 120*time.Hour + time.Duration(i)*time.Minute
		all = append(all, told("nervous", Critical, at, at+10*time.Second))
	}
	h := Judge(all, []Recipient{{Address: "orla@hollowbrook.example", Alarms: 21}}, 0,
		measure.Instant(7*24*time.Hour/time.Millisecond))
	if h.Alarms != 18 || len(h.Floods) != 1 || h.Floods[0].Alarms != 12 || len(h.Standing) != 1 ||
		h.Standing[0].Guard != "stale" || h.People[0].PerDay != 3 {
		t.Errorf("%+v", h)
	}
	if o := h.Offenders[0]; o.Guard != "nervous" || o.Alarms != 5 || o.Chattering != 4 || !o.Chatters() ||
		len(h.Offenders) != 10 {
		t.Errorf("offenders: %+v", h.Offenders)
	}
	for name, want := range map[string]struct {
		value float64
		good  bool
	}{"most alarms in 10 minutes": {12, false}, "chattering": {1, false}, "standing for more than 24 hours": {1, true},
		"alarms a day for the person who is told most": {3, true}} {
		if f := figure(h, name); f.Value != want.value || f.Good != want.good || f.Source == "" {
			t.Errorf("%s: %+v", name, f)
		}
	}
	if f := figure(h, "critical of all alarms"); f.Good || f.Value < 27 || f.Value > 28 {
		t.Errorf("critical: %+v", f)
	}
	if h := Judge(nil, nil, 0, 1000); h.Alarms != 0 || len(h.Floods)+len(h.Offenders)+len(h.Standing) != 0 {
		t.Errorf("of nothing: %+v", h)
	}
}

// Floods that touch are one, and each alarm of it counts once.
func TestFloodsAreCountedOnce(t *testing.T) {
	var all []Told
	for i := range 100 {
		all = append(all, told("x", Advisory, time.Duration(i)*20*time.Second, 0))
	}
	for i := range 11 {
		all = append(all, told("y", Advisory, 5*time.Hour+time.Duration(i)*time.Second, 0))
	}
	got := floods(all)
	if len(got) != 2 || got[0].Alarms != 100 || got[1].Alarms != 11 {
		t.Errorf("%+v", got)
	}
}

func TestTheRecordOfAGuard(t *testing.T) {
	var alarms []Alarm
	for i, mark := range []string{MarkReal, MarkFalse, MarkUseful, "", MarkReal} {
		at := measure.Instant(i) * 3_600_000
		cleared, acked := at+60_000, at+measure.Instant(i+1)*1000
		alarms = append(alarms, Alarm{Guard: "g", Worst: Warning, RaisedAt: at, ClearedAt: &cleared,
			AcknowledgedAt: &acked, Mark: mark})
	}
	r := Recall(alarms, 2, 0, measure.Instant(7*24*3_600_000))
	if r.Alarms != 5 || r.PerWeek != 5 || r.Real != 2 || r.False != 1 || r.Useful != 1 || r.Missed != 2 ||
		*r.Precision != 75 || r.MedianAck != measure.Duration(3*time.Second) || r.Chatters {
		t.Errorf("%+v", r)
	}
	if want := "5 alarms, 5.0 a week; of 4 marked, 2 were real, 1 useful, 1 false; 2 missed; somebody has it after " +
		"3s as a rule"; r.Words != want {
		t.Errorf("%q, want %q", r.Words, want)
	}
	if r := Recall(nil, 0, 0, 1000); r.Precision != nil || r.Words != "0 alarms, 0.0 a week" {
		t.Errorf("of nothing: %+v", r)
	}
}

func TestSummaries(t *testing.T) {
	end := measure.Instant(90_000)
	all := []Occurrence{{Level: "high", Severity: Warning, RaisedAt: 0, ClearedAt: &end},
		{Level: "high-high", Severity: Critical, RaisedAt: 200_000}}
	s := Summarise(all, 0, 500_000)
	if s.Alarms != 2 || s.Stood != measure.Duration(390*time.Second) ||
		s.Longest != measure.Duration(300*time.Second) || len(s.Levels) != 2 {
		t.Errorf("%+v", s)
	}
	for n, says := range map[int]string{0: "no alarm", 1: "1 alarm, which stood 1m30s", 2: "2 alarms"} {
		s := Summarise(all[:n], 0, 500_000)
		if !strings.Contains(s.Words(), says) {
			t.Errorf("%d: %s", n, s.Words())
		}
	}
}
