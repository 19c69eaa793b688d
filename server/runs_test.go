package server_test

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// heap is a site with an asset whose signal rose by a degree a minute for an hour, up to a minute ago.
func heap(t *testing.T) (s *servertest.Service, begin measure.Instant) {
	t.Helper()
	s = servertest.Start(t)
	s.Device("compost")
	begin = measure.InstantOf(time.Now().Add(-61 * time.Minute))
	past := &record.Past{Signal: "compost/core", Kind: site.KindNumber, Unit: "Cel"}
	for i := range 61 {
		past.Readings = append(past.Readings, measure.Reading{At: begin + measure.Instant(i*60_000), Value: 10 +
			float64(i)})
	}
	if _, err := record.Import(context.Background(), s.Pipeline, past); err != nil {
		t.Fatal(err)
	}
	s.Do(api.SetDevice.At("compost"), object{"interval": "1m"}, nil)
	s.Do(api.AddAsset.At(), object{"name": "heap", "signals": []string{"compost"}}, nil)
	return s, begin
}

func after(begin measure.Instant, minutes int) measure.Instant {
	return begin + measure.Instant(minutes*60_000)
}

// A run is started, given goals and phases, forecast, ended, compared, and reported.
func TestTheLifeOfARun(t *testing.T) {
	s, begin := heap(t)
	var r api.RunPage
	goals := []object{{"signal": "compost/core", "reach": 100}, {"signal": "compost/core", "low": 20, "high": 40,
		"share": 30}, {"signal": "compost/core", "reach": 50}}
	s.Do(api.StartRun.At(), object{"asset": "heap", "title": "Heap 7", "started_at": begin, "goals": goals,
		"note": "Straw."}, &r)
	if len(r.Results) != 3 || r.Results[0].State != run.Open || r.Results[0].Forecast.At == nil ||
		r.Results[2].State != run.Reached || *r.Results[2].At != after(begin, 40) {
		t.Fatalf("a run that is on is %+v", r.Results)
	}
	if off := r.Results[0].Forecast.At.Sub(after(begin, 90)).Abs(); off > 2*time.Minute {
		t.Errorf("100 °C is said to come %v off: %+v", off, r.Results[0].Forecast)
	}
	if kept := *r.Results[1].Kept; kept < 33 || kept > 36 { // 21 of 61 minutes
		t.Errorf("it is said to have kept its band for %v %%", kept)
	}
	if said := refused(t, s.Owner, 409, api.StartRun.At(), object{"asset": "heap"}); !strings.Contains(said,
		"Heap 7 is on") {
		t.Error(said)
	}
	s.Do(api.MarkPhase.At(r.ID), object{"name": "hot", "at": after(begin, 30)}, &r)
	s.Do(api.WriteNote.At(), object{"text": "turned it", "of": "asset heap", "at": after(begin, 20)}, nil)
	s.Do(api.ChangeRun.At(r.ID), object{"title": "Heap seven"}, nil)
	s.Do(api.StopRun.At(r.ID), object{"at": after(begin, 50)}, &r)
	if r.Title != "Heap seven" || *r.EndedAt != after(begin, 50) || r.Results[0].State != run.Missed ||
		len(r.Phases) != 1 || len(r.Notes) != 1 || *r.Courses[0].Highest != 60 {
		t.Errorf("ended it is %+v", r)
	}
	refused(t, s.Owner, 409, api.StopRun.At(r.ID), object{})
	for as, begins := range map[string]string{"html": "<!doctype html>", "pdf": "%PDF-", "csv": ""} {
		if body := taken(t, s, api.GetRunReport.At(r.ID).Asking("as", as)); !strings.HasPrefix(string(body), begins) ||
			as != "pdf" && !(bytes.Contains(body, []byte("Heap seven")) && bytes.Contains(body, []byte("turned it"))) {
			t.Errorf("the report as %s is %.80q", as, body)
		}
	}
	refused(t, s.Owner, 422, api.GetRunReport.At(r.ID).Asking("as", "doc"), nil)

	var second api.RunPage
	s.Do(api.StartRun.At(), object{"asset": "heap", "started_at": after(begin, 10), "ended_at": after(begin, 30),
		"goals": goals[:1]}, &second)
	if second.How != run.Afterwards || second.Title == "" || second.Lasted != 1200 {
		t.Errorf("one that was added afterwards is %+v", second.Run)
	}
	var c api.RunComparison
	s.Do(api.CompareRuns.At().Asking("runs", fmt.Sprint(r.ID, ",", second.ID)), nil, &c)
	if c.Signal != "compost/core" || len(c.Runs) != 2 || c.Runs[0].Line[0].Value != 10 ||
		c.Runs[1].Line[0].Value != 20 || c.Runs[1].Line[0].At != 0 {
		t.Errorf("compared they are %+v", c)
	}
	refused(t, s.Owner, 422, api.CompareRuns.At().Asking("runs", "1"), nil)
	refused(t, s.Owner, 404, api.CompareRuns.At().Asking("runs", "1,99"), nil)
	s.Do(api.RemoveRun.At(r.ID), nil, nil)
	refused(t, s.Owner, 404, api.GetRun.At(r.ID), nil)
}

func TestRunsThatCannotBe(t *testing.T) {
	s, begin := heap(t)
	for says, body := range map[string]object{
		"ended_at: ":                {"asset": "heap", "started_at": after(begin, 10), "ended_at": after(begin, 5)},
		"is not after its start":    {"asset": "heap", "started_at": begin, "ended_at": begin},
		"started_at: ":              {"asset": "heap", "started_at": after(begin, 600)},
		"goals[0].signal":           {"asset": "heap", "goals": []object{{"signal": "compost/cor", "reach": 7}}},
		"did you mean compost/core": {"asset": "heap", "goals": []object{{"signal": "compost/cor", "reach": 7}}},
		"goals[0].low: 22 is not bel": {"asset": "heap",
			"goals": []object{{"signal": "compost/core", "low": 22, "high": 18}}},
	} {
		if said := refused(t, s.Owner, 422, api.StartRun.At(), body); !strings.Contains(said, says) {
			t.Errorf("%v: %q does not say %q", body, said, says)
		}
	}
	if said := refused(t, s.Owner, 404, api.StartRun.At(), object{"asset": "heep"}); !strings.Contains(said, "heap") {
		t.Error(said)
	}
	var all []run.Run
	if s.Do(api.ListRuns.At(), nil, &all); len(all) != 0 {
		t.Errorf("something was kept: %+v", all)
	}
}

// A plan starts and ends runs by what a signal reads, at the instants of the readings; and by the clock.
func TestPlansStartAndEndRuns(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("kiln")
	s.Send(d, `{"temp": 20}`)
	s.Do(api.AddAsset.At(), object{"name": "kiln", "signals": []string{"kiln"}}, nil)
	s.Do(api.PutPlan.At("firing"), object{"asset": "kiln", "title": "Firing", "signal": "kiln/temp",
		"start": "above 40", "end": "below 35", "goals": []object{{"signal": "kiln/temp", "reach": 60}}}, nil)
	begin := measure.InstantOf(time.Now().Add(-10 * time.Second)).Add(0)
	for i, v := range []float64{30, 45, 65, 38, 34, 41} {
		s.Send(d, fmt.Sprintf(`{"temp": %v, "at": %q}`, v, begin+measure.Instant(20_000+i*1000)))
	}
	runs := func() (all []run.Run) {
		s.Do(api.ListRuns.At().Asking("asset", "kiln"), nil, &all)
		return all
	}
	all := runs()
	if len(all) != 2 || all[0].EndedAt != nil || all[1].EndedAt.Sub(all[1].StartedAt) != 3*time.Second ||
		all[1].Plan != "firing" || all[1].How != run.ByCondition || !strings.HasPrefix(all[1].Title, "Firing, ") {
		t.Fatalf("the runs are %+v", all)
	}
	var page api.RunPage
	s.Do(api.GetRun.At(all[1].ID), nil, &page)
	if page.Results[0].State != run.Reached {
		t.Errorf("its goal is %+v", page.Results[0])
	}
	s.Do(api.PutPlan.At("always"), object{"asset": "kiln", "hours": "daily 00:00-23:59"}, nil)
	storetest.Eventually(t, "a run by schedule", func() bool {
		for _, r := range runs() {
			if r.Plan == "always" && r.How == run.BySchedule && r.EndedAt == nil {
				return true
			}
		}
		return time.Now().UTC().Format("15:04") == "23:59"
	})
	for says, body := range map[string]object{
		"start":     {"asset": "kiln", "signal": "kiln/temp", "start": "stuck"},
		"kiln/temp": {"asset": "kiln", "signal": "kiln/tmp", "start": "above 4"},
		"hours":     {"asset": "kiln", "hours": "sometimes"},
		"asset":     {"asset": "kilm", "hours": "daily 00:00-01:00"},
	} {
		if said := refused(t, s.Owner, 422, api.PutPlan.At("bad"), body); !strings.Contains(said, says) {
			t.Errorf("%v: %q does not say %q", body, said, says)
		}
	}
	s.Do(api.RemovePlan.At("firing"), nil, nil)
	s.Do(api.RemoveAsset.At("kiln"), nil, nil)
	s.Send(d, `{"temp": 99}`) // plans of what is gone hold nothing up
	var plans []run.Plan
	if s.Do(api.ListPlans.At(), nil, &plans); len(plans) != 0 {
		t.Errorf("the plans are %+v", plans)
	}
}
