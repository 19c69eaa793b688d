package evidence

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/timeseries"
)

// TryInterlock replays an interlock, saved or not, over what is stored of a stretch, as if it alone drove its output:
// when it would have done what. Nothing is ordered, and nothing is kept.
func TryInterlock(ctx context.Context, p *pipeline.Pipeline, i drive.Interlock, from,
	until measure.Instant) (drive.Tried, error) {
	try := &trying{p: p, from: from, until: until}
	err := p.Do(ctx, func(t *reading.Turn) error {
		entry, err := configure.FitInterlockIn(t, &i)
		if err != nil {
			return err
		}
		entry.Interlock = i
		if err := t.Site.Equip(t.Ctx, t.Tx, entry); err != nil {
			return err
		}
		try.prepare(t.Site, entry, t.Now)
		return nil
	})
	if err != nil {
		return drive.Tried{}, err
	}
	tx, err := p.Store.Look(ctx)
	if err != nil {
		return drive.Tried{}, err
	}
	defer tx.Rollback()
	if err := try.run(ctx, tx); err != nil {
		return drive.Tried{}, err
	}
	return try.trial.Finish(until), nil
}

// trying is one interlock being replayed. What it needs of the live state is copied: the replay runs beside commits.
type trying struct {
	p           *pipeline.Pipeline
	from, until measure.Instant
	lock        *memory.Interlock
	inputs      []tryInput
	why         string // of a condition: what it is when it holds
	guards      []alarm.Guard
	trial       *drive.Replay
}

// tryInput is a signal that drives the interlock being tried.
type tryInput struct {
	Subject
	signal site.Signal
	thing  string
}

func (t *trying) prepare(l *memory.Site, i *memory.Interlock, now measure.Instant) {
	t.lock, t.trial = i, drive.NewReplay(i.Interlock, i.Drives.Output)
	for _, s := range i.DrivenBy() {
		t.inputs = append(t.inputs, tryInput{SubjectOf(s, now), s.Signal, s.Thing()})
	}
	if i.When != "" {
		test, unit := roster.Shown(i.Cond.When, i.Subject.Unit, l.Settings.Units)
		t.why = roster.Sentence(i.Subject.DeviceTitle(), site.Title(i.Subject.Title, i.Subject.Name), test, unit)
		if word := i.Subject.StateWord(test); word != "" {
			t.why = i.Subject.Thing() + " is " + word
		}
	}
	if i.Alarm == "" {
		return
	}
	for _, g := range l.Guards {
		of := alarm.Alarm{Guard: g.Name, Signal: g.Signal}
		if named := (drive.Alarms{Any: i.Alarms.Any, Names: i.Alarms.Names}); named.Match(of) {
			t.guards = append(t.guards, g.Guard)
		}
	}
}

func (t *trying) run(ctx context.Context, tx *store.Tx) error {
	switch t.lock.Driver() {
	case drive.ByHours:
		for at := t.from; at != 0 && at < t.until; at = t.lock.Calendar.Next(at) {
			t.trial.See(drive.Sight{At: at, Driven: t.lock.Calendar.At(at), Why: "it is within " + t.lock.Hours})
		}
		return nil
	case drive.ByAlarm:
		return t.runAlarms(ctx)
	case drive.ByCondition:
		return t.runCondition(ctx, tx)
	}
	return t.runValues(ctx, tx)
}

// edge is an instant at which an alarm or a condition begins to hold (1) or is over (-1), or at which what can be seen
// changes (0).
type edge struct {
	at    measure.Instant
	count int
	why   string // of 1: why it is driven; of 0: why it is blind
}

func edgesOf(alarms []alarm.Occurrence, why string) (edges []edge) {
	for _, a := range alarms {
		edges = append(edges, edge{a.RaisedAt, 1, why})
		if a.ClearedAt != nil {
			edges = append(edges, edge{*a.ClearedAt, -1, ""})
		}
	}
	return edges
}

// see lets the interlock see the edges, in order of time.
func (t *trying) see(edges []edge) {
	slices.SortStableFunc(edges, func(a, b edge) int {
		return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.count, b.count))
	})
	stand, why, blind := 0, "", ""
	for n, e := range edges {
		switch {
		case e.count == 0:
			blind = e.why
		case e.count > 0:
			why = e.why
		}
		stand += e.count
		if n+1 == len(edges) || edges[n+1].at != e.at {
			t.trial.See(drive.Sight{At: max(e.at, t.from), Driven: stand > 0, Why: why, Blind: blind})
		}
	}
}

// runAlarms replays the guards, and lets the interlock see how many of the alarms stand that it looks for.
func (t *trying) runAlarms(ctx context.Context) error {
	var edges []edge
	for _, g := range t.guards {
		for _, only := range t.rungsOf(g) {
			found, err := Replay(ctx, t.p, ReplayOrder{Guard: only, From: t.from, Until: t.until}, nil)
			if err != nil {
				return err
			}
			edges = append(edges, edgesOf(found.Alarms, fmt.Sprintf("guard %s would have raised an alarm", g.Name))...)
		}
	}
	t.see(edges)
	return nil
}

// rungsOf gives a guard as the interlock looks at it: the rungs that are severe enough, or lie as far out as it says,
// each side by itself; none when it has none.
func (t *trying) rungsOf(g alarm.Guard) (sides []alarm.Guard) {
	whole := t.lock.Alarms
	for n := range g.Count() {
		rung := g.At(n)
		if !whole.Match(alarm.Alarm{Guard: g.Name, Signal: g.Signal, Severity: rung.Severity, Level: g.Level(rung)}) {
			continue
		}
		only := g
		only.Rung, only.Rungs = *rung, nil
		sides = append(sides, only)
	}
	return sides
}

// runCondition steps the condition over the readings, and notes when it could not be told.
func (t *trying) runCondition(ctx context.Context, tx *store.Tx) error {
	in := t.inputs[0]
	held, _, err := in.HeldAt(ctx, tx, t.from)
	if err != nil {
		return err
	}
	run := alarm.NewRun(&t.lock.Cond, t.from, held)
	blind := newBlind(in, held.At, t.from)
	var edges []edge
	if held.At != 0 {
		edges = append(edges, edge{at: t.from})
	}
	silence := func(until measure.Instant) {
		if at := blind.silentAt(until); at != 0 {
			run.Event(&t.lock.Cond, alarm.Event{Kind: alarm.Silence, At: at})
			edges = append(edges, edge{at, 0, blind.why})
		}
	}
	err = timeseries.EachReading(ctx, tx, in.ID, t.from, t.until, func(some []measure.Reading) error {
		for n := range some {
			silence(some[n].At)
			run.Take(some[n:n+1], in.beyond)
			was := blind.why
			if blind.add(some[n]); blind.why != was {
				edges = append(edges, edge{some[n].At, 0, blind.why})
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	silence(t.until)
	t.see(append(edges, edgesOf(run.Finish(t.until), t.why)...))
	return nil
}

// runValues lets the interlock see each value of bands, or of a formula.
func (t *trying) runValues(ctx context.Context, tx *store.Tx) error {
	values, blinds, signals := make([]float64, len(t.inputs)), make([]*blind, len(t.inputs)),
		make([]site.Signal, len(t.inputs))
	hold := func(n int, at measure.Instant, v float64) {
		values[n] = v
		if t.lock.Machine != nil {
			t.lock.Machine.Hold(n, at, v)
		}
	}
	begins := false // there is something to see from the beginning on
	for n, in := range t.inputs {
		held, _, err := in.HeldAt(ctx, tx, t.from)
		if err != nil {
			return err
		}
		signals[n], blinds[n] = in.signal, newBlind(in, held.At, t.from)
		if held.At != 0 {
			hold(n, t.from, held.Value)
			begins = true
		}
	}
	last := drive.Sight{}
	see := func(at measure.Instant) {
		s := t.seeValue(at, values, blinds)
		if last.At == 0 || s.Driven != last.Driven || s.Blind != last.Blind || s.Value != last.Value {
			t.trial.See(s)
			last = s
		}
	}
	until := func(at measure.Instant) { // what is to be seen before the readings of an instant
		if begins && at > t.from {
			see(t.from)
		}
		begins = false
		for _, b := range blinds {
			if silent := b.silentAt(at); silent != 0 {
				see(max(silent, last.At))
			}
		}
	}
	err := timeseries.EachRow(ctx, tx, signals, t.from, t.until, false,
		func(at measure.Instant, row []*measure.Reading) error {
			until(at)
			for n, r := range row {
				if r == nil {
					continue
				}
				if blinds[n].add(*r); r.Quality.Usable() {
					hold(n, at, r.Value)
				}
			}
			see(at)
			return nil
		})
	until(t.until)
	return err
}

func (t *trying) seeValue(at measure.Instant, values []float64, blinds []*blind) drive.Sight {
	s := drive.Sight{At: at}
	for _, b := range blinds {
		if s.Blind == "" {
			s.Blind = b.why
		}
	}
	if s.Blind != "" {
		return s
	}
	if t.lock.Machine == nil {
		s.Number, s.Value, s.Why = true, values[0], fmt.Sprintf("%s reads %s", t.inputs[0].thing,
			measure.Figure(values[0], ""))
		return s
	}
	switch v, known := t.lock.Machine.Compute(at); {
	case !known:
		s.Blind = "the formula gives no value"
	case t.lock.GivesNumber():
		s.Number, s.Value, s.Why = true, v, t.lock.Formula+" gives "+measure.Figure(v, "")
	default:
		s.Driven, s.Why = v != 0, t.lock.Formula+" is true"
	}
	return s
}

// blind follows whether what a signal reads can be believed. What was before its first reading does not count.
type blind struct {
	in     tryInput
	heard  measure.Instant // 0: nothing came yet
	faulty measure.Instant // since when nothing but readings of no use came; 0: the newest is of use
	why    string
}

func newBlind(in tryInput, heard, from measure.Instant) *blind {
	b := &blind{in: in}
	if heard != 0 {
		b.heard = max(heard, from)
	}
	return b
}

// silentAt gives the instant before until at which the signal falls silent; 0: it does not.
func (b *blind) silentAt(until measure.Instant) measure.Instant {
	if b.heard == 0 || b.in.SilentAfter == 0 || b.why != "" {
		return 0
	}
	at := b.heard.Add(b.in.SilentAfter)
	if at >= until {
		return 0
	}
	b.why = b.in.thing + " is silent"
	return at
}

func (b *blind) add(r measure.Reading) {
	b.heard = r.At
	switch {
	case r.Quality.Usable():
		b.faulty, b.why = 0, ""
	case r.Quality&measure.Warming != 0:
		b.why = b.in.thing + " still warms up"
	default:
		if b.faulty == 0 {
			b.faulty = r.At
		}
		if r.At >= b.in.rules.FaultAt(b.faulty) {
			b.why = b.in.thing + " is not to be believed"
		}
	}
}
