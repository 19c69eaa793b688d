package output

import (
	"fmt"
	"maps"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline/alarms"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// Turn is a turn in which interlocks look and outputs are ordered something.
type Turn struct {
	*alarms.Turn
	room       []alarm.Transition
	looking    map[int64]*memory.Interlock // interlocks that are to look
	movedLocks map[int64]*memory.Interlock // those whose state has to be saved
	undecided  map[int64]*memory.Output    // outputs of which something else may be asked now
	Orders     []drive.Output              // what is told to devices after the commit
}

// New makes a turn of what is in memory, whose messages have addresses.
func New(m *memory.Turn, l notice.Links) *Turn { return &Turn{Turn: alarms.New(m, l)} }

// ForgetInterlock takes an interlock out of what is at work.
func (t *Turn) ForgetInterlock(i *memory.Interlock) {
	t.Alter(i.Drives.Home)
	t.Site.RemoveInterlock(i)
	delete(t.looking, i.ID)
}

// Consider has an output decided anew at the end of the turn.
func (t *Turn) Consider(o *memory.Output) {
	if t.undecided == nil {
		t.undecided = map[int64]*memory.Output{}
	}
	t.undecided[o.ID] = o
	t.Alter(o.Home)
}

// settleAtMost bounds how often a turn decides anew since deciding has raised an alarm that drives something.
const settleAtMost = 8

// DriveOutputs lets interlocks look at what has changed in the turn, and orders outputs what follows from it.
func (t *Turn) DriveOutputs() error {
	if len(t.Site.Outputs) == 0 {
		t.undecided, t.AlarmsMoved = nil, false
		return nil
	}
	for range settleAtMost {
		if err := t.evaluateAll(); err != nil {
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
		if err := t.TellAll(); err != nil {
			return err
		}
	}
	if err := t.saveLocks(); err != nil || len(t.Orders) == 0 {
		return err
	}
	return config.AnnounceOrders(t.Ctx, t.Tx, t.CommitNo)
}

// demands gives all that is asked of an output.
func (t *Turn) demands(o *memory.Output) (all []drive.Demand) {
	if e := t.Site.Emergency; e != nil {
		why := e.By + " put all outputs into the safe state"
		if e.Why != "" {
			why += ": " + e.Why
		}
		all = append(all, drive.Demand{Rank: drive.Emergency, Value: o.Safe, Who: e.By, Why: why})
	}
	if h := o.Hand; h != nil {
		why := h.By + " set it by hand until " + h.Until.Time().In(t.Site.Settings.Location()).Format("15:04:05")
		if h.Why != "" {
			why += ": " + h.Why
		}
		all = append(all, drive.Demand{Rank: drive.ByHand, Value: h.To, Who: h.By, Why: why})
	}
	for _, i := range o.Interlocks {
		if d, asks := i.Demand(); asks {
			all = append(all, d)
		}
	}
	return all
}

// decide orders an output what wins, compares that with what its device says, and writes both down.
func (t *Turn) decide(o *memory.Output) error {
	t.Alter(o.Home)
	if o.Hand != nil && o.Hand.Until <= t.Now {
		ended := *o.Hand
		o.Hand = nil
		if err := t.Enter("hand setting over", o.Path(), "", fmt.Sprintf("%s: %s's setting to %s is over",
			o.FullTitle(), ended.By, o.Words(ended.To))); err != nil {
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
	return config.SaveOutputState(t.Ctx, t.Tx, &o.Output, o.Due(), t.CommitNo)
}

// ordered has the order told to the device after the commit.
func (t *Turn) ordered(o *memory.Output) {
	t.Orders = slices.DeleteFunc(t.Orders, func(other drive.Output) bool { return other.ID == o.ID })
	t.Orders = append(t.Orders, o.Output)
}

func (t *Turn) enterOrder(o *memory.Output, before drive.State, turned bool) error {
	does := o.Goes(o.Ordered)
	switch {
	case before.By == "":
		does = "begins " + o.Be(o.Ordered)
	case !turned:
		does = "stays " + o.Be(o.Ordered)
	}
	text := fmt.Sprintf("%s %s: %s", o.FullTitle(), does, o.Why)
	if o.Interlock != "" {
		text += " (interlock " + o.Interlock + ")"
	}
	return t.Enter("output ordered", o.Path(), o.Who, text)
}

// judgeOutput raises an alarm when a device does not do what it was ordered for too long, and ends it when it does.
func (t *Turn) judgeOutput(o *memory.Output) error {
	switch {
	case o.AlarmID == nil && o.Overdue(t.Now):
		return t.raiseOutputAlarm(o)
	case o.AlarmID != nil && o.DiffersSince == nil:
		return t.EndOutputAlarm(o, alarm.EndBack, "")
	}
	return nil
}

func (t *Turn) raiseOutputAlarm(o *memory.Output) error {
	severity, tell := t.Site.RosterOf(o.Home)
	if len(tell) == 0 {
		var err error
		if tell, err = t.OwnReaders(); err != nil {
			return err
		}
	}
	says := "its device does not say that it does"
	switch {
	case o.Confirmed == nil:
	case *o.Confirmed != o.Ordered:
		says = "its device says that it is " + o.Be(*o.Confirmed)
	default:
		says = "its device has said nothing since " + roster.When(t.Site.Settings, *o.ConfirmedAt)
	}
	a := alarm.Alarm{Kind: alarm.ByOutput, Signal: o.Path(), Severity: severity, State: alarm.StateRaised,
		RaisedAt: *o.DiffersSince, LearnedAt: t.Now,
		When: "not as ordered for " + measure.Duration(o.Patience()).String(), ToldWith: o.Home.SilenceTold(),
		Advice: "Look at it: it may have no power, or its device no network.",
		Sentence: fmt.Sprintf("%s is not as ordered: it was told to be %s, and %s", o.FullTitle(), o.Be(o.Ordered),
			says)}
	if err := events.AddAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return err
	}
	o.AlarmID = &a.ID
	if err := t.EnterAlarm(a, "alarm raised", event.Happening{Transition: alarm.Transition{At: a.RaisedAt}},
		a.Sentence); err != nil || a.ToldWith != nil {
		return err
	}
	return t.TellAnew(notice.Topic{Alarm: a, Tells: roster.Raise, Device: o.Home}, tell)
}

// EndOutputAlarm lets the alarm that an output is not as ordered be over, if it stands.
func (t *Turn) EndOutputAlarm(o *memory.Output, why alarm.Ending, cause string) error {
	if o.AlarmID == nil {
		return nil
	}
	a, err := events.Alarm(t.Ctx, t.Tx, *o.AlarmID)
	if err != nil {
		return err
	}
	o.AlarmID = nil
	now := a.End(t.Now, why, cause)
	return t.Over(a, event.Happening{Transition: alarm.Transition{At: now}}, alarm.Test{})
}

// DueOutputs gives the outputs of which a least time, a setting by hand or the patience with a device has ended.
func (t *Turn) DueOutputs() ([]int64, error) { return config.DueOutputs(t.Ctx, t.Tx, t.Now) }

// SweepOutputs decides anew what outputs are ordered.
func (t *Turn) SweepOutputs(ids []int64) error {
	for _, id := range ids {
		t.Consider(t.Site.Outputs[id])
	}
	return nil
}

// DueInterlocks gives the interlocks whose delays or hours have ended.
func (t *Turn) DueInterlocks() ([]int64, error) { return config.DueInterlocks(t.Ctx, t.Tx, t.Now) }

// SweepInterlocks lets interlocks look.
func (t *Turn) SweepInterlocks(ids []int64) error {
	for _, id := range ids {
		i := t.Site.Interlocks[id]
		if i.Subject != nil {
			t.StepInterlock(i, alarm.Event{Kind: alarm.DueInstant,
				At: t.Now.Add(-event.SweepAfter) - i.Subject.State.Lag()})
		}
		t.MayLook(i)
	}
	return nil
}

// EndOutput takes an output out of what is decided; its alarm is over.
func (t *Turn) EndOutput(o *memory.Output, cause string) error {
	t.Alter(o.Home)
	delete(t.Site.Outputs, o.ID)
	delete(o.Home.Outputs, o.Name)
	delete(t.undecided, o.ID)
	for _, i := range slices.Clone(o.Interlocks) {
		t.ForgetInterlock(i)
	}
	return t.EndOutputAlarm(o, alarm.EndUnwatched, cause)
}
