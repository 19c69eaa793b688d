package run

import (
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

func instantAt(t *testing.T, text string) *measure.Instant {
	t.Helper()
	var i measure.Instant
	if err := i.UnmarshalText([]byte(text)); err != nil {
		t.Fatal(err)
	}
	return &i
}

// A forecast says when, how sure it is, and why it says nothing; times of another day name their day.
func TestWordsOfAForecast(t *testing.T) {
	dublin, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		t.Fatal(err)
	}
	now := *instantAt(t, "2026-07-01T10:00:00Z")
	for _, c := range []struct {
		forecast Forecast
		says     string
	}{
		{Forecast{At: instantAt(t, "2026-07-01T15:40:00Z"), Why: Coming}, "at about 16:40"},
		{Forecast{At: instantAt(t, "2026-07-01T15:40:00Z"), Early: instantAt(t, "2026-07-01T15:25:00Z"),
			Late: instantAt(t, "2026-07-01T16:10:00Z"), Why: Coming}, "at about 16:40, between 16:25 and 17:10"},
		{Forecast{At: instantAt(t, "2026-07-01T22:30:00Z"), Early: instantAt(t, "2026-07-01T22:00:00Z"),
			Late: instantAt(t, "2026-07-01T23:30:00Z"), Why: Coming},
			"at about 23:30, between 23:00 and 00:30 on Thu 2 Jul"},
		{Forecast{At: instantAt(t, "2026-07-05T10:00:00Z"), Early: instantAt(t, "2026-07-01T12:00:00Z"), Why: Coming},
			"at about 11:00 on Sun 5 Jul, not before 13:00, and perhaps never"},
		{Forecast{Plateau: v(70.123456), Why: LevelsOf}, "it levels off at about 70.1 °C, and does not get there"},
		{Forecast{Plateau: v(70.123456), Early: instantAt(t, "2026-07-01T12:00:00Z"), Why: LevelsOf},
			"it levels off at about 70.1 °C, and does not get there before 13:00"},
		{Forecast{Why: LevelsOf}, "it does not get there in any time that can be told"},
		{Forecast{Why: OtherWay}, "it goes the other way"}, {Forecast{Why: Still}, "it stands still"},
		{Forecast{Why: TooEarly}, "it is too early to tell"},
	} {
		if got := c.forecast.Words(dublin, now, "Cel"); got != c.says {
			t.Errorf("%+v: %q, want %q", c.forecast, got, c.says)
		}
	}
}

// What came of a goal, and of a run, is told in sentences; one that is on is told as far as it is.
func TestWhatCameOfARun(t *testing.T) {
	now := *instantAt(t, "2026-07-01T10:00:00Z")
	for _, c := range []struct {
		outcome Outcome
		says    string
	}{
		{Outcome{Goal: Goal{Reach: v(70)}, At: instantAt(t, "2026-07-01T09:00:05Z"), State: Reached},
			"reached at 09:00:05 on 1 July"},
		{Outcome{Goal: Goal{Reach: v(70)}, State: Open, Forecast: &Forecast{Why: Still}}, "it stands still"},
		{Outcome{Goal: Goal{Reach: v(70)}, State: Missed}, "not reached"},
		{Outcome{Goal: Goal{Low: v(1)}, State: Open}, "nothing is known of it"},
		{Outcome{Goal: Goal{Low: v(1)}, State: Open, Kept: v(99.96), InBand: 3600},
			"so far 100.0 % of the time, 1 hour"},
		{Outcome{Goal: Goal{Low: v(1)}, State: Reached, Kept: v(92.04), InBand: 60},
			"kept: 92.0 % of the time, 1 minute"},
		{Outcome{Goal: Goal{Low: v(1)}, State: Missed, Kept: v(0), InBand: 0},
			"missed: 0.0 % of the time, less than a second"},
	} {
		if got := c.outcome.How(time.UTC, now); got != c.says {
			t.Errorf("%+v: %q, want %q", c.outcome, got, c.says)
		}
	}
	s := Summary{Run: Run{StartedAt: now - 3600_000}, Lasted: 3600,
		Results: []Outcome{{Words: "core reaches 70 °C", Goal: Goal{Reach: v(70)}, State: Missed}}}
	for _, c := range []struct {
		alarms int
		ended  bool
		want   []string
	}{
		{0, false, []string{"It is on for 1 hour.", "core reaches 70 °C: not reached.", "No alarm was raised in it."}},
		{1, true, []string{"It took 1 hour.", "core reaches 70 °C: not reached.", "One alarm was raised in it."}},
		{2, true, []string{"It took 1 hour.", "core reaches 70 °C: not reached.", "2 alarms were raised in it."}},
	} {
		s.Alarms, s.EndedAt = c.alarms, nil
		if c.ended {
			s.EndedAt = &now
		}
		got := s.Says(time.UTC, now)
		if len(got) != len(c.want) {
			t.Fatalf("%q", got)
		}
		for i := range got {
			if got[i] != c.want[i] {
				t.Errorf("%q, want %q", got[i], c.want[i])
			}
		}
	}
	running, over := Run{StartedAt: now}, Run{StartedAt: now, EndedAt: instantAt(t, "2026-07-01T11:00:00Z")}
	if running.Until(now+5) != now+5 || running.Until(now-5) != now || over.Until(now+5) != *over.EndedAt {
		t.Error("until when runs are looked at")
	}
}

// A plan starts and ends runs by one test or two, and is refused where it says both ways or none.
func TestPlansStartAndEndRuns(t *testing.T) {
	test := func(text string) (out alarm.Test) {
		if text == "" {
			return out
		}
		out, err := alarm.ParseTest(text)
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	p := Plan{Name: "firing", Asset: "kiln", Signal: "kiln/temp", Start: test("above 40"), End: test("below 35")}
	for value, want := range map[float64][2]bool{30: {false, true}, 37: {false, false}, 40: {false, false},
		41: {true, false}} {
		if p.Starts(value) != want[0] || p.Ends(value) != want[1] {
			t.Errorf("at %v it starts %v, ends %v", value, p.Starts(value), p.Ends(value))
		}
	}
	p.End = alarm.Test{}
	if p.Ends(41) || !p.Ends(40) {
		t.Error("without an end it ends when its start is not met any more")
	}
	dublin, _ := time.LoadLocation("Europe/Dublin")
	if got := p.TitleAt(*instantAt(t, "2026-07-01T22:30:00Z"), dublin); got != "Firing, 1 July 2026 23:30" {
		t.Error(got)
	}
	for says, bad := range map[string]Plan{
		"name":   {Name: "Firing", Signal: "kiln/temp", Start: test("above 40")},
		"hours":  {Name: "firing", Signal: "kiln/temp", Start: test("above 40"), Hours: "daily"},
		"hours ": {Name: "firing"},
		"signal": {Name: "firing", Start: test("above 40")},
		"start":  {Name: "firing", Signal: "kiln/temp"},
		"start ": {Name: "firing", Signal: "kiln/temp", Start: test("silent for 10m")},
		"end":    {Name: "firing", Signal: "kiln/temp", Start: test("above 40"), End: test("stuck")},
	} {
		fault, is := bad.Check().(*measure.Fault)
		if !is || fault.Field+" " != says+" " && fault.Field+" " != says {
			t.Errorf("%+v: %v, wanted of %s", bad, fault, says)
		}
	}
	for _, good := range []Plan{p, {Name: "night", Hours: "daily 22:00-06:00"},
		{Name: "lamp", Signal: "a/lamp", Start: test("is on")}} {
		if err := good.Check(); err != nil {
			t.Errorf("%+v: %v", good, err)
		}
	}
}
