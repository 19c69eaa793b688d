package limit

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

// series makes a reading a second from at on.
func series(at measure.Instant, values ...float64) []measure.Reading {
	out := make([]measure.Reading, len(values))
	for i, v := range values {
		out[i] = measure.Reading{At: at + measure.Instant(i)*1000, Value: v}
	}
	return out
}

func stretch(label string, values ...float64) Part {
	readings := series(1000, values...)
	return Part{Label: label, Readings: readings, Until: readings[len(readings)-1].At + 1000}
}

func bump(peak float64) []float64 {
	out := make([]float64, 60)
	for i := range out {
		out[i] = 10 + (peak-10)*math.Sin(math.Pi*float64(i)/59) + float64(i%3)
	}
	return out
}

func quiet(level float64) []float64 {
	out := make([]float64, 60)
	for i := range out {
		out[i] = level + float64(i%3)
	}
	return out
}

func TestATrialSuggestsHalfWay(t *testing.T) {
	stretches := []Part{stretch(Event, bump(87)...), stretch(Event, bump(120)...), stretch(Event, bump(95)...),
		stretch(Normal, quiet(10)...), stretch(Normal, quiet(21)...), stretch(Normal, quiet(15)...)}
	s := Suggest(stretches, "ppm")
	if !s.Apart || s.When.Kind != alarm.Above || math.Abs(s.Limit-(s.Nearest+s.Furthest)/2) > 1 || s.Furthest != 23 ||
		s.Nearest < 86 || s.Events != 3 || s.Normals != 3 {
		t.Fatalf("%+v", s)
	}
	if s.Deadband <= 0 || s.Deadband > (s.Nearest-s.Furthest)/4+1e-9 || s.OnDelay != 0 {
		t.Errorf("deadband %v, on-delay %v", s.Deadband, s.OnDelay)
	}
	if s.Missed != 0 || s.False != 0 || s.ToAlarm <= 0 || !strings.Contains(s.Certainty, "no event was missed") {
		t.Errorf("tried out: %+v", s)
	}
	for _, says := range []string{"The lowest of 3 events peaked at", "the highest of 3 normal stretches at 23",
		"half way is", "so a deadband of"} {
		if !strings.Contains(s.Reason, says) {
			t.Errorf("the reason does not say %q: %s", says, s.Reason)
		}
	}
	g := s.Guard()
	if err := g.Check(); err != nil {
		t.Error(err)
	}
}

func TestEventsThatFall(t *testing.T) {
	down := func(values []float64) []float64 {
		for i := range values {
			values[i] = -values[i]
		}
		return values
	}
	s := Suggest([]Part{stretch(Event, down(bump(80))...), stretch(Event, down(bump(90))...),
		stretch(Normal, down(quiet(10))...), stretch(Normal, down(quiet(12))...)}, "")
	if !s.Apart || s.When.Kind != alarm.Below || s.Limit > -30 || s.Limit < -60 || s.Missed+s.False != 0 {
		t.Fatalf("%+v", s)
	}
	if !strings.Contains(s.Reason, "went down to") {
		t.Error(s.Reason)
	}
}

// Spikes of normal stretches reach as far as events, but not for as long.
func TestAnOnDelayPartsWhatALimitCannot(t *testing.T) {
	spiky := quiet(10)
	spiky[20], spiky[40] = 150, 130
	s := Suggest([]Part{stretch(Event, bump(90)...), stretch(Event, bump(80)...), stretch(Normal, spiky...),
		stretch(Normal, quiet(11)...)}, "ppm")
	if !s.Apart || s.OnDelay < measure.Duration(time.Second) || s.Limit >= 90 ||
		!strings.Contains(s.Reason, "so an on-delay of") {
		t.Fatalf("%+v", s)
	}
	g := s.Guard()
	run := alarm.NewRun(&g, 0, measure.Reading{})
	run.Take(series(1000, spiky...), nil)
	if found := run.Finish(100_000); len(found) != 0 {
		t.Errorf("the spikes still alarm: %+v", found)
	}
}

func TestWhatCannotBeToldApart(t *testing.T) {
	s := Suggest([]Part{stretch(Event, quiet(10)...), stretch(Normal, quiet(10)...)}, "ppm")
	if s.Apart || !strings.Contains(s.Reason, "cannot be told apart") {
		t.Errorf("%+v", s)
	}
	for _, few := range [][]Part{nil, {stretch(Event, 1, 2)}, {stretch(Normal, 1, 2)}} {
		if s := Suggest(few, ""); s.Apart || !strings.Contains(s.Reason, "at least one of each") {
			t.Errorf("%d stretches: %+v", len(few), s)
		}
	}
}

// Of each suggestion that says they are apart, the guard tells all recorded events from all normal stretches.
func TestSuggestionsHoldOnWhatTheyWereMadeOf(t *testing.T) {
	apart := 0
	for seed := range 400 {
		r := rand.New(rand.NewPCG(uint64(seed), 3))
		var stretches []Part
		for range 2 + r.IntN(4) {
			values := bump(30 + r.Float64()*60)
			if r.IntN(3) == 0 {
				values[r.IntN(60)] += 60
			}
			stretches = append(stretches, stretch(Event, values...))
		}
		for range 2 + r.IntN(4) {
			values := quiet(5 + r.Float64()*30)
			if r.IntN(3) == 0 {
				values[r.IntN(60)] += 80 * r.Float64()
			}
			stretches = append(stretches, stretch(Normal, values...))
		}
		s := Suggest(stretches, "")
		if !s.Apart {
			continue
		}
		apart++
		for i, v := range stretches {
			if _, raised := s.raises(v); raised != (v.Label == Event) {
				t.Fatalf("seed %d: %s stretch %d raises: %v; %+v", seed, v.Label, i, raised, s)
			}
		}
	}
	if apart < 200 {
		t.Errorf("only %d of 400 were apart", apart)
	}
}

func TestShapeAndProposals(t *testing.T) {
	s := NewSampler(time.UTC)
	var all []measure.Reading
	for i := range 7 * 1440 {
		v := 20 + 5*math.Sin(2*math.Pi*float64(i)/1440) + float64(i%5)/10
		if i%2000 == 999 {
			v = 40
		}
		all = append(all, measure.Reading{At: measure.Instant(i) * 60_000, Value: v})
	}
	all[3].Quality, all[3].Value = measure.Implausible, 1e6
	s.Take(all[:5000])
	s.Take(all[5000:])
	shape, guards := s.Shape(0, all[len(all)-1].At, "Cel")
	if shape.Readings != len(all)-1 || len(shape.Hours) != 24 || shape.Percentiles[10].Value != 40 ||
		shape.Noise <= 0 || shape.Noise > 1 {
		t.Errorf("%+v", shape)
	}
	if shape.Hours[6].Median < shape.Hours[18].Median {
		t.Errorf("by hour: %+v", shape.Hours)
	}
	if len(guards) < 4 {
		t.Fatalf("proposals: %+v", guards)
	}
	for i := range guards {
		if err := guards[i].Check(); err != nil {
			t.Errorf("%s: %v", guards[i].When, err)
		}
	}
	end := measure.Instant(9000)
	found := []alarm.Occurrence{{RaisedAt: 5000, ClearedAt: &end}, {RaisedAt: 50_000, ClearedAt: &end}}
	past := []alarm.Alarm{{RaisedAt: 8000, ClearedAt: &end, Mark: alarm.MarkReal},
		{RaisedAt: 20_000, ClearedAt: &end, Mark: alarm.MarkFalse}}
	p := Propose(guards[0], found, past, 0, 604_800_000, "Cel")
	if !strings.Contains(p.Words,
		"would have raised 2.0 alarms a week, and met 1 of 1 that were real, and 0 of 1 false ones") ||
		p.Marked.NotRaised != 1 {
		t.Error(p.Words, p.Marked)
	}
	if shape, guards := NewSampler(time.UTC).Shape(0, 1, ""); shape.Readings != 0 || guards != nil {
		t.Errorf("of nothing: %+v %v", shape, guards)
	}
}

// A long stretch is thinned out, and its ends are kept.
func TestTheSampleIsBounded(t *testing.T) {
	s := NewSampler(time.UTC)
	chunk := make([]measure.Reading, 1000)
	for n := range 700 {
		for i := range chunk {
			k := n*1000 + i
			chunk[i] = measure.Reading{At: measure.Instant(k) * 1000, Value: float64(k % 977)}
		}
		if n == 333 {
			chunk[7].Value = -5000
		}
		s.Take(chunk)
	}
	if len(s.sample) >= sampleSize {
		t.Errorf("%d are kept", len(s.sample))
	}
	shape, _ := s.Shape(0, 700_000_000, "")
	if shape.Readings != 700_000 || shape.Percentiles[0].Value != -5000 ||
		math.Abs(shape.Percentiles[5].Value-488) > 10 {
		t.Errorf("%+v", shape.Percentiles)
	}
}

func TestACureForChattering(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	var values []float64
	for i := range 4000 {
		values = append(values, 30+3*math.Sin(float64(i)/400)+0.1*r.NormFloat64())
	}
	g := alarm.Guard{Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 31}, Severity: alarm.Warning}}
	readings := series(1000, values...)
	// past gives what a guard raised, as alarms.
	past := func(g alarm.Guard, readings []measure.Reading) (all []alarm.Alarm) {
		for _, o := range replay(g, readings, 0) {
			all = append(all, alarm.Alarm{Side: o.Side, RaisedAt: o.RaisedAt, ClearedAt: o.ClearedAt})
		}
		return all
	}
	known := past(g, readings)
	c := FindCure(g, readings, known, 0, "Cel")
	if c == nil || c.Of != len(known) {
		t.Fatalf("%+v of %d", c, len(known))
	}
	if c == nil || c.Deadband == nil || *c.Deadband <= 0 || *c.Deadband > 1.5 || c.Saved < c.Of*8/10 ||
		!strings.Contains(c.Words, "would have saved") {
		t.Fatalf("%+v", c)
	}
	g.Deadband = *c.Deadband
	if left := len(replay(g, readings, 0)); left != c.Of-c.Saved {
		t.Errorf("with it there are %d alarms, not %d", left, c.Of-c.Saved)
	}
	var onOff []float64
	for i := range 3000 {
		onOff = append(onOff, float64(i/3%2))
	}
	on := alarm.Guard{Rung: alarm.Rung{When: alarm.Test{Kind: alarm.IsOn}, Severity: alarm.Warning}}
	c = FindCure(on, series(1000, onOff...), past(on, series(1000, onOff...)), 0, "")
	if c == nil || c.OffDelay == nil || c.Deadband != nil {
		t.Errorf("of a switch: %+v", c)
	}
	if c := FindCure(g, nil, nil, 0, ""); c != nil {
		t.Errorf("of nothing: %+v", c)
	}
}

// A cure that would have raised nothing at all, or not what was real, is none.
func TestACureSilencesNothingReal(t *testing.T) {
	var values []float64
	for range 50 { // each a second above the limit, and one of them for long
		values = append(values, 20, 32, 20, 20, 20)
	}
	g := alarm.Guard{Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 31}, Severity: alarm.Warning}}
	readings := series(1000, values...)
	alarms := func(mark string) (all []alarm.Alarm) {
		for i, o := range replay(g, readings, 0) {
			a := alarm.Alarm{RaisedAt: o.RaisedAt, ClearedAt: o.ClearedAt}
			if i == 20 {
				a.Mark = mark
			}
			all = append(all, a)
		}
		return all
	}
	if c := FindCure(g, readings, alarms(""), 0, ""); c != nil && c.OnDelay != nil {
		t.Errorf("an on-delay that silences all: %+v", c)
	}
	far := readings[:0:0] // so far apart that only an on-delay would do anything
	for i := range 50 {
		far = append(far, series(measure.Instant(1000+i*86_400_000), 20, 32, 20)...)
	}
	each := make([]alarm.Alarm, 50)
	for i := range each {
		each[i] = alarm.Alarm{RaisedAt: far[3*i+1].At, ClearedAt: &far[3*i+2].At}
	}
	if c := FindCure(g, far, each, 0, ""); c != nil {
		t.Errorf("it silences every alarm: %+v", c)
	}
	// one that an on-delay leaves
	lasting := series(measure.Instant(1000+50*86_400_000), slices.Repeat([]float64{32}, 600)...)
	lasting = append(lasting, measure.Reading{At: lasting[599].At + 1000, Value: 20})
	far, each = append(far, lasting...), append(each, alarm.Alarm{RaisedAt: lasting[0].At, ClearedAt: &lasting[600].At})
	for mark, offered := range map[string]bool{alarm.MarkReal: false, alarm.MarkFalse: true, "": true} {
		each[20].Mark = mark
		if c := FindCure(g, far, each, 0, ""); (c != nil && c.OnDelay != nil) != offered {
			t.Errorf("with one marked %q: %+v", mark, c)
		}
	}
	long := slices.Concat(values, []float64{32, 32, 32, 32, 32, 32, 32, 32, 32, 32, 32, 32, 20})
	readings = series(1000, long...)
	silences := func(c *Cure) bool { // what is real is among the short ones
		return c != nil && c.OnDelay != nil
	}
	if c := FindCure(g, readings, alarms(alarm.MarkReal), 0, ""); silences(c) {
		t.Errorf("it silences one that was real: %+v", c)
	}
	if c := FindCure(g, readings, alarms(alarm.MarkFalse), 0, ""); c == nil {
		t.Error("nothing helps against what was false")
	}
}

func TestRound(t *testing.T) {
	for _, c := range []struct{ v, room, want float64 }{{55.3071, 64, 55}, {0.41234, 0.8, 0.41}, {1234.5, 900, 1230},
		{3, 0, 3}, {55.3, 1, 55.3}} {
		if got := round(c.v, c.room); math.Abs(got-c.want) > c.room/50 ||
			strings.Contains(measure.Figure(got, ""), "0000") {
			t.Errorf("round(%v, %v) = %v, want about %v", c.v, c.room, got, c.want)
		}
	}
}
