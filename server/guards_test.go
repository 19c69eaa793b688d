package server_test

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/limit"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
)

// replayed asks for a replay and gives its alarms and its last line.
func replayed(t *testing.T, s *servertest.Service, order object) (alarms []alarm.Occurrence, last api.ReplayLine) {
	t.Helper()
	err := s.Owner.Lines(context.Background(), api.Replay.At(), order, func(line []byte) error {
		last = api.ReplayLine{}
		if err := json.Unmarshal(line, &last); err != nil {
			return fmt.Errorf("%s: %w", line, err)
		}
		if last.Alarm != nil {
			alarms = append(alarms, *last.Alarm)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return alarms, last
}

func TestAReplayOverTheAPI(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	from := minutes(t, s, "v", "Cel", 600, func(i int) float64 {
		if i%100 == 50 {
			return 45
		}
		return 20 + float64(i%10)
	})
	guard := object{"signal": "d/v", "when": "above 30",
		"rungs": []object{{"when": "above 40", "severity": "critical"}}}
	alarms, last := replayed(t, s, object{"guard": guard, "since": from})
	if len(alarms) != 6 || last.Summary == nil || last.Summary.Alarms != 6 || alarms[0].Level != "high-high" ||
		alarms[0].Severity != alarm.Critical || alarms[0].Length(0) != time.Minute {
		t.Fatalf("%+v, last %+v", alarms, last)
	}
	guard["unit"], guard["when"], guard["rungs"] = "[degF]", "above 100", []object{}
	if alarms, _ := replayed(t, s, object{"guard": guard, "since": from,
		"until": from.Add(200 * time.Minute)}); len(alarms) != 2 {
		t.Errorf("in °F, over the first 200 minutes: %+v", alarms)
	}
	guards := []alarm.Guard{}
	if s.Do(api.ListGuards.At(), nil, &guards); len(guards) != 0 {
		t.Errorf("a replay has kept a guard: %+v", guards)
	}
	for says, order := range map[string]object{
		"guard.when: 'is on' does not suit d/v, which holds numbers": {"guard": object{"signal": "d/v",
			"when": "is on"}},
		"did you mean d/v?": {"guard": object{"signal": "d/w", "when": "above 3"}},
		"is not after since": {"guard": object{"signal": "d/v", "when": "above 3"},
			"since": "2026-01-02T00:00:00Z", "until": "2026-01-01T00:00:00Z"},
		"guard.armed: \"someday\"": {"guard": object{"signal": "d/v", "when": "above 3", "armed": "someday"}},
		"guard.suppressed_while": {"guard": object{"signal": "d/v", "when": "above 3",
			"suppressed_while": "d/vv is on"}},
	} {
		if text := refused(t, s.Owner, 422, api.Replay.At(), order); !strings.Contains(text, says) {
			t.Errorf("%v: %s, want %q", order, text, says)
		}
	}
	if text := refused(t, s.Owner, 404, api.Replay.At(),
		object{"guard": object{"name": "x", "signal": "d/v", "when": "above 3"},
			"with_events": true}); !strings.Contains(text, "no guard x") {
		t.Error(text)
	}

	var shape limit.Shape
	s.Do(api.GetLimits.At("d", "v"), nil, &shape)
	if shape.Readings != 600 || len(shape.Percentiles) != 11 || shape.Percentiles[10].Value != 45 ||
		len(shape.Limits) < 3 || shape.Limits[len(shape.Limits)-1].Would.Alarms != 0 {
		t.Errorf("%+v", shape)
	}
}

// A guard may have levels on one side only, with the limits of one given in another unit.
func TestAGuardSaysWhatItLooksFor(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	minutes(t, s, "t", "Cel", 10, func(int) float64 { return 20 })
	s.Send(d, `{"here": false}`)
	var g alarm.Guard
	s.Do(api.AddGuard.At(), object{"signal": "d/t", "when": "below 32", "unit": "[degF]", "deadband": 9,
		"rungs": []object{{"when": "above 86", "deadband": 1.8, "severity": "critical"}},
		"latch": true, "armed": "mon-fri", "suppressed_while": "d/here is on"}, &g)
	if g.When.String() != "above 30" || g.Severity != alarm.Critical || len(g.Rungs) != 1 ||
		g.Rungs[0].When.String() != "below 0" || g.Rungs[0].Deadband != 5 || !g.Latch || g.Deadband < 0.99 ||
		g.Deadband > 1.01 {
		t.Errorf("%+v", g)
	}
	for says, body := range map[string]object{
		"less severe": {"severity": "critical", "rungs": []object{{"when": "above 40", "severity": "warning"}}},
		"armed":       {"armed": "mon 25:00-26:00"}, "suppressed_while": {"suppressed_while": "nonsense"},
	} {
		body["signal"], body["when"] = "d/t", "above 30"
		if text := refused(t, s.Owner, 422, api.AddGuard.At(), body); !strings.Contains(text, says) {
			t.Errorf("%v: %s", body, text)
		}
	}
	if text := refused(t, s.Owner, 422, api.ShelveGuard.At(g.Name), object{"until": time.Now().Add(-time.Hour),
		"why": "x"}); !strings.Contains(text, "until") {
		t.Error(text)
	}
	if text := refused(t, s.Owner, 404, api.GuardOutOfService.At("nobody"), object{"why": "x"}); !strings.Contains(text,
		"no guard") {
		t.Error(text)
	}
	s.Do(api.GuardOutOfService.At(g.Name), object{"why": "it is away"}, &g)
	if g.OutOfUse == nil || g.OutOfUse.Why != "it is away" || g.OutOfUse.By == "" {
		t.Errorf("%+v", g.OutOfUse)
	}
	s.Do(api.GuardInService.At(g.Name), nil, nil)
	s.Do(api.SayMissed.At(g.Name), object{"note": "the valve stuck"}, nil)
	var r alarm.Record
	if s.Do(api.GetRecord.At(g.Name), nil, &r); r.Missed != 1 {
		t.Errorf("%+v", r)
	}
}

func TestTheJournalIsSearched(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("boiler")
	s.Device("boil")
	s.Send(d, `{"gas": 1}`)
	s.Guard(object{"name": "gas", "signal": "boiler/gas", "when": "above 30", "severity": "critical"})
	s.Send(d, `{"gas": 50}`)
	s.Send(d, `{"gas": 2}`)
	find := func(query string) (found []site.Entry) {
		s.Do(api.ListJournal.At().Raw(query), nil, &found)
		return found
	}
	all := find("limit=100")
	for query, want := range map[string]int{"kind=alarm": 2, "kind=alarm+raised": 1, "device=boiler": 3,
		"device=boil": 1, "device=boil_r": 0, "severity=critical": 2, "severity=warning": 0,
		"words=gas+abov": 3, "words=ABOVE": 3, "words=over+after": 1, "words=nothing+like+it": 0, "words=%27%26%7C!": 0,
		"device=boiler&words=gas&kind=alarm&limit=1": 1} {
		if got := find(query); len(got) != want {
			t.Errorf("%s: %d entries, want %d: %+v", query, len(got), want, got)
		}
	}
	over := find("kind=alarm+over")[0]
	if over.Severity != "critical" || over.Lasted == nil || *over.Lasted < 0 {
		t.Errorf("%+v", over)
	}
	if rest := find(fmt.Sprintf("cursor=%d&limit=100", all[2].ID)); len(rest) != len(all)-3 {
		t.Errorf("%d after the third of %d", len(rest), len(all))
	}
}

func TestATrialOverTheAPI(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	from := minutes(t, s, "gas", "ppm", 600, func(i int) float64 {
		if i >= 100 && i < 130 || i >= 400 && i < 440 {
			return 80 + float64(i%3)
		}
		return 10 + float64(i%3)
	})
	s.Send(d, `{"on": true}`)
	if text := refused(t, s.Owner, 422, api.StartTrial.At(), object{"signal": "d/on"}); !strings.Contains(text,
		"a trial finds a limit of numbers") {
		t.Error(text)
	}
	var trial site.Trial
	s.Do(api.StartTrial.At(), object{"signal": "d/gas", "note": "smoke"}, &trial)
	mark := func(label string, first, last int) object {
		return object{"label": label, "from": from.Add(time.Duration(first) * time.Minute),
			"until": from.Add(time.Duration(last) * time.Minute)}
	}
	var found limit.Suggestion
	if s.Do(api.SuggestLimit.At(trial.ID), nil, &found); found.Apart ||
		!strings.Contains(found.Reason, "at least one") {
		t.Errorf("%+v", found)
	}
	if text := refused(t, s.Owner, 409, api.AcceptTrial.At(trial.ID), object{}); !strings.Contains(text,
		"nothing can be suggested") {
		t.Error(text)
	}
	for _, m := range []object{mark("normal", 10, 60), mark("event", 95, 135), mark("normal", 200, 260),
		mark("event", 395, 445)} {
		s.Do(api.MarkTrial.At(trial.ID), m, &trial)
	}
	for says, m := range map[string]object{"overlaps": mark("event", 90, 100), "not after from": mark("event", 100, 90),
		"in the past": {"label": "event", "from": time.Now().Add(time.Hour)}} {
		if text := refused(t, s.Owner, 422, api.MarkTrial.At(trial.ID), m); !strings.Contains(text, says) {
			t.Errorf("%v: %s", m, text)
		}
	}
	s.Do(api.MarkTrial.At(trial.ID), object{"label": "normal"}, nil) // from now on
	s.Do(api.MarkTrial.At(trial.ID), object{"label": ""}, &trial)
	if len(trial.Stretches) < 4 || trial.Stretches[len(trial.Stretches)-1].Until == nil {
		t.Errorf("%+v", trial.Stretches)
	}
	s.Do(api.SuggestLimit.At(trial.ID), nil, &found)
	if !found.Apart || found.Limit < 40 || found.Limit > 55 || found.Unit != measure.Unit("ppm") || found.Missed+
		found.False != 0 {
		t.Errorf("%+v", found)
	}
	var g alarm.Guard
	s.Do(api.AcceptTrial.At(trial.ID), object{"name": "gas", "severity": "critical",
		"tell": []string{"orla@hollowbrook.example"}}, &g)
	if g.Name != "gas" || g.Severity != alarm.Critical || g.When.A != found.Limit {
		t.Errorf("%+v", g)
	}
	s.Do(api.RemoveTrial.At(trial.ID), nil, nil)
	refused(t, s.Owner, 404, api.GetTrial.At(trial.ID), nil)
}
