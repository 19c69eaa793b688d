package due

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/events"
)

const (
	lateInterval = 2 * time.Second
	lateAfter    = 10 * time.Second // that nothing more came, before guards are asked
	lateMargin   = time.Hour        // so much before and after, for what was going on
)

// lateEvery asks guards, beside their live state, about stretches of late readings (docs/semantics.md 4).
func lateEvery(ctx context.Context, p *pipeline.Pipeline) {
	ctx = store.For(ctx, store.Background)
	d := &dueWork{name: "judge late readings", fails: map[int64]*failure{}}
	tick := time.NewTicker(lateInterval)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		stretches, err := events.LateStretches(ctx, p.Store, p.Now().Add(-lateAfter))
		if err != nil {
			continue // a database that is away is logged by the commits
		}
		for _, s := range stretches { // one that fails keeps no other from its turn
			if d.ready(s.Signal) {
				d.went(ctx, p, []int64{s.Signal}, judgeLate(ctx, p, s))
			}
		}
	}
}

// judgeLate adds the alarms that would have been in a stretch of late readings and are not known, marked learned late.
// Known alarms and the state of guards never change, but for an alarm that disprove ends. People get one summary.
func judgeLate(ctx context.Context, p *pipeline.Pipeline, s events.LateStretch) error {
	var guards []askedGuard
	var over evidence.Subject
	err := p.Do(ctx, func(t *reading.Turn) error {
		signal := t.Site.Signals[s.Signal]
		if signal == nil {
			return nil
		}
		over = evidence.SubjectOf(signal, t.Now)
		for _, g := range signal.Guards {
			from := max(g.MadeAt, s.From.Add(-lateMargin-longestDelay(&g.Guard)))
			if g.MadeAt <= s.Until && g.When.Kind < alarm.Silent && g.OutOfUse == nil {
				guards = append(guards, askedGuard{guard: g.Guard, from: from, stands: g.Alarms != [2]int64{}})
			}
		}
		return nil
	})
	if err != nil || over.ID == 0 {
		return err
	}
	var found []occurred
	for i := range guards {
		g := &guards[i]
		until := over.Reached
		if !g.stands {
			until = min(until, s.Until.Add(lateMargin+longestDelay(&g.guard)))
		}
		if g.found, err = evidence.Replay(ctx, p, evidence.ReplayOrder{Guard: g.guard, From: g.from, Until: until},
			nil); err != nil {
			return err
		}
		for _, o := range g.found.Alarms {
			if o.RaisedAt <= s.Until && o.ClearedAt != nil && *o.ClearedAt >= s.From {
				found = append(found, occurred{g.guard.ID, o})
			}
		}
	}
	held, err := heldNow(ctx, p, over)
	if err != nil {
		return err
	}
	return p.Do(ctx, func(t *reading.Turn) error {
		taken, err := events.TakeLate(t.Ctx, t.Tx, s)
		if err != nil || !taken {
			return err
		}
		for i := range guards {
			if err := disprove(t, &guards[i], held); err != nil {
				return err
			}
		}
		return learn(t, s, found)
	})
}

// askedGuard is a guard that is asked about late readings, and what a replay since from finds by all that is known.
type askedGuard struct {
	guard  alarm.Guard
	from   measure.Instant
	stands bool
	found  evidence.Replayed
}

// heldNow gives the newest usable reading of a signal, late ones included.
func heldNow(ctx context.Context, p *pipeline.Pipeline, over evidence.Subject) (measure.Reading, error) {
	tx, err := p.Store.Look(ctx)
	if err != nil {
		return measure.Reading{}, err
	}
	defer tx.Rollback()
	over.SilentAfter = 0
	held, _, err := over.HeldAt(ctx, tx, over.Reached+1)
	return held, err
}

// disprove ends the alarms of a guard that stand, were raised while its device was catching up, and never were by what
// is known now: the replay finds no alarm of the side that reaches them. What held last by then holds now.
func disprove(t *reading.Turn, asked *askedGuard, held measure.Reading) error {
	g := t.Site.Guards[asked.guard.ID]
	if g == nil || held.At == 0 {
		return nil
	}
	for n, standing := range g.Alarms {
		if standing == 0 {
			continue
		}
		a, err := events.Alarm(t.Ctx, t.Tx, standing)
		if err != nil {
			return err
		}
		side := alarm.Side(n)
		stood := slices.ContainsFunc(asked.found.Alarms, func(o alarm.Occurrence) bool {
			return o.Side == side && (o.ClearedAt == nil || *o.ClearedAt >= a.RaisedAt)
		})
		if !a.Provisional || stood || a.RaisedAt < asked.from {
			continue
		}
		s := g.Subject
		if held.At > s.State.HeldAt {
			s.State.HeldAt, s.State.Held, s.State.HeldRaw = held.At, held.Value, s.Timeline.At(held.At).Raw(held.Value)
			t.Changed(s)
			for _, other := range s.Guards {
				other.State.Held, other.State.HeldAt = s.HeldBy(&other.Guard)
			}
		}
		t.Step(g, alarm.Event{Kind: alarm.Disproved, Side: side, At: t.Now - s.State.Lag(), Value: s.State.Held,
			Since: asked.found.State.RisingSince(side)}, "")
	}
	return t.TellAll()
}

func longestDelay(g *alarm.Guard) (d time.Duration) {
	for i := range g.Count() {
		d = max(d, time.Duration(g.At(i).OnDelay), time.Duration(g.At(i).OffDelay))
	}
	return d
}

// occurred is an alarm that a guard would have raised.
type occurred struct {
	guard int64
	alarm.Occurrence
}

// learn adds alarms of the past that are not known, and tells of them in one summary for each address.
func learn(t *reading.Turn, s events.LateStretch, found []occurred) error {
	learned, err := learnAll(t, found)
	if err != nil || len(learned) == 0 {
		return err
	}
	news := map[string][]roster.News{}
	readers := map[string]roster.Recipient{}
	var order []string
	signal := t.Site.Signals[s.Signal]
	for _, a := range learned {
		for _, r := range roster.Distinct(t.Readers(a.tell)) {
			key := r.Carrier + " " + r.To
			if _, known := readers[key]; !known {
				readers[key] = r
				order = append(order, key)
			}
			news[key] = append(news[key], roster.NewsOf(t.MessageData(notice.Topic{Alarm: a.Alarm}), t.Now))
		}
	}
	for _, key := range order {
		words := roster.CaughtUp(t.Site.Settings, site.Title(signal.Home.Title, signal.Home.Name), news[key])
		if err := t.Summarise(readers[key], words, news[key]); err != nil {
			return err
		}
	}
	return nil
}

// learned is an alarm that was added, with those whom its guard tells.
type learned struct {
	alarm.Alarm
	tell []string
}

// learnAll adds what is over and overlaps with no known alarm of its side, in order of the raises.
func learnAll(t *reading.Turn, found []occurred) (all []learned, err error) {
	slices.SortStableFunc(found, func(a, b occurred) int { return cmp.Compare(a.RaisedAt, b.RaisedAt) })
	for _, o := range found {
		g := t.Site.Guards[o.guard]
		if g == nil || o.ClearedAt == nil {
			continue
		}
		known, err := events.AlarmsWithin(t.Ctx, t.Tx, g.Name, o.RaisedAt, *o.ClearedAt)
		if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(known, func(a alarm.Alarm) bool { return a.Side == o.Side }) {
			continue
		}
		a, err := learnOne(t, g, o.Occurrence)
		if err != nil {
			return nil, err
		}
		all = append(all, learned{a, g.Tell})
	}
	return all, nil
}

func learnOne(t *reading.Turn, g *memory.Guard, o alarm.Occurrence) (alarm.Alarm, error) {
	rung := &g.Rung
	for i := range g.Count() {
		if r := g.At(i); g.Level(r) == o.Level {
			rung = r
		}
	}
	a := alarm.Alarm{Kind: alarm.ByGuard, Guard: g.Name, Signal: g.Subject.Path(), Side: o.Side, Level: o.Level,
		Severity: rung.Severity, State: alarm.StateOver,
		RaisedAt: o.RaisedAt, ClearedAt: o.ClearedAt, LearnedAt: t.Now, Value: o.Value, Extreme: o.Extreme,
		Unit: g.Subject.Unit, When: rung.When.String(),
		Advice: g.Advice, Sentence: t.Site.Sentence(g, rung, o.Value), LearnedLate: true, Ending: o.Ending,
		Cause: o.Cause}
	if err := events.AddAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return a, err
	}
	text := fmt.Sprintf("Learned late: %s for %s", alarm.Was(a.Sentence), prose.Length(o.Length(t.Now)))
	return a, t.EnterAlarm(a, "alarm learned late",
		event.Happening{Transition: alarm.Transition{At: a.RaisedAt, Value: a.Value}}, text)
}

// Remember adds the alarms that guards would have raised since an instant, before they were made, marked learned late.
// Nobody is told. It is for a site whose history was brought in; alarms that are known already are not added again.
func Remember(ctx context.Context, p *pipeline.Pipeline, names []string, from measure.Instant) error {
	var all []occurred
	for _, name := range names {
		var g alarm.Guard
		err := p.Do(ctx, func(t *reading.Turn) error {
			entry, err := t.Site.FindGuard(name)
			if err == nil {
				g = entry.Guard
			}
			return err
		})
		if err != nil {
			return err
		}
		replayed, err := evidence.Replay(ctx, p, evidence.ReplayOrder{Guard: g, From: from, Until: g.MadeAt}, nil)
		if err != nil {
			return err
		}
		for _, o := range replayed.Alarms {
			all = append(all, occurred{g.ID, o})
		}
	}
	return p.Do(ctx, func(t *reading.Turn) error {
		_, err := learnAll(t, all)
		return err
	})
}
