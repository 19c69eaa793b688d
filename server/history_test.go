package server_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/exchange"
	"jauntylark/pipeline/record"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// past gives a service a device d with some days of readings of each kind.
func past(t *testing.T, s *servertest.Service) {
	t.Helper()
	s.Device("d")
	until := measure.InstantOf(time.Now().Truncate(time.Hour))
	temp := &record.Past{Signal: "d/temp", Kind: site.KindNumber, Unit: "Cel"}
	door := &record.Past{Signal: "d/door", Kind: site.KindSwitch}
	state := &record.Past{Signal: "d/state", Kind: site.KindText}
	for at := until - 9000*60_000; at < until; at += 60_000 {
		n := int64(at / 60_000)
		temp.Readings = append(temp.Readings, measure.Reading{At: at, Value: float64(n%97) / 3,
			Quality: measure.Quality(n % 2 * 8)})
		if n%5 == 0 {
			door.Readings = append(door.Readings, measure.Reading{At: at, Value: float64(n / 5 % 2)})
			state.Readings, state.Texts = append(state.Readings, measure.Reading{At: at + 1}),
				append(state.Texts, fmt.Sprintf("state, %d", n%4))
		}
	}
	for _, p := range []*record.Past{temp, door, state} {
		if told, err := record.Import(context.Background(), s.Pipeline, p); err != nil ||
			told.Added != len(p.Readings) {
			t.Fatal(told, err)
		}
	}
}

func exported(t *testing.T, s *servertest.Service, query string) []byte {
	t.Helper()
	var file bytes.Buffer
	if err := s.Owner.Download(context.Background(), api.ExportReadings.At().Raw(query), &file); err != nil {
		t.Fatal(query, err)
	}
	return file.Bytes()
}

// imported brings a file, runs it and gives what became of it.
func imported(t *testing.T, s *servertest.Service, file []byte, adjust func(*api.ImportOrder)) api.ImportJob {
	t.Helper()
	var job api.ImportJob
	if err := s.Owner.Upload(context.Background(), api.BringImport.At().Asking("name", "f", "device", "d"),
		"application/octet-stream", bytes.NewReader(file), &job); err != nil {
		t.Fatal(err)
	}
	order := api.ImportOrder{Layout: job.Layout}
	if adjust != nil {
		adjust(&order)
	}
	s.Do(api.RunImport.At(job.ID), order, nil)
	storetest.Eventually(t, "the import is done", func() bool {
		s.Do(api.GetImport.At(job.ID), nil, &job)
		return job.State != "running" && job.State != "trying"
	})
	s.Do(api.EndImport.At(job.ID), nil, nil)
	return job
}

// Out, cleared, and in again: the same comes out.
func TestOutAndInAndOutIsEqual(t *testing.T) {
	storetest.Long(t)
	s := servertest.Start(t)
	past(t, s)
	for _, format := range []string{exchange.CSV, exchange.Parquet, exchange.SenML} {
		until := "&until=" + time.Now().UTC().Format(time.RFC3339)
		query := "what=d&format=" + format + until
		before := exported(t, s, query)
		if format == exchange.SenML { // which has no marks
			before = bytes.ReplaceAll(before, []byte("late"), nil)
		}
		if job := imported(t, s, before, func(o *api.ImportOrder) { o.Try = true }); job.State != "tried" ||
			job.Outcome.Same != 12_600 || job.Outcome.Added != 0 {
			t.Errorf("%s, tried while all is there: %+v %+v", format, job.State, job.Outcome)
		}
		s.Do(api.ClearReadings.At(), map[string]any{"what": "d", "confirm": "d"}, nil)
		var list []site.Clearing
		storetest.Eventually(t, "it is cleared", func() bool {
			s.Do(api.ListClearings.At(), nil, &list)
			return list[0].State == site.ClearingCleared
		})
		if list[0].Readings != 12_600 || s.Signal("d/temp").At != nil {
			t.Errorf("%+v", list[0])
		}
		job := imported(t, s, before, nil)
		if job.State != "done" || job.Outcome.Added != 12_600 || job.Outcome.Refused != 0 {
			t.Fatalf("%s: %s %s %+v", format, job.State, job.Error, job.Outcome)
		}
		if after := exported(t, s, query); !bytes.Equal(after, before) {
			t.Errorf("%s: %d bytes came out, %d before", format, len(after), len(before))
		}
		if again := imported(t, s, before, nil); again.Outcome.Added != 0 || again.Outcome.Same != 12_600 {
			t.Errorf("%s, once more: %+v", format, again.Outcome)
		}
	}
}

func TestAnImportThatIsWrong(t *testing.T) {
	s := servertest.Start(t)
	past(t, s)
	var job api.ImportJob
	for file, says := range map[string]string{"": "empty", "PK\x03\x04": "spreadsheet", "a word\n": "columns"} {
		if err := s.Owner.Upload(context.Background(), api.BringImport.At().Asking("name", "x"), "",
			strings.NewReader(file), &job); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", file, err)
		}
	}
	file := "at,signal,value\n2026-03-01T12:00:00Z,temp,1\n2026-03-01T12:00:00Z,temp,2\n2026-03-01T12:01:00Z,nn/x,1\n2026-03-01T12:02:00Z,Bad Name,1\n2026-03-01T12:03:00Z,state,5\n"
	got := imported(t, s, []byte(file), nil)
	if o := got.Outcome; got.State != "done" || o.Added != 1 || o.Conflicts != 1 || o.Refused != 3 ||
		!strings.Contains(fmt.Sprint(o.Samples), "add it first") ||
		!strings.Contains(fmt.Sprint(o.Samples), "bad-name") {
		t.Errorf("%s %+v", got.State, o)
	}
	wide := "time,temp (°F)\n2026-03-02 12:00:00,50\n"
	if err := func() error {
		var job api.ImportJob
		if err := s.Owner.Upload(context.Background(), api.BringImport.At().Asking("device", "d"), "",
			strings.NewReader(wide), &job); err != nil {
			return err
		}
		return s.Owner.Call(context.Background(), api.RunImport.At(job.ID), api.ImportOrder{Layout: job.Layout}, nil)
	}(); err == nil || !strings.Contains(err.Error(), "zone") {
		t.Errorf("no zone was said: %v", err)
	}
	imported(t, s, []byte(wide), func(o *api.ImportOrder) { o.Layout.Zone = "site" })
	if out := string(exported(t, s,
		"what=d/temp&zone=UTC&since=2026-03-02T00:00:00Z&until=2026-03-03T00:00:00Z")); !strings.Contains(out,
		"2026-03-02T12:00:00.000Z,d/temp,10,Cel") {
		t.Errorf("50 °F is %s", out)
	}
	replaced := imported(t, s, []byte("at,signal,value\n2026-03-01T12:00:00Z,temp,9\n"),
		func(o *api.ImportOrder) { o.Replace = true })
	if replaced.Outcome.Replaced != 1 {
		t.Errorf("%+v", replaced.Outcome)
	}
}

// A reader that was cut off gets the rest, as long as it is the rest of the same.
func TestAnExportGoesOnWhereItWasCutOff(t *testing.T) {
	s := servertest.Start(t)
	past(t, s)
	query := api.ExportReadings.At().Asking("what", "d", "since", "2020-01-01T00:00:00Z", "until",
		time.Now().UTC().Format(time.RFC3339))
	for _, format := range exchange.Formats {
		answer, err := s.Owner.Fetch(context.Background(), query.And("format", format), nil)
		if err != nil {
			t.Fatal(err)
		}
		whole, err := io.ReadAll(answer.Body)
		answer.Body.Close()
		if err != nil || answer.Header.Get("Readings") != "12600" {
			t.Fatal(err, answer.Header)
		}
		rest, err := s.Owner.Fetch(context.Background(), query.And("format", format, "skip", 1000),
			map[string]string{"If-Match": answer.Header.Get("ETag")})
		if err != nil {
			t.Fatal(err)
		}
		tail, err := io.ReadAll(rest.Body)
		rest.Body.Close()
		if err != nil || !bytes.Equal(tail, whole[1000:]) {
			t.Errorf("%s: the rest differs: %v", format, err)
		}
	}
	_, err := s.Owner.Fetch(context.Background(), query, map[string]string{"If-Match": `"another"`})
	if p, is := err.(*client.Problem); !is || p.Status != http.StatusPreconditionFailed {
		t.Error(err)
	}
	for query, says := range map[string]string{"what=dd": "did you mean d", "format=ods": "xlsx", "every=7h": "7h",
		"zone=Mars": "Mars", "since=x": "since", "sinec=1h": "did you mean since", "names=x": "bare",
		"format=senml&every=1h": "SenML", "since=2026-03-02T00:00:00Z&until=2026-03-01T00:00:00Z": "before since",
		"skip=-1": "skip"} {
		_, err := s.Owner.Fetch(context.Background(), api.ExportReadings.At().Raw(query), nil)
		if p, is := err.(*client.Problem); !is || p.Status != http.StatusUnprocessableEntity ||
			!strings.Contains(strings.ToLower(p.Error()), strings.ToLower(says)) {
			t.Errorf("%s: %v", query, err)
		}
	}
}

func TestFiguresByPeriod(t *testing.T) {
	s := servertest.Start(t)
	past(t, s)
	var all, page api.Figures
	s.Do(api.ListFigures.At("d", "temp").Asking("every", "1h", "since", "2020-01-01T00:00:00Z"), nil, &all)
	if len(all.Figures) != 150 || all.Figures[0].Count != 60 || all.Figures[0].LeftOut != 0 ||
		all.Figures[0].Mean == nil || all.Figures[0].HeldMean == nil || all.Next != nil {
		t.Errorf("%d figures, the first %+v", len(all.Figures), all.Figures[0])
	}
	n := 0
	for since := "2020-01-01T00:00:00Z"; ; since = page.Next.String() {
		page = api.Figures{}
		s.Do(api.ListFigures.At("d", "temp").Asking("every", "1h", "limit", "40", "since", since), nil, &page)
		for i := range page.Figures {
			if page.Figures[i].Figures != all.Figures[n+i].Figures {
				t.Fatalf("page from %s: %+v", since, page.Figures[i])
			}
		}
		if n += len(page.Figures); page.Next == nil {
			break
		}
	}
	if n != 150 {
		t.Errorf("the pages have %d", n)
	}
	for at, says := range map[api.Place]string{api.ListFigures.At("d", "temp").Asking("every", "7h"): "7h",
		api.ListFigures.At("d", "state"): "no figures"} {
		if err := s.Owner.Call(context.Background(), at, nil, nil); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", at, err)
		}
	}
}

func TestClearingAsksForTheName(t *testing.T) {
	s := servertest.Start(t)
	past(t, s)
	clear := func(order map[string]any) (out api.ClearAnswer, err error) {
		return out, s.Owner.Call(context.Background(), api.ClearReadings.At(), order, &out)
	}
	var would api.ClearAnswer
	s.Do(api.ClearReadings.At(), map[string]any{"what": "d", "try": true}, &would)
	if would.Stamp.Readings != 12_600 || would.Signals != 3 || would.Confirm != "d" || would.Clearing != nil {
		t.Errorf("%+v", would)
	}
	for says, order := range map[string]map[string]any{
		`say "d" to confirm`:       {"what": "d"},
		`say "My site" to confirm`: {"what": "", "confirm": "all"},
		"did you mean d/temp":      {"what": "d/tepm"},
		"nothing to clear":         {"what": "d", "until": "2020-01-01T00:00:00Z"},
		"not after since":          {"what": "d", "since": "2026-01-02T00:00:00Z", "until": "2026-01-01T00:00:00Z"},
	} {
		if _, err := clear(order); err == nil || !strings.Contains(strings.ToLower(err.Error()),
			strings.ToLower(says)) {
			t.Errorf("%v: %v", order, err)
		}
	}
	if err := s.Owner.Call(context.Background(), api.PutBackReadings.At("99"), nil, nil); err == nil {
		t.Error("a clearing that never was is put back")
	}
	s.Do(api.ClearReadings.At(), map[string]any{"what": "d/door"}, &would) // not much
	if would.Clearing == nil || would.Stamp.Readings != 1800 {
		t.Errorf("%+v", would)
	}
}

func TestStorageIsTold(t *testing.T) {
	s := servertest.Start(t)
	past(t, s)
	var told api.Storage
	s.Do(api.GetStorage.At(), nil, &told)
	if told.Readings != 12_600 || len(told.Signals) != 3 || told.Each <= 0 || told.Year <= 0 || told.Settled != nil {
		t.Errorf("%+v", told)
	}
	for body, says := range map[string]string{`1h`: "a day (1d) or more"} {
		err := s.Owner.Call(context.Background(), api.PutSite.At(), map[string]string{"name": "x", "zone": "UTC",
			"currency": "EUR", "keep_readings": body}, nil)
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Error(err)
		}
	}
	s.Do(api.PutSite.At(), map[string]string{"name": "x", "zone": "UTC", "currency": "EUR", "keep_readings": "30d"},
		nil)
	s.Do(api.GetStorage.At(), nil, &told)
	if told.Settled == nil || *told.Settled <= 0 || *told.Settled > told.Year {
		t.Errorf("%+v", told)
	}
}

// Settings, guards and the journal stay when readings are cleared; the journal says who did it.
func TestWhatStaysWhenReadingsAreCleared(t *testing.T) {
	s := servertest.Start(t)
	past(t, s)
	s.Guard(map[string]any{"name": "hot", "signal": "d/temp", "when": "above 300", "severity": "warning",
		"tell": []string{}})
	s.Do(api.SetSignal.At("d", "temp"), map[string]string{"title": "Cellar air", "keep_readings": "90d"}, nil)
	s.Do(api.ClearReadings.At(), map[string]any{"what": "d", "confirm": "d"}, nil)
	if v := s.Signal("d/temp"); v == nil || v.Title != "Cellar air" || v.Unit != "Cel" || v.At != nil ||
		v.KeepReadings.String() != "90d" {
		t.Errorf("%+v", v)
	}
	var guards []map[string]any
	s.Do(api.ListGuards.At(), nil, &guards)
	var journal []site.Entry
	s.Do(api.ListJournal.At(), nil, &journal)
	if len(guards) != 1 || journal[0].Kind != "readings cleared" || journal[0].Who == "" ||
		!strings.Contains(journal[0].Text, "Readings of d from") {
		t.Errorf("%v %+v", guards, journal[0])
	}
}

// What a change of the site does not say stays as it is: how long alarms are kept, above all.
func TestWhatIsNotSaidOfTheSiteStays(t *testing.T) {
	s := servertest.Start(t)
	s.Do(api.PutSite.At(), object{"name": "A", "zone": "UTC", "currency": "EUR", "holidays": []string{"2026-12-25"},
		"keep_journal": "400d"}, nil)
	s.Do(api.PutSite.At(), object{"name": "B", "zone": "UTC", "currency": "EUR"}, nil)
	var here site.Site
	s.Do(api.GetSite.At(), nil, &here)
	if here.Name != "B" || here.KeepAlarms.String() != "3653d" || here.KeepJournal.String() != "400d" ||
		len(here.Holidays) != 1 {
		t.Errorf("%+v", here)
	}
	s.Do(api.PutSite.At(), object{"name": "B", "zone": "UTC", "currency": "EUR", "holidays": []string{},
		"keep_alarms": "0s"}, nil)
	s.Do(api.GetSite.At(), nil, &here)
	if here.KeepAlarms != 0 || len(here.Holidays) != 0 {
		t.Errorf("%+v", here)
	}
}
