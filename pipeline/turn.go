package pipeline

import (
	"context"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store"
)

// Turn is one commit in the making.
type Turn struct {
	Tx       *store.Tx
	Now      measure.Instant
	CommitNo int64

	p             *Pipeline
	ctx           context.Context
	live          *live
	rows          []store.Row           // readings to store
	stored        map[at]float64        // readings that doubtful ones are compared with
	noted         int                   // so many of rows are in stored
	signals       map[int64]*signalLive // those whose state changed
	guards        map[int64]*guardLive  // those whose state may have to be saved
	lives         map[int64]*deviceLive // those whose life changed
	waiting       []*derivedLive        // to be computed when all readings of the instant are there
	touches       map[int64]reach       // where what is derived from a signal must be computed anew
	forgotten     map[int64]bool        // signals whose past is another now
	happened      []happening
	room          []alarm.Transition
	touched       bool // the state in memory is ahead of the database
	configRaised  bool
	configChanged bool // the state in memory must be loaded anew
	noticed       bool
}

// happening is one transition with the guard and the person behind it.
type happening struct {
	guard *guardLive
	alarm.Transition
	who string
}

// begin takes the ledger and brings the state in memory up to the commit before this one.
func (t *Turn) begin() (err error) {
	commitNo, configNo, err := t.Tx.TakeLedger(t.ctx)
	if err != nil {
		return err
	}
	t.CommitNo, t.live = commitNo, t.p.live
	switch {
	case t.live == nil || t.live.configNo != configNo:
		if t.live, err = load(t.ctx, t.Tx); err != nil {
			return err
		}
		t.live.configNo = configNo
	case t.live.commitNo != commitNo-1:
		if err = t.live.refresh(t.ctx, t.Tx, t.live.commitNo); err != nil {
			return err
		}
	}
	t.live.commitNo = commitNo - 1
	t.p.live = t.live
	return nil
}

// signalsChanged tells other processes to load anew; this one has already taken the change in.
func (t *Turn) signalsChanged() (err error) {
	if !t.configRaised {
		t.configRaised = true
		t.live.configNo, err = t.Tx.RaiseConfig(t.ctx)
	}
	return err
}

// ConfigChanged says that the act changed devices, keys or guards in the database, so that every
// process, this one too, must load anew.
func (t *Turn) ConfigChanged() error {
	t.configChanged = true
	_, err := t.Tx.RaiseConfig(t.ctx)
	return err
}

func (t *Turn) changed(s *signalLive) {
	if t.signals == nil {
		t.signals = map[int64]*signalLive{}
	}
	t.signals[s.ID] = s
}

// step moves a guard by one event.
func (t *Turn) step(g *guardLive, e alarm.Event, who string) {
	before := g.state
	g.state, t.room = alarm.Step(&g.Guard, g.state, e, t.room[:0])
	for _, tr := range t.room {
		t.happened = append(t.happened, happening{g, tr, who})
	}
	if !g.state.Kept(before) || e.Kind == alarm.Begin {
		t.keep(g)
	}
}

// keep has the state of a guard saved.
func (t *Turn) keep(g *guardLive) {
	t.touched = true
	if t.guards == nil {
		t.guards = map[int64]*guardLive{}
	}
	t.guards[g.ID] = g
}

// finish writes down what the turn has gathered.
func (t *Turn) finish() error {
	if err := t.tellAll(); err != nil {
		return err
	}
	if err := t.Tx.CopyReadings(t.ctx, t.rows); err != nil {
		return err
	}
	if err := t.noteTouches(); err != nil {
		return err
	}
	states := make([]store.SignalState, 0, len(t.signals))
	for _, s := range t.signals {
		states = append(states, s.state)
	}
	if err := t.Tx.SaveSignalStates(t.ctx, states, t.CommitNo); err != nil {
		return err
	}
	for id, d := range t.lives {
		if t.live.devices[id] != d {
			continue // removed in this turn
		}
		if err := t.Tx.SaveDeviceState(t.ctx, d.state, t.CommitNo); err != nil {
			return err
		}
	}
	return t.saveGuards()
}

func (t *Turn) saveGuards() error {
	kept := make([]store.GuardState, 0, len(t.guards))
	for id, g := range t.guards {
		if t.live.guards[id] != g {
			continue // removed in this turn
		}
		k := store.GuardState{Guard: id, Phase: g.state.Phase, Acknowledged: g.state.Acknowledged, Since: g.state.Since,
			RaisedAt: g.state.RaisedAt, Extreme: g.state.Extreme, BegunAt: g.begunAt, SilentSince: g.state.SilentSince}
		if due := g.state.Due(&g.Guard); due != 0 {
			due += g.signal.state.Lag() // by our clock
			k.DueAt = &due
		}
		if g.alarmID != 0 {
			k.AlarmID = &g.alarmID
		}
		kept = append(kept, k)
	}
	return t.Tx.SaveGuardStates(t.ctx, kept, t.CommitNo)
}

// tellAll makes the transitions of the turn known, in order.
func (t *Turn) tellAll() error {
	for _, h := range t.happened {
		if err := t.tell(h); err != nil {
			return err
		}
	}
	t.happened = nil
	return nil
}

// tell makes a transition known: alarm, journal, notices.
func (t *Turn) tell(h happening) error {
	switch h.Kind {
	case alarm.Raised:
		return t.raise(h)
	case alarm.Cleared:
		return t.clear(h)
	default:
		return t.acknowledge(h)
	}
}

func (t *Turn) raise(h happening) error {
	g, s := h.guard, h.guard.signal
	a := alarm.Alarm{Kind: alarm.ByGuard, Guard: g.Name, Signal: s.Path(), Severity: g.Severity, State: alarm.StateRaised, RaisedAt: h.At, LearnedAt: t.Now,
		Value: h.Value, Extreme: h.Extreme, Unit: s.Unit, When: g.When.String(), Advice: g.Advice,
		Sentence: t.sentence(g)}
	if err := t.Tx.AddAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	g.alarmID = a.ID
	if err := t.enter(a, "alarm raised", h, a.Sentence); err != nil {
		return err
	}
	return t.notify(roster.Raise, a, g.When, g.Tell, s.device)
}

// sentence says what a guard found wrong, in the unit in which the site sees it.
func (t *Turn) sentence(g *guardLive) string {
	s := g.signal
	test, unit := roster.Shown(g.When, s.Unit, t.live.site.Units)
	return roster.Sentence(site.Title(s.device.Title, s.device.Name), site.Title(s.Title, s.Name), test, unit)
}

func (t *Turn) clear(h happening) error {
	a, err := t.Tx.Alarm(t.ctx, h.guard.alarmID)
	if err != nil {
		return err
	}
	h.guard.alarmID = 0
	a.State, a.ClearedAt, a.ClearedValue, a.Extreme = alarm.StateOver, &h.At, &h.Value, h.Extreme
	if h.Cause == alarm.End {
		a.Cause = "the guard was removed"
	}
	test, err := alarm.ParseTest(a.When)
	if err != nil {
		return err
	}
	return t.over(a, h, test)
}

// over makes it known that an alarm is over, to those who heard of its raise.
func (t *Turn) over(a alarm.Alarm, h happening, test alarm.Test) error {
	if err := t.Tx.SaveAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	if err := t.enter(a, "alarm over", h, "It is over: "+roster.Was(a.Sentence)+" for "+roster.Length(h.At.Sub(a.RaisedAt))); err != nil {
		return err
	}
	told, err := t.Tx.AddressesTold(t.ctx, a.ID)
	if err != nil {
		return err
	}
	var device *deviceLive
	if h.guard != nil {
		device = h.guard.signal.device
	}
	return t.notify(roster.Return, a, test, told, device)
}

func (t *Turn) acknowledge(h happening) error {
	a, err := t.Tx.Alarm(t.ctx, h.guard.alarmID)
	if err != nil {
		return err
	}
	return t.markAcknowledged(a, h)
}

func (t *Turn) markAcknowledged(a alarm.Alarm, h happening) error {
	a.AcknowledgedAt, a.AcknowledgedBy = &h.At, h.who
	if a.State == alarm.StateRaised {
		a.Extreme = h.Extreme
	}
	if err := t.Tx.SaveAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	return t.enter(a, "alarm acknowledged", h, h.who+" has it: "+a.Sentence)
}

// enter writes a transition of an alarm into the journal.
func (t *Turn) enter(a alarm.Alarm, kind string, h happening, text string) error {
	return t.Tx.AddEntry(t.ctx, site.Entry{At: h.At, LearnedAt: t.Now, Kind: kind, Subject: a.Signal, Who: h.who, Value: &h.Value, Text: text, AlarmID: &a.ID}, t.CommitNo)
}

// Enter writes an act of a person into the journal.
func (t *Turn) Enter(kind, subject, who, text string) error {
	return t.Tx.AddEntry(t.ctx, site.Entry{At: t.Now, LearnedAt: t.Now, Kind: kind, Subject: subject, Who: who, Text: text}, t.CommitNo)
}

// notify plans the notices of an alarm. Those about a guard of a device that catches up are held back
// for a while, and what belongs to a raise that is held back with it.
func (t *Turn) notify(kind string, a alarm.Alarm, test alarm.Test, addresses []string, device *deviceLive) error {
	m := roster.Matter{Alarm: a, Test: test, Site: t.live.site}
	if t.p.Link != nil {
		m.Link = t.p.Link(a.ID)
	}
	for _, n := range roster.Plan(kind, m, addresses) {
		n.CreatedAt = t.Now
		if err := t.Tx.AddNotice(t.ctx, &n); err != nil {
			return err
		}
		until := device.heldUntil(t.Now)
		if kind == roster.Return {
			var err error
			if until, err = t.Tx.HeldUntil(t.ctx, a.ID, n.Address); err != nil {
				return err
			}
		}
		if until == 0 {
			t.noticed = true
		} else if err := t.Tx.Hold(t.ctx, n.ID, device.ID, until); err != nil {
			return err
		}
	}
	return nil
}

const (
	sweepInterval = 200 * time.Millisecond
	sweepAfter    = time.Second // readings that are on their way come first
	sweepAtOnce   = 1000
	beatEvery     = 5                       // sweeps between two notes that the ways in are up
	downAfter     = 2500 * time.Millisecond // no such note for so long: they were down
)

// sweepEvery settles delays that ended without a reading.
func (p *Pipeline) sweepEvery(ctx context.Context, interval time.Duration) {
	tick := time.NewTicker(interval)
	defer tick.Stop()
	for ticks := 0; ; ticks++ {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if ticks%beatEvery == 0 {
			if _, err := p.store.Beat(ctx, p.Now(), downAfter.Milliseconds()); err != nil {
				continue
			}
		}
		if due, err := p.store.AnyDue(ctx, p.Now().Add(-sweepAfter)); err != nil || !due {
			continue // a database that is away is logged by the commits
		}
		if err := p.Do(ctx, (*Turn).sweep); err != nil && ctx.Err() == nil {
			p.Log.Warn("sweeping failed, will try again", "error", err)
		}
	}
}

func (t *Turn) sweep() error {
	if err := t.sweepDevices(); err != nil { // first, since delays stand still in silence
		return err
	}
	if err := t.saveGuards(); err != nil {
		return err
	}
	until := t.Now.Add(-sweepAfter)
	ids, err := t.Tx.DueGuards(t.ctx, until, sweepAtOnce)
	if err != nil {
		return err
	}
	for _, id := range ids {
		g := t.live.guards[id]
		due := g.state.Due(&g.Guard)
		t.step(g, alarm.Event{Kind: alarm.DueInstant, At: until - g.signal.state.Lag()}, "")
		if st := &g.signal.state; st.SteppedAt < due {
			st.SteppedAt = due
			t.changed(g.signal)
		}
	}
	if err := t.tellAll(); err != nil {
		return err
	}
	return t.release()
}

func (t *Turn) sweepDevices() error {
	ids, err := t.Tx.DueDevices(t.ctx, t.Now, sweepAtOnce)
	if err != nil || len(ids) == 0 {
		return err
	}
	upSince, err := t.Tx.UpSince(t.ctx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		if err := t.lookAt(t.live.devices[id], upSince); err != nil {
			return err
		}
	}
	return nil
}
