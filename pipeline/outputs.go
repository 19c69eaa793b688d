package pipeline

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store"
)

// drives is what the pipeline keeps in memory of outputs and what drives them.
type drives struct {
	outputs   map[int64]*outputLive
	locks     map[int64]*lockLive
	emergency *drive.AllSafe
	driving   *[]alarm.Alarm // alarms that may drive interlocks; nil: to be asked for
	broken    []*lockLive    // interlocks that cannot work any more
}

type outputLive struct {
	drive.Output
	device *deviceLive
	locks  []*lockLive // in order of their making
}

// title is what people call the output, with its device: "Boiler room fan".
func (o *outputLive) title() string {
	return roster.Thing(site.Title(o.device.Title, o.device.Name), site.Title(o.Title, o.Name))
}

// loadDrives reads outputs and interlocks; their states come with refresh.
func (l *live) loadDrives(ctx context.Context, tx *store.Tx) (err error) {
	l.drives = drives{outputs: map[int64]*outputLive{}, locks: map[int64]*lockLive{}}
	if l.emergency, err = tx.Emergency(ctx); err != nil {
		return err
	}
	outputs, err := tx.Outputs(ctx)
	if err != nil {
		return err
	}
	byPath := map[string]*outputLive{}
	for _, o := range outputs {
		byPath[o.Path()] = l.output(o)
	}
	locks, err := tx.Interlocks(ctx)
	if err != nil {
		return err
	}
	for _, i := range locks {
		if _, err := l.lock(ctx, tx, i, byPath[i.Output]); err != nil {
			return fmt.Errorf("interlock %s: %w", i.Name, err)
		}
	}
	return nil
}

// output takes in an output.
func (l *live) output(o drive.Output) *outputLive {
	entry := &outputLive{Output: o, device: l.byName[o.Device]}
	l.outputs[o.ID], entry.device.outputs[o.Name] = entry, entry
	return entry
}

// refreshDrives reads the states that commits after since have changed.
func (l *live) refreshDrives(ctx context.Context, tx *store.Tx, since int64) error {
	l.driving = nil
	outputs, err := tx.OutputStates(ctx, since)
	if err != nil {
		return err
	}
	for _, st := range outputs {
		l.outputs[st.Output].State = st.State
	}
	locks, err := tx.InterlockStates(ctx, since)
	if err != nil {
		return err
	}
	for _, st := range locks {
		i := l.locks[st.Interlock]
		i.Memory, i.state.Kept, i.begunAt, i.dueAt = st.Memory, st.Condition, st.BegunAt, 0
		if st.DueAt != nil {
			i.dueAt = *st.DueAt
		}
	}
	for _, s := range l.signals {
		for _, i := range s.locks {
			i.hold(s)
		}
	}
	return nil
}

// outputAt gives the output at DEVICE/OUTPUT; nil: there is none.
func (l *live) outputAt(path string) *outputLive {
	device, name, _ := strings.Cut(path, "/")
	if d := l.byName[device]; d != nil {
		return d.outputs[name]
	}
	return nil
}

// noOutput says that there is no such output, with the nearest that there is.
func (l *live) noOutput(path string) string {
	var paths []string
	for _, o := range l.outputs {
		paths = append(paths, o.Path())
	}
	slices.Sort(paths)
	return site.Unknown("output", path, paths)
}

// outputNamed gives the output that an act is about.
func (t *Turn) outputNamed(path string) (*outputLive, error) {
	if o := t.live.outputAt(path); o != nil {
		return o, nil
	}
	return nil, fmt.Errorf("%s: %w", t.live.noOutput(path), store.ErrNotFound)
}

// consider has an output decided anew at the end of the turn.
func (t *Turn) consider(o *outputLive) {
	if t.undecided == nil {
		t.undecided = map[int64]*outputLive{}
	}
	t.undecided[o.ID] = o
}

// settleAtMost bounds how often a turn decides anew since deciding has raised an alarm that drives something.
const settleAtMost = 8

// driveOutputs lets interlocks look at what has changed in the turn, and orders outputs what follows from it.
func (t *Turn) driveOutputs() error {
	if len(t.live.outputs) == 0 {
		t.undecided, t.alarmsMoved = nil, false
		return nil
	}
	for range settleAtMost {
		if err := t.lookAll(); err != nil {
			return err
		}
		if len(t.undecided) == 0 {
			break
		}
		all := t.undecided
		t.undecided = nil
		for _, id := range slices.Sorted(maps.Keys(all)) {
			if err := t.decide(all[id]); err != nil {
				return err
			}
		}
		if err := t.tellAll(); err != nil {
			return err
		}
	}
	if err := t.saveLocks(); err != nil || len(t.orders) == 0 {
		return err
	}
	return t.Tx.AnnounceOrders(t.ctx, t.CommitNo)
}

// demands gives all that is asked of an output.
func (t *Turn) demands(o *outputLive) (all []drive.Demand) {
	if e := t.live.emergency; e != nil {
		why := e.By + " put all outputs into the safe state"
		if e.Why != "" {
			why += ": " + e.Why
		}
		all = append(all, drive.Demand{Rank: drive.Emergency, Value: o.Safe, Who: e.By, Why: why})
	}
	if h := o.Hand; h != nil {
		why := h.By + " set it by hand until " + h.Until.Time().In(t.live.site.Location()).Format("15:04:05")
		if h.Why != "" {
			why += ": " + h.Why
		}
		all = append(all, drive.Demand{Rank: drive.ByHand, Value: h.To, Who: h.By, Why: why})
	}
	for _, i := range o.locks {
		if d, asks := i.Demand(); asks {
			all = append(all, d)
		}
	}
	return all
}

// decide orders an output what wins, compares that with what its device says, and writes both down.
func (t *Turn) decide(o *outputLive) error {
	t.touched = true
	if o.Hand != nil && o.Hand.Until <= t.Now {
		ended := *o.Hand
		o.Hand = nil
		if err := t.Enter("hand setting over", o.Path(), "", fmt.Sprintf("%s: %s's setting to %s is over", o.title(), ended.By, o.Words(ended.To))); err != nil {
			return err
		}
	}
	before := o.State
	state, turned := o.Order(o.State, o.Choose(t.demands(o)), t.Now)
	o.State = state
	if turned {
		o.No = t.CommitNo
		t.ordered(o)
	}
	if turned || o.By != before.By || o.Interlock != before.Interlock || o.Who != before.Who || o.Why != before.Why {
		if err := t.enterOrder(o, before, turned); err != nil {
			return err
		}
	}
	o.Compare(t.Now)
	if err := t.judgeOutput(o); err != nil {
		return err
	}
	return t.Tx.SaveOutputState(t.ctx, &o.Output, o.Due(), t.CommitNo)
}

// ordered has the order told to the device after the commit.
func (t *Turn) ordered(o *outputLive) {
	t.orders = slices.DeleteFunc(t.orders, func(other drive.Output) bool { return other.ID == o.ID })
	t.orders = append(t.orders, o.Output)
}

func (t *Turn) enterOrder(o *outputLive, before drive.State, turned bool) error {
	does := o.Goes(o.Ordered)
	switch {
	case before.By == "":
		does = "begins " + o.Be(o.Ordered)
	case !turned:
		does = "stays " + o.Be(o.Ordered)
	}
	text := fmt.Sprintf("%s %s: %s", o.title(), does, o.Why)
	if o.Interlock != "" {
		text += " (interlock " + o.Interlock + ")"
	}
	return t.Enter("output ordered", o.Path(), o.Who, text)
}

// judgeOutput raises an alarm when a device does not do what it was ordered for too long, and ends it when it does.
func (t *Turn) judgeOutput(o *outputLive) error {
	switch {
	case o.AlarmID == nil && o.Overdue(t.Now):
		return t.raiseOutputAlarm(o)
	case o.AlarmID != nil && o.DiffersSince == nil:
		return t.endOutputAlarm(o, alarm.EndBack, "")
	}
	return nil
}

func (t *Turn) raiseOutputAlarm(o *outputLive) error {
	severity, tell := t.rosterOf(o.device)
	if len(tell) == 0 {
		var err error
		if tell, err = t.ownTell(); err != nil {
			return err
		}
	}
	says := "its device does not say that it does"
	switch {
	case o.Confirmed == nil:
	case *o.Confirmed != o.Ordered:
		says = "its device says that it is " + o.Be(*o.Confirmed)
	default:
		says = "its device has said nothing since " + roster.When(t.live.site, *o.ConfirmedAt)
	}
	a := alarm.Alarm{Kind: alarm.ByOutput, Signal: o.Path(), Severity: severity, State: alarm.StateRaised, RaisedAt: *o.DiffersSince, LearnedAt: t.Now,
		When: "not as ordered for " + measure.Duration(o.Patience()).String(), ToldWith: o.device.silenceTold(), Advice: "Look at it: it may have no power, or its device no network.",
		Sentence: fmt.Sprintf("%s is not as ordered: it was told to be %s, and %s", o.title(), o.Be(o.Ordered), says)}
	if err := t.Tx.AddAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	o.AlarmID = &a.ID
	if err := t.enter(a, "alarm raised", happening{Transition: alarm.Transition{At: a.RaisedAt}}, a.Sentence); err != nil || a.ToldWith != nil {
		return err
	}
	return t.tellAnew(story{Alarm: a, kind: roster.Raise, device: o.device}, tell)
}

func (t *Turn) endOutputAlarm(o *outputLive, why alarm.Ending, cause string) error {
	if o.AlarmID == nil {
		return nil
	}
	a, err := t.Tx.Alarm(t.ctx, *o.AlarmID)
	if err != nil {
		return err
	}
	o.AlarmID = nil
	now := a.End(t.Now, why, cause)
	return t.over(a, happening{Transition: alarm.Transition{At: now}}, alarm.Test{})
}

// dueOutputs gives the outputs of which a least time, a setting by hand or the patience with a device has ended.
func (t *Turn) dueOutputs() ([]int64, error) { return t.Tx.DueOutputs(t.ctx, t.Now) }

// sweepOutputs decides anew what outputs are ordered.
func (t *Turn) sweepOutputs(ids []int64) error {
	for _, id := range ids {
		t.consider(t.live.outputs[id])
	}
	return nil
}

// dueInterlocks gives the interlocks whose delays or hours have ended.
func (t *Turn) dueInterlocks() ([]int64, error) { return t.Tx.DueInterlocks(t.ctx, t.Now) }

// sweepInterlocks lets interlocks look.
func (t *Turn) sweepInterlocks(ids []int64) error {
	for _, id := range ids {
		i := t.live.locks[id]
		if i.signal != nil {
			t.stepLock(i, alarm.Event{Kind: alarm.DueInstant, At: t.Now.Add(-sweepAfter) - i.signal.state.Lag()})
		}
		t.mayLook(i)
	}
	return nil
}
