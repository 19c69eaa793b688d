package server_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/events"
)

// Since is in what is asked for and until is not: two stretches that meet have each reading once, whoever is asked.
func TestStretchesThatMeetHaveEachReadingOnce(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	s.Do(api.SetDevice.At("d"), object{"interval": "1m"}, nil)
	from := minutes(t, s, "v", "Cel", 180, func(i int) float64 { return float64(i) })
	middle, end := from+61*60_000, from+180*60_000
	count := map[string]func(since, until measure.Instant) int{
		"readings": func(since, until measure.Instant) int {
			var page api.Readings
			s.Do(api.ListReadings.At("d", "v").Asking("since", since, "until", until), nil, &page)
			return len(page.Readings)
		},
		"line": func(since, until measure.Instant) int {
			var line api.Line
			s.Do(api.GetLine.At("d", "v").Asking("since", since, "until", until), nil, &line)
			return line.Of
		},
		"lines": func(since, until measure.Instant) int {
			var lines api.Lines
			s.Do(api.ListLines.At().Asking("signal", "d/v", "since", since, "until", until), nil, &lines)
			return lines.Lines[0].Of
		},
		"export": func(since, until measure.Instant) int {
			file := wire(t, s, api.ExportReadings.At().Asking("since", since, "until", until), "")
			return bytes.Count(file.body, []byte("\n")) - 1
		},
		"figures": func(since, until measure.Instant) (all int) {
			for _, f := range figuresOf(s, "1h", since, until) {
				all += f.Count
			}
			return all
		},
		"stream": func(since, until measure.Instant) int {
			return len(streamed(t, s, "signal=d", since, until))
		},
	}
	for what, of := range count {
		first, second, none := of(from, middle), of(middle, end), of(middle, middle)
		if first != 61 || second != 119 || none != 0 {
			t.Errorf("%s: %d and %d of 61 and 119 readings, %d in no time", what, first, second, none)
		}
	}
}

func figuresOf(s *servertest.Service, every string, since, until measure.Instant) []api.PeriodFigures {
	var page api.Figures
	s.Do(api.ListFigures.At("d", "v").Asking("every", every, "since", since, "until", until), nil, &page)
	return page.Figures
}

// streamed gives the lines of a stream that has come to its end.
func streamed(t *testing.T, s *servertest.Service, query string, since, until measure.Instant) (all []api.ReadingLine) {
	t.Helper()
	answer := wire(t, s, api.StreamReadings.At().Raw(query).And("since", since, "until", until), "")
	lines := bufio.NewScanner(bytes.NewReader(answer.body))
	for lines.Scan() {
		var line api.ReadingLine
		if err := json.Unmarshal(lines.Bytes(), &line); err != nil {
			t.Fatalf("%s: %v", lines.Bytes(), err)
		}
		all = append(all, line)
	}
	if len(all) == 0 || all[len(all)-1].Count == nil || *all[len(all)-1].Count != len(all)-1 {
		t.Fatalf("the stream has no end: %d %s", answer.code, answer.body)
	}
	return all[:len(all)-1]
}

// Figures begin and end where they are asked for: a period that is cut says so, and its figures are of its part alone.
func TestFiguresAreCutWhereTheyAreAskedFor(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	s.Do(api.SetDevice.At("d"), object{"interval": "1m"}, nil)
	from := minutes(t, s, "v", "Cel", 240, func(i int) float64 { return float64(i) })
	hour := (from + 3_599_999) / 3_600_000 * 3_600_000 // the first that begins with it
	since, until := hour+20*60_000, hour+130*60_000
	got := figuresOf(s, "1h", since, until)
	want := []struct {
		at, until measure.Instant
		cut       bool
		count     int
	}{{since, hour + 3_600_000, true, 40}, {hour + 3_600_000, hour + 7_200_000, false, 60},
		{hour + 7_200_000, until, true, 10}}
	if len(got) != len(want) {
		t.Fatalf("%d periods: %+v", len(got), got)
	}
	value := func(at measure.Instant) float64 { return float64((at - from) / 60_000) }
	for i, w := range want {
		g := got[i]
		if g.At != w.at || g.Until != w.until || g.Cut != w.cut || g.Count != w.count || g.Low != value(w.at) ||
			g.High != value(w.until-60_000) {
			t.Errorf("period %d: %+v, want %+v from %v to %v", i, g, w, value(w.at), value(w.until-60_000))
		}
	}
	within := figuresOf(s, "1h", hour+10*60_000, hour+15*60_000)
	if len(within) != 1 || !within[0].Cut || within[0].Count != 5 {
		t.Errorf("a part of one hour: %+v", within)
	}
	if whole := figuresOf(s, "1h", hour, hour+3_600_000); len(whole) != 1 || whole[0].Cut || whole[0].Count != 60 {
		t.Errorf("an hour: %+v", whole)
	}
	file := wire(t, s, api.ExportReadings.At().Asking("every", "1h", "since", since, "until", until), "")
	if rows := strings.Split(strings.TrimSpace(string(file.body)), "\n"); len(rows) != 4 ||
		!strings.HasSuffix(rows[1], ",true") || !strings.HasSuffix(rows[2], ",false") {
		t.Errorf("as a file: %s", file.body)
	}
}

// Readings of several signals come in one answer, in order of time.
func TestReadingsOfSeveralSignalsInOneAnswer(t *testing.T) {
	s := servertest.Start(t)
	d, e := s.Device("d"), s.Device("e")
	for i := range 5 {
		at := fmt.Sprintf("2026-03-01T10:00:0%dZ", i)
		s.Send(d, `{"a": 1, "word": "open", "at": "`+at+`"}`)
		s.Send(e, `{"b": 2.5, "at": "`+at+`"}`)
	}
	since, until := site2026(10, 0, 1), site2026(10, 0, 4)
	lines := streamed(t, s, "signal=d&signal=e/b", since, until)
	if len(lines) != 9 {
		t.Fatalf("%d lines", len(lines))
	}
	if !slices.IsSortedFunc(lines, func(a, b api.ReadingLine) int { return int(*a.At - *b.At) }) {
		t.Error("they are out of order")
	}
	for _, l := range lines {
		if l.Signal == "d/word" && l.Text != "open" || l.Signal == "e/b" && *l.Value != 2.5 {
			t.Errorf("%+v", l)
		}
	}
	if p := wire(t, s, api.StreamReadings.At().Raw("signal=e/bb"), "").problem(t); !strings.Contains(p.Detail,
		"did you mean e/b?") {
		t.Errorf("%+v", p)
	}
}

func site2026(hour, minute, second int64) measure.Instant {
	var day measure.Instant
	_ = day.UnmarshalText([]byte("2026-03-01T00:00:00Z"))
	return day + measure.Instant(hour*3_600_000+minute*60_000+second*1000)
}

// Alarms are asked for by what they are about, how they are and when they stood.
func TestAlarmsByWhatIsAskedFor(t *testing.T) {
	s := servertest.Start(t)
	s.Do(api.AddAsset.At(), object{"name": "house"}, nil)
	s.Send(s.Device("d"), `{"temp": 20}`)
	s.Send(s.Device("e"), `{"temp": 20}`)
	s.Do(api.AddAsset.At(), object{"name": "pump", "in": "house", "signals": []string{"e/temp"}}, nil)
	s.Do(api.AddAsset.At(), object{"name": "tank", "signals": []string{"d"}}, nil)
	from := site2026(10, 0, 0)
	instant := func(second int64) *measure.Instant {
		at := from + measure.Instant(second)*1000
		return &at
	}
	at := func(second int64) string { return instant(second).String() }
	ctx, records := context.Background(), s.Pipeline.Store
	for _, a := range []alarm.Alarm{
		{Guard: "d-hot", Signal: "d/temp", Severity: alarm.Warning, RaisedAt: *instant(10), ClearedAt: instant(20)},
		{Guard: "e-hot", Signal: "e/temp", Severity: alarm.Critical, RaisedAt: *instant(20),
			AcknowledgedAt: instant(25)},
		{Guard: "d-hot", Signal: "d/temp", Severity: alarm.Warning, RaisedAt: *instant(30)},
	} {
		a.Kind, a.LearnedAt = alarm.ByGuard, a.RaisedAt
		if err := events.AddAlarm(ctx, records, &a, 1); err != nil {
			t.Fatal(err)
		}
		if err := events.SaveAlarm(ctx, records, &a, 1); err != nil {
			t.Fatal(err)
		}
		if err := events.AddEntry(ctx, records, site.Entry{At: a.RaisedAt, LearnedAt: a.RaisedAt, Kind: "alarm raised",
			Subject: a.Guard, AlarmID: &a.ID}, 1); err != nil {
			t.Fatal(err)
		}
	}
	name := func(a alarm.Alarm) string {
		return fmt.Sprintf("%s %d %s", a.Guard, (a.RaisedAt-from)/1000, a.State)
	}
	first, second, other := "d-hot 10 over", "d-hot 30 raised", "e-hot 20 raised"
	for query, want := range map[string][]string{
		"":                                     {second, other},
		"all=true":                             {first, second, other},
		"device=d&all=true":                    {first, second},
		"signal=e/temp":                        {other},
		"severity=critical&all=true":           {other},
		"severity=advisory":                    {},
		"guard=d-hot&state=over":               {first},
		"state=raised":                         {second, other},
		"state=acknowledged":                   {other},
		"state=unacknowledged":                 {second},
		"state=latched":                        {},
		"asset=house&all=true":                 {other},
		"asset=tank&all=true":                  {first, second},
		"since=" + at(21):                      {second, other},
		"since=" + at(20):                      {first, second, other},
		"until=" + at(20):                      {first},
		"until=" + at(21):                      {first, other},
		"since=" + at(21) + "&until=" + at(30): {other},
	} {
		var all []alarm.Alarm
		s.Do(api.ListAlarms.At().Raw(query), nil, &all)
		is := []string{}
		for _, a := range all {
			is = append(is, name(a))
		}
		slices.Sort(is)
		if !slices.Equal(is, want) {
			t.Errorf("%s: %v, want %v", query, is, want)
		}
	}
	for query, says := range map[string]string{"state=open": "there is no state open", "severity=hot": "severity",
		"asset=hause": "did you mean house?", "device=d&asset=house": "together"} {
		if p := wire(t, s, api.ListAlarms.At().Raw(query), "").problem(t); !strings.Contains(strings.ToLower(p.Detail), says) {
			t.Errorf("%s: %+v", query, p)
		}
	}
	var entries []site.Entry
	s.Do(api.ListJournal.At().Raw("kind=alarm+raised&since="+at(20)+"&until="+at(30)), nil, &entries)
	for _, entry := range entries {
		if entry.At < from+20_000 || entry.At >= from+30_000 {
			t.Errorf("outside: %+v", entry)
		}
	}
	if len(entries) != 1 {
		t.Errorf("%d entries: %+v", len(entries), entries)
	}
}
