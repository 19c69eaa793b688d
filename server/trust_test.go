package server_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/site"
	"jauntylark/core/storage"
	"jauntylark/core/total"
	"jauntylark/pipeline/record"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

type object = map[string]any

// minutes gives a device d a signal with a reading a minute that end a minute ago.
func minutes(t *testing.T, s *servertest.Service, signal string, unit measure.Unit, n int,
	value func(i int) float64) (from measure.Instant) {
	t.Helper()
	until := measure.InstantOf(time.Now().Truncate(time.Minute))
	past := &record.Past{Signal: "d/" + signal, Kind: site.KindNumber, Unit: unit}
	for i := range n {
		past.Readings = append(past.Readings, measure.Reading{At: until - measure.Instant(n-i)*60_000, Value: value(i)})
	}
	if told, err := record.Import(context.Background(), s.Pipeline, past); err != nil || told.Added != n {
		t.Fatal(told, err)
	}
	return past.Readings[0].At
}

// refused gives what a refused request says; it fails the test when it is not refused with the status.
func refused(t *testing.T, c *client.Client, status int, at api.Place, in any) string {
	t.Helper()
	err := c.Call(context.Background(), at, in, nil)
	var problem *client.Problem
	if !errors.As(err, &problem) || problem.Status != status {
		t.Fatalf("%s: %v, not a %d", at, err, status)
	}
	return problem.Detail
}

// A correction is tried, put in force, followed by what hangs on it, shown on the sheet, and exported both ways.
func TestACorrectionOverTheAPI(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	from := minutes(t, s, "v", "Cel", 600, func(i int) float64 { return 20 + float64(i%10) })
	s.Guard(object{"name": "hot", "signal": "d/v", "when": "above 30", "severity": "warning"})
	order := object{"pairs": []object{{"shown": 20, "reference": 22}}, "from": from, "note": "by the glass thermometer"}
	var would api.Preview
	s.Do(api.TryCalibration.At("d", "v"), order, &would)
	if len(would.At) < 500 || slices.Max(would.Now) != 29 || slices.Max(would.Then) != 31 || len(would.Guards) != 1 ||
		would.Guards[0].Now != 0 || would.Guards[0].Then != 60 || !would.Past {
		t.Errorf("%d points, up to %v and %v, %+v", len(would.At), slices.Max(would.Now), slices.Max(would.Then),
			would.Guards)
	}
	if s.Signal("d/v").Calibrated {
		t.Error("trying changed something")
	}
	s.Do(api.Calibrate.At("d", "v"), order, nil)
	storetest.Eventually(t, "all that follows is computed", func() bool {
		var work storage.Work
		s.Do(api.GetWork.At("d", "v"), nil, &work)
		return work.Left == 0
	})
	var line struct {
		Value []float64 `json:"value"`
	}
	s.Do(api.GetLine.At("d", "v").Asking("columns", "4", "since", from.String()), nil, &line)
	if low, high := slices.Min(line.Value), slices.Max(line.Value); low != 22 || high != 31 {
		t.Errorf("the line goes from %v to %v", low, high)
	}
	if got := string(exported(t, s, "what=d/v&format=csv")); !strings.Contains(got, ",22,") ||
		strings.Contains(got, ",20,") {
		t.Errorf("true values: %.200s", got)
	}
	if got := string(exported(t, s, "what=d/v&format=csv&values=raw")); !strings.Contains(got, ",20,") ||
		strings.Contains(got, ",31,") {
		t.Errorf("raw values: %.200s", got)
	}
	s.Do(api.Verify.At("d", "v"), object{"reference": 30, "shown": 31, "tolerance": "2%", "note": "<b>bold</b>"}, nil)
	s.Do(api.PlanVerification.At("d", "v"), object{"every": "6 months"}, nil)
	sheet := downloaded(t, s, api.GetSheet.At("d"))
	for _, part := range []string{"20 → 22", "by the glass thermometer", `class="fail"`, "&lt;b&gt;bold",
		"To be verified every 6 months"} {
		if !strings.Contains(sheet, part) {
			t.Errorf("the sheet lacks %q", part)
		}
	}
	rows, err := csv.NewReader(strings.NewReader(downloaded(t, s, api.GetSheet.At("d").Asking("as", "csv")))).ReadAll()
	if err != nil || len(rows) != 3 || rows[1][3] != "calibration" || rows[2][10] != "fail" || rows[2][8] != "1" {
		t.Errorf("%v %v", rows, err)
	}
	refused(t, s.Owner, 404, api.GetSheet.At("e"), nil)
	refused(t, s.Owner, 422, api.GetSheet.At("d").Asking("as", "pdf"), nil)
	if says := refused(t, s.Owner, 422, api.PlanVerification.At("d", "v"),
		object{"every": "often"}); !strings.Contains(says, "6 months") {
		t.Error(says)
	}
}

func downloaded(t *testing.T, s *servertest.Service, at api.Place) string {
	t.Helper()
	var file bytes.Buffer
	if err := s.Owner.Download(context.Background(), at, &file); err != nil {
		t.Fatal(at, err)
	}
	return file.String()
}

// Two probes in one place are compared; readings of no use are left out, and the units are told.
func TestTwoSignalsCompared(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	wave := func(minutes float64) float64 { return 20 + 5*math.Sin(minutes/40) }
	from := minutes(t, s, "trusted", "Cel", 1200, func(i int) float64 { return wave(float64(i)) })
	minutes(t, s, "fresh", "[degF]", 1200, func(i int) float64 { return (wave(float64(i-6))+0.5)*9/5 + 32 })
	minutes(t, s, "volts", "V", 10, func(int) float64 { return 1 })
	var got api.Comparison
	s.Do(api.CompareSignals.At().Asking("first", "d/trusted", "second", "d/fresh", "since", from.String()), nil, &got)
	if got.Unit != "Cel" || got.Count != 1200 || math.Abs(got.Mean+0.5) > 0.05 ||
		math.Abs(float64(got.Lag)-6*60_000) > 60_000 || got.Likeness < 0.99 || len(got.Points) < 400 {
		got.Points = nil
		t.Errorf("%+v", got)
	}
	for says, query := range map[string]string{"cannot be given in": "first=d/trusted&second=d/volts",
		"3 are needed": "first=d/trusted&second=d/fresh&since=2001-01-01T00:00:00Z&until=2001-01-02T00:00:00Z"} {
		if detail := refused(t, s.Owner, 422, api.CompareSignals.At().Raw(query), nil); !strings.Contains(detail,
			says) {
			t.Errorf("%s: %s", query, detail)
		}
	}
	if detail := refused(t, s.Owner, 404, api.CompareSignals.At().Asking("first", "d/trusted", "second", "d/fesh"),
		nil); !strings.Contains(detail, "d/fresh") {
		t.Error(detail)
	}
}

// What a signal shows is averaged over a while, without readings of no use.
func TestWhatIsShownWhileSomebodyHoldsStill(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	s.Send(d, `{"v": 500}`)
	s.Do(api.SetSignal.At("d", "v"), object{"span": object{"low": 0, "high": 100}}, nil)
	for _, v := range []int{10, 12, 500, 11} {
		s.Send(d, fmt.Sprintf(`{"v": %d}`, v))
	}
	var got api.Steady
	s.Do(api.GetSteady.At("d", "v").Asking("for", "5m"), nil, &got)
	if got.Count != 4 || got.LeftOut != 1 || got.Mean == nil || *got.Mean != 533.0/4 { // the first came before the span
		t.Errorf("%+v", got)
	}
	refused(t, s.Owner, 422, api.GetSteady.At("d", "v").Asking("for", "1h"), nil)
}

// Units that a person sees are that person's; those of the site stand in messages, and what is no unit is refused.
func TestUnitsOfTheSiteStandInMessages(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	say := func(celsius string) {
		t.Helper()
		if refused, err := d.SendReadings(context.Background(), "application/senml+json",
			[]byte(`[{"n": "t", "u": "Cel", "v": `+celsius+`}]`)); err != nil || len(refused) > 0 {
			t.Fatal(refused, err)
		}
	}
	say("20")
	var here site.Site
	s.Do(api.GetSite.At(), nil, &here)
	here.Units = site.Units{"temperature": "[degF]"}
	s.Do(api.PutSite.At(), here, nil)
	s.Guard(object{"name": "hot", "signal": "d/t", "when": "above 30", "severity": "warning",
		"tell": []string{servertest.Owner}})
	say("35")
	storetest.Eventually(t, "the mail comes", func() bool { return len(s.Inbox.Messages()) == 1 })
	if mail := s.Inbox.Messages()[0]; !strings.Contains(mail.Subject+mail.Text, "above 86 °F") ||
		!strings.Contains(mail.Text, "95 °F") {
		t.Errorf("%s\n%s", mail.Subject, mail.Text)
	}
	var person site.Person
	s.Do(api.SetOwnUnits.At(), object{"units": object{"temperature": "K"}}, &person)
	if person.Units["temperature"] != "K" {
		t.Errorf("%+v", person)
	}
	for says, units := range map[string]object{"not of temperature": {"temperature": "V"},
		"did you mean": {"temperature": "Cell"}} {
		if detail := refused(t, s.Owner, 422, api.SetOwnUnits.At(), object{"units": units}); !strings.Contains(detail,
			says) {
			t.Errorf("%s: %s", says, detail)
		}
	}
}

// Totals over the API: what they come to, by period and between resets, and what cannot be added up.
func TestTotalsOverTheAPI(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	s.Do(api.SetDevice.At("d"), object{"interval": "1m"}, nil)
	from := minutes(t, s, "power", "kW", 121, func(i int) float64 { return 1 })
	s.Do(api.PutTariff.At("flat"), object{"name": "flat",
		"versions": []object{{"from": "2026-01-01", "standing": "0",
			"rates": []object{{"name": "all", "blocks": []object{{"price": "0.5"}}}}}}}, nil)
	s.Do(api.AddTotal.At(), object{"name": "energy", "signal": "d/power", "kind": "energy"}, nil)
	s.Do(api.AddTotal.At(), object{"name": "cost", "signal": "d/power", "kind": "cost", "tariff": "flat"}, nil)
	sum := func(name string) (value, cost float64) { // of all months that the stretch touches
		var story api.TotalStory
		s.Do(api.GetTotal.At(name).Asking("by", "month", "since", from.String()), nil, &story)
		for _, r := range story.Periods {
			value += r.Value
			if name == "cost" {
				paid, err := strconv.ParseFloat(r.Cost, 64)
				if err != nil {
					t.Fatal(err)
				}
				cost += paid
			}
		}
		return value, cost
	}
	if energy, _ := sum("energy"); math.Abs(energy-2) > 1e-9 {
		t.Errorf("two hours of 1 kW are %v kWh", energy)
	}
	if value, cost := sum("cost"); math.Abs(value-1) > 1e-9 || math.Abs(cost-1) > 0.011 { // each month is rounded
		t.Errorf("they cost %v, %v", value, cost)
	}
	var reset total.Reset
	s.Do(api.ResetTotal.At("energy"), object{"note": "new meter"}, &reset)
	var now api.TotalNow
	find := func() {
		var all []api.TotalNow
		s.Do(api.ListTotals.At(), nil, &all)
		now = all[1]
	}
	if find(); now.Name != "energy" || now.SinceReset == nil || now.SinceReset.Value != 0 || now.Unit != "kWh" {
		t.Errorf("%+v", now)
	}
	s.Do(api.UndoReset.At("energy"), nil, nil)
	if find(); now.SinceReset != nil {
		t.Errorf("%+v", now)
	}
	for says, c := range map[string]struct {
		status int
		at     api.Place
		in     any
	}{
		"could be undone":     {404, api.UndoReset.At("energy"), nil},
		"Did you mean energy": {404, api.GetTotal.At("energie"), nil},
		"energy is taken": {409, api.AddTotal.At(), object{"name": "energy", "signal": "d/power",
			"kind": "energy"}},
		"derive one":   {422, api.AddTotal.At(), object{"name": "x", "signal": "d/power", "kind": "on-time"}},
		"is of a flow": {422, api.AddTotal.At(), object{"name": "x", "signal": "d/power", "kind": "volume"}},
		"did you mean flat": {422, api.AddTotal.At(), object{"name": "x", "signal": "d/power", "kind": "cost",
			"tariff": "flatt"}},
		"flat is in use":   {409, api.RemoveTariff.At("flat"), nil},
		"ask for weeks":    {422, api.GetTotal.At("energy").Asking("since", "2001-01-01T00:00:00Z"), nil},
		"the address says": {422, api.PutTariff.At("other"), object{"name": "flat", "versions": []object{}}},
		"none holds on": {422, api.PutTariff.At("gap"),
			object{"name": "gap", "versions": []object{{"from": "2026-01-01",
				"rates": []object{{"name": "night", "since": "23:00", "until": "08:00",
					"blocks": []object{{"price": "1"}}}}}}}},
	} {
		if detail := refused(t, s.Owner, c.status, c.at, c.in); !strings.Contains(detail, says) {
			t.Errorf("%s: %s", says, detail)
		}
	}
}

// Stretches whose readings are of no use are told for a chart, and figures say how many readings they leave out.
func TestDoubtfulStretches(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	minutes(t, s, "v", "", 2, func(int) float64 { return 5 })
	s.Do(api.SetSignal.At("d", "v"), object{"span": object{"low": 0, "high": 100}}, nil)
	s.Do(api.ClearReadings.At(), object{"what": "d", "confirm": "d"}, nil)
	storetest.Eventually(t, "the two are gone", func() bool {
		var all []site.Clearing
		s.Do(api.ListClearings.At(), nil, &all)
		return all[0].State == site.ClearingCleared
	})
	from := minutes(t, s, "v", "", 300, func(i int) float64 {
		if i >= 100 && i < 130 || i == 200 {
			return -1
		}
		return 5
	})
	var doubts []quality.Doubt
	s.Do(api.ListDoubts.At("d", "v").Asking("columns", "100", "since", from.String()), nil, &doubts)
	if len(doubts) != 2 || doubts[0].From != from+100*60_000 || doubts[0].Until != from+130*60_000 ||
		doubts[1].Until != from+201*60_000 || doubts[0].Quality != measure.Implausible {
		t.Errorf("%+v", doubts)
	}
	var figures api.Figures
	s.Do(api.ListFigures.At("d", "v").Asking("every", "1d", "since", from.String()), nil, &figures)
	count, left := 0, 0
	for _, f := range figures.Figures {
		count, left = count+f.Count, left+f.LeftOut
		if f.Low != 5 {
			t.Errorf("%+v", f)
		}
	}
	if count != 269 || left != 31 {
		t.Errorf("%d counted, %d left out", count, left)
	}
}
