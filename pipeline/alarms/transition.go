package alarms

import (
	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/store/events"
)

// Turn is a turn in which alarms are raised, change and end.
type Turn struct{ *notice.Turn }

// New makes a turn of what is in memory, whose messages have addresses.
func New(m *memory.Turn, l notice.Links) *Turn { return &Turn{notice.New(m, l)} }

// TellAll makes the transitions of the turn known, in order. Telling one may cause others.
func (t *Turn) TellAll() error {
	for i := 0; i < len(t.Happened); i++ {
		if err := t.tell(t.Happened[i]); err != nil {
			return err
		}
	}
	t.Happened = nil
	return nil
}

// tell makes a transition known: alarm, journal, notices.
func (t *Turn) tell(h event.Happening) error {
	if h.Kind == alarm.Raised {
		if err := t.raise(h); err != nil {
			return err
		}
		t.Reconsider(h.Guard.Suppresses, h.At)
		return nil
	}
	a, err := events.Alarm(t.Ctx, t.Tx, h.Guard.Alarms[h.Side])
	if err != nil {
		return err
	}
	a.Extreme = h.Extreme
	switch h.Kind {
	case alarm.Cleared:
		err = t.clear(a, h)
		t.Reconsider(h.Guard.Suppresses, h.At)
	case alarm.Acknowledged:
		err = t.MarkAcknowledged(a, h)
	case alarm.Latched:
		err = t.latch(a, h)
	default:
		err = t.moveAlarm(a, h)
	}
	return err
}

func (t *Turn) raise(h event.Happening) error {
	g, s := h.Guard, h.Guard.Subject
	rung := g.About(h.Transition)
	a := alarm.Alarm{Kind: alarm.ByGuard, Guard: g.Name, Signal: s.Path(), Side: h.Side, Level: g.Level(rung),
		Severity: rung.Severity, State: alarm.StateRaised,
		RaisedAt: h.At, LearnedAt: t.Now, Value: h.Value, Extreme: h.Extreme, Unit: s.Unit, When: rung.When.String(),
		Advice: g.Advice, Sentence: t.Site.Sentence(g, rung, h.Value)}
	if g.When.Kind == alarm.Silent {
		a.ToldWith = s.Home.SilenceTold()
	}
	a.Shelved, a.Provisional = g.Shelves(a.Severity, t.Now), s.Home.Provisional()
	if err := events.AddAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return err
	}
	g.Alarms[h.Side] = a.ID
	if err := t.EnterAlarm(a, "alarm raised", h, a.Sentence); err != nil || a.Shelved || a.ToldWith != nil {
		return err
	}
	return t.TellAnew(notice.Topic{Alarm: a, Test: rung.When, Device: s.Home, Guarding: g, Tells: roster.Raise}, g.Tell)
}

// moveAlarm lets an alarm rise or fall to another rung, or stand again after it had waited to be reset.
func (t *Turn) moveAlarm(a alarm.Alarm, h event.Happening) error {
	g, had, wasShelved := h.Guard, a.AcknowledgedAt != nil, a.Shelved
	rung := g.About(h.Transition)
	if h.Kind == alarm.Eased && rung.Clear(h.Value) {
		return t.waitForOver(a, h, rung)
	}
	before := a.Severity
	a.Level, a.Severity, a.When, a.Sentence, a.Latched, a.Cause = g.Level(rung), rung.Severity, rung.When.String(),
		t.Site.Sentence(g, rung, h.Value), false, ""
	a.Ending = ""
	if a.Severity.Above(a.Worst) {
		a.Worst = a.Severity
	}
	worse := a.Severity.Above(before)
	if worse || h.Kind == alarm.Recurred {
		a.AcknowledgedAt, a.AcknowledgedBy, a.HandedTo, a.HandedBy = nil, "", "", ""
	}
	a.Shelved = a.Shelved && g.Shelves(a.Severity, t.Now)
	switch {
	case h.Kind == alarm.Eased:
		return t.changeAlarm(a, h, roster.Ease, "alarm eased", "It has eased: "+a.Sentence)
	case wasShelved && !a.Shelved:
		return t.changeAlarm(a, h, roster.Raise, "alarm worsened", "It is worse: "+a.Sentence)
	case h.Kind == alarm.Recurred && !had: // those who were told have it before them still
		return t.changeAlarm(a, h, "", "alarm back", "It is back before it was reset: "+a.Sentence)
	case h.Kind == alarm.Recurred:
		return t.changeAlarm(a, h, roster.Raise, "alarm back", "It is back before it was reset: "+a.Sentence)
	case !worse:
		return t.changeAlarm(a, h, "", "alarm worsened", "It is worse: "+a.Sentence)
	}
	return t.changeAlarm(a, h, roster.Worsen, "alarm worsened", "It is worse: "+a.Sentence)
}

// waitForOver lets an alarm fall to a rung that the value is clear of, and of which the off-delay runs: that it is over
// then tells it. Until then it says what was wrong.
func (t *Turn) waitForOver(a alarm.Alarm, h event.Happening, rung *alarm.Rung) error {
	a.Level, a.Severity = h.Guard.Level(rung), rung.Severity
	return t.changeAlarm(a, h, "", "alarm eased", "It has eased, and is over unless it comes back: "+
		alarm.Was(a.Sentence))
}

// Restate lets what stands say what a changed guard says: its limit, severity and advice. A higher severity is told
// again.
func (t *Turn) Restate(g *memory.Guard, who string) error {
	for side, id := range g.Alarms {
		state := &g.State.Sides[side]
		h := event.Happening{Guard: g, Off: g.State.Off, Who: who,
			Transition: alarm.Transition{Side: alarm.Side(side), Level: state.Level, At: t.Now, Value: g.State.Held,
				Extreme: state.Extreme}}
		rung := g.About(h.Transition)
		if id == 0 || state.Level == 0 || rung == nil {
			continue
		}
		a, err := events.Alarm(t.Ctx, t.Tx, id)
		if err != nil {
			return err
		}
		if a.Severity == rung.Severity && a.When == rung.When.String() && a.Advice == g.Advice &&
			a.Level == g.Level(rung) {
			continue
		}
		kind := ""
		if rung.Severity.Above(a.Severity) {
			a.AcknowledgedAt, a.AcknowledgedBy, a.HandedTo, a.HandedBy, kind = nil, "", "", "", roster.Worsen
			state.Acknowledged = false
			t.GuardChanged(g)
		}
		a.Level, a.Severity, a.Advice = g.Level(rung), rung.Severity, g.Advice
		if !rung.Clear(g.State.Held) { // or else it says what was wrong, until the off-delay has passed
			a.When, a.Sentence = rung.When.String(), t.Site.Sentence(g, rung, g.State.Held)
		}
		if a.Severity.Above(a.Worst) {
			a.Worst = a.Severity
		}
		a.Shelved = a.Shelved && g.Shelves(a.Severity, t.Now)
		if err := t.changeAlarm(a, h, kind, "alarm restated", "Its guard was changed: "+a.Sentence); err != nil {
			return err
		}
	}
	return nil
}

// changeAlarm writes down what became of a standing alarm and tells it: a rise to all whom the guard tells, what is
// milder to those who heard of the raise. An empty kind tells nobody.
func (t *Turn) changeAlarm(a alarm.Alarm, h event.Happening, kind, entry, text string) error {
	if err := events.SaveAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return err
	}
	if err := t.EnterAlarm(a, entry, h, text); err != nil || kind == "" || a.Shelved || a.ToldWith != nil {
		return err
	}
	test, err := alarm.ParseTest(a.When)
	if err != nil {
		return err
	}
	a.Value = h.Value // the message tells what it reads now
	about := notice.Topic{Alarm: a, Test: test, Device: h.Guard.Subject.Home, Guarding: h.Guard, Tells: kind}
	if kind == roster.Ease || kind == roster.Latched {
		return t.NotifyTold(about, "")
	}
	return t.TellAnew(about, h.Guard.Tell)
}

func (t *Turn) clear(a alarm.Alarm, h event.Happening) error {
	h.Guard.Alarms[h.Side] = 0
	test, err := h.Guard.TestOf(a)
	if err != nil {
		return err
	}
	why, cause := h.Ended(test)
	h.At, a.ClearedValue = a.End(h.At, why, cause), &h.Value
	return t.Over(a, h, test)
}

// latch lets an alarm of which no rung stands any more wait until a person resets it.
func (t *Turn) latch(a alarm.Alarm, h event.Happening) error {
	test, err := h.Guard.TestOf(a)
	if err != nil {
		return err
	}
	a.Latched, a.ClearedValue = true, &h.Value
	a.Ending, a.Cause = h.Ended(test)
	last, err := events.LastKind(t.Ctx, t.Tx, a.ID)
	if err != nil {
		return err
	}
	kind := roster.Latched
	if last == roster.Latched { // it comes and goes
		kind = ""
	}
	return t.changeAlarm(a, h, kind, "alarm waits",
		roster.Compose(roster.Latched, t.MessageData(notice.Topic{Alarm: a, Test: test, Guarding: h.Guard})).Short)
}

// Over makes it known that an alarm is over, to those who heard of its raise.
func (t *Turn) Over(a alarm.Alarm, h event.Happening, test alarm.Test) error {
	if err := events.SaveAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return err
	}
	about := notice.Topic{Alarm: a, Test: test, Guarding: h.Guard, Tells: roster.Return}
	if h.Guard != nil {
		about.Device = h.Guard.Subject.Home
	}
	if err := t.EnterAlarm(a, "alarm over", h, t.MessageData(about).Ended()); err != nil {
		return err
	}
	if err := events.EndEscalation(t.Ctx, t.Tx, a.ID); err != nil {
		return err
	}
	return t.NotifyTold(about, "")
}

// MarkAcknowledged notes that somebody has an alarm, and tells the others.
func (t *Turn) MarkAcknowledged(a alarm.Alarm, h event.Happening) error {
	a.AcknowledgedAt, a.AcknowledgedBy = &h.At, h.Who
	if err := events.SaveAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return err
	}
	if err := t.EnterAlarm(a, "alarm acknowledged", h, h.Who+" has it: "+a.Sentence); err != nil {
		return err
	}
	if err := events.EndEscalation(t.Ctx, t.Tx, a.ID); err != nil || a.State == alarm.StateOver {
		return err
	}
	about, _, err := t.TopicOf(a.ID)
	if err != nil {
		return err
	}
	about.Tells, about.Who, about.Alarm = roster.Taken, h.Who, a
	if err := t.NotifyTold(about, h.Who); err != nil || !a.Drill {
		return err
	}
	return t.EndDrill(a, h.Who+" has it")
}
