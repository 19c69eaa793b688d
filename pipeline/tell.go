package pipeline

import (
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// tellAll makes the transitions of the turn known, in order. Telling one may cause others.
func (t *Turn) tellAll() error {
	for i := 0; i < len(t.happened); i++ {
		if err := t.tell(t.happened[i]); err != nil {
			return err
		}
	}
	t.happened = nil
	return nil
}

// tell makes a transition known: alarm, journal, notices.
func (t *Turn) tell(h happening) error {
	if h.Kind == alarm.Raised {
		if err := t.raise(h); err != nil {
			return err
		}
		t.reconsider(h.guard.suppresses, h.At)
		return nil
	}
	a, err := t.Tx.Alarm(t.ctx, h.guard.alarms[h.Side])
	if err != nil {
		return err
	}
	a.Extreme = h.Extreme
	switch h.Kind {
	case alarm.Cleared:
		err = t.clear(a, h)
		t.reconsider(h.guard.suppresses, h.At)
	case alarm.Acknowledged:
		err = t.markAcknowledged(a, h)
	case alarm.Latched:
		err = t.latch(a, h)
	default:
		err = t.moveAlarm(a, h)
	}
	return err
}

func (t *Turn) raise(h happening) error {
	g, s := h.guard, h.guard.signal
	rung := g.About(h.Transition)
	a := alarm.Alarm{Kind: alarm.ByGuard, Guard: g.Name, Signal: s.Path(), Side: h.Side, Level: g.Level(rung), Severity: rung.Severity, State: alarm.StateRaised,
		RaisedAt: h.At, LearnedAt: t.Now, Value: h.Value, Extreme: h.Extreme, Unit: s.Unit, When: rung.When.String(), Advice: g.Advice, Sentence: t.sentence(g, rung, h.Value)}
	if g.When.Kind == alarm.Silent {
		a.ToldWith = s.device.silenceTold()
	}
	a.Shelved, a.Provisional = g.shelves(a.Severity, t.Now), s.device.provisional()
	if err := t.Tx.AddAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	g.alarms[h.Side] = a.ID
	if err := t.enter(a, "alarm raised", h, a.Sentence); err != nil || a.Shelved || a.ToldWith != nil {
		return err
	}
	return t.tellAnew(story{Alarm: a, test: rung.When, device: s.device, guard: g, kind: roster.Raise}, g.Tell)
}

// silenceTold gives the standing alarm that tells already that the device, or the gateway that it stands behind, is silent.
func (d *deviceLive) silenceTold() *int64 {
	if d.state.AlarmID == nil && d.gateway != nil {
		return d.gateway.state.AlarmID
	}
	return d.state.AlarmID
}

// shelves tells whether a guard's shelving keeps an alarm of a severity from being told.
func (g *guardLive) shelves(s alarm.Severity, now measure.Instant) bool {
	return g.Shelved != nil && *g.Shelved.Until > now && !s.Above(g.Shelved.Severity)
}

// sentence says what a rung of a guard found wrong by a value, in the unit in which the site sees it.
func (t *Turn) sentence(g *guardLive, r *alarm.Rung, value float64) string {
	s := g.signal
	test, unit := roster.Shown(r.When, s.Unit, t.live.site.Units)
	if w := t.watched(s); w != nil {
		seen, _ := t.live.site.Units.Show(value, s.Unit)
		return w.Sentence(test, seen, unit)
	}
	if word := s.stateWord(test); word != "" {
		return s.thing() + " is " + word
	}
	return roster.Sentence(s.deviceTitle(), site.Title(s.Title, s.Name), test, unit)
}

// moveAlarm lets an alarm rise or fall to another rung, or stand again after it had waited to be reset.
func (t *Turn) moveAlarm(a alarm.Alarm, h happening) error {
	g, had, wasShelved := h.guard, a.AcknowledgedAt != nil, a.Shelved
	rung := g.About(h.Transition)
	if h.Kind == alarm.Eased && rung.Clear(h.Value) {
		return t.waitForOver(a, h, rung)
	}
	before := a.Severity
	a.Level, a.Severity, a.When, a.Sentence, a.Latched, a.Cause = g.Level(rung), rung.Severity, rung.When.String(), t.sentence(g, rung, h.Value), false, ""
	a.Ending = ""
	if a.Severity.Above(a.Worst) {
		a.Worst = a.Severity
	}
	worse := a.Severity.Above(before)
	if worse || h.Kind == alarm.Recurred {
		a.AcknowledgedAt, a.AcknowledgedBy, a.HandedTo, a.HandedBy = nil, "", "", ""
	}
	a.Shelved = a.Shelved && g.shelves(a.Severity, t.Now)
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

// waitForOver lets an alarm fall to a rung that the value is clear of, and of which the off-delay runs: that it is over then tells
// it. Until then it says what was wrong.
func (t *Turn) waitForOver(a alarm.Alarm, h happening, rung *alarm.Rung) error {
	a.Level, a.Severity = h.guard.Level(rung), rung.Severity
	return t.changeAlarm(a, h, "", "alarm eased", "It has eased, and is over unless it comes back: "+alarm.Was(a.Sentence))
}

// restate lets what stands say what a changed guard says: its limit, severity and advice. A higher severity is told again.
func (t *Turn) restate(g *guardLive, who string) error {
	for side, id := range g.alarms {
		state := &g.state.Sides[side]
		h := happening{guard: g, off: g.state.Off, who: who,
			Transition: alarm.Transition{Side: alarm.Side(side), Level: state.Level, At: t.Now, Value: g.state.Held, Extreme: state.Extreme}}
		rung := g.About(h.Transition)
		if id == 0 || state.Level == 0 || rung == nil {
			continue
		}
		a, err := t.Tx.Alarm(t.ctx, id)
		if err != nil {
			return err
		}
		if a.Severity == rung.Severity && a.When == rung.When.String() && a.Advice == g.Advice && a.Level == g.Level(rung) {
			continue
		}
		kind := ""
		if rung.Severity.Above(a.Severity) {
			a.AcknowledgedAt, a.AcknowledgedBy, a.HandedTo, a.HandedBy, kind = nil, "", "", "", roster.Worsen
			state.Acknowledged = false
			t.keep(g)
		}
		a.Level, a.Severity, a.Advice = g.Level(rung), rung.Severity, g.Advice
		if !rung.Clear(g.state.Held) { // or else it says what was wrong, until the off-delay has passed
			a.When, a.Sentence = rung.When.String(), t.sentence(g, rung, g.state.Held)
		}
		if a.Severity.Above(a.Worst) {
			a.Worst = a.Severity
		}
		a.Shelved = a.Shelved && g.shelves(a.Severity, t.Now)
		if err := t.changeAlarm(a, h, kind, "alarm restated", "Its guard was changed: "+a.Sentence); err != nil {
			return err
		}
	}
	return nil
}

// changeAlarm writes down what became of a standing alarm and tells it: a rise to all whom the guard tells, what is milder
// to those who heard of the raise. An empty kind tells nobody.
func (t *Turn) changeAlarm(a alarm.Alarm, h happening, kind, entry, text string) error {
	if err := t.Tx.SaveAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	if err := t.enter(a, entry, h, text); err != nil || kind == "" || a.Shelved || a.ToldWith != nil {
		return err
	}
	test, err := alarm.ParseTest(a.When)
	if err != nil {
		return err
	}
	a.Value = h.Value // the message tells what it reads now
	about := story{Alarm: a, test: test, device: h.guard.signal.device, guard: h.guard, kind: kind}
	if kind == roster.Ease || kind == roster.Latched {
		return t.notifyTold(about, "")
	}
	return t.tellAnew(about, h.guard.Tell)
}

func (t *Turn) clear(a alarm.Alarm, h happening) error {
	h.guard.alarms[h.Side] = 0
	test, err := h.guard.testOf(a)
	if err != nil {
		return err
	}
	why, cause := h.ended(test)
	h.At, a.ClearedValue = a.End(h.At, why, cause), &h.Value
	return t.over(a, h, test)
}

// latch lets an alarm of which no rung stands any more wait until a person resets it.
func (t *Turn) latch(a alarm.Alarm, h happening) error {
	test, err := h.guard.testOf(a)
	if err != nil {
		return err
	}
	a.Latched, a.ClearedValue = true, &h.Value
	a.Ending, a.Cause = h.ended(test)
	last, err := t.Tx.LastKind(t.ctx, a.ID)
	if err != nil {
		return err
	}
	kind := roster.Latched
	if last == roster.Latched { // it comes and goes
		kind = ""
	}
	return t.changeAlarm(a, h, kind, "alarm waits", roster.Compose(roster.Latched, t.matter(story{Alarm: a, test: test, guard: h.guard})).Short)
}

// ended says why a transition ended an alarm that was raised by a test. What still meets it, and of which nothing has come since
// the guard was changed, is not back.
func (h *happening) ended(test alarm.Test) (alarm.Ending, string) {
	why, cause := h.guard.Ended(h.Transition, h.off)
	switch {
	case h.Cause == alarm.Reset:
		cause = h.who + " reset it"
	case h.why != "" && h.Cause == alarm.End:
		cause = h.why
	case h.why != "" && (why == alarm.EndBack || why == alarm.EndChanged):
		why, cause = alarm.EndChanged, h.why
	case why == alarm.EndBack && test.Met(h.Value) && h.guard.unread():
		why, cause = alarm.EndChanged, "the guard was changed"
	}
	return why, cause
}

// unread tells whether nothing has come since the guard was made as it is.
func (g *guardLive) unread() bool {
	return g.When.Kind < alarm.Silent && g.state.HeldAt <= g.MadeAt-g.signal.state.Lag()
}

// testOf gives the test that an alarm of the guard was raised by. The number of a word is the guard's.
func (g *guardLive) testOf(a alarm.Alarm) (alarm.Test, error) {
	test, err := alarm.ParseTest(a.When)
	for i := range g.Count() {
		if now := g.At(i).When; now.Kind == test.Kind && now.Word == test.Word && test.Word != "" {
			test.A = now.A
		}
	}
	return test, err
}

// over makes it known that an alarm is over, to those who heard of its raise.
func (t *Turn) over(a alarm.Alarm, h happening, test alarm.Test) error {
	if err := t.Tx.SaveAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	about := story{Alarm: a, test: test, guard: h.guard, kind: roster.Return}
	if h.guard != nil {
		about.device = h.guard.signal.device
	}
	if err := t.enter(a, "alarm over", h, t.matter(about).Ended()); err != nil {
		return err
	}
	if err := t.Tx.EndEscalation(t.ctx, a.ID); err != nil {
		return err
	}
	return t.notifyTold(about, "")
}

func (t *Turn) markAcknowledged(a alarm.Alarm, h happening) error {
	a.AcknowledgedAt, a.AcknowledgedBy = &h.At, h.who
	if err := t.Tx.SaveAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	if err := t.enter(a, "alarm acknowledged", h, h.who+" has it: "+a.Sentence); err != nil {
		return err
	}
	if err := t.Tx.EndEscalation(t.ctx, a.ID); err != nil || a.State == alarm.StateOver {
		return err
	}
	about, _, err := t.storyOf(a.ID)
	if err != nil {
		return err
	}
	about.kind, about.who, about.Alarm = roster.Taken, h.who, a
	if err := t.notifyTold(about, h.who); err != nil || !a.Drill {
		return err
	}
	return t.endDrill(a, h.who+" has it")
}

// enter writes a transition of an alarm into the journal.
func (t *Turn) enter(a alarm.Alarm, kind string, h happening, text string) error {
	t.alarmsMoved = true
	return t.Tx.AddEntry(t.ctx, site.Entry{At: h.At, LearnedAt: t.Now, Kind: kind, Subject: a.Signal, Who: h.who, Value: &h.Value, Text: text, AlarmID: &a.ID}, t.CommitNo)
}

// Enter writes an act of a person into the journal.
func (t *Turn) Enter(kind, subject, who, text string) error {
	return t.Tx.AddEntry(t.ctx, site.Entry{At: t.Now, LearnedAt: t.Now, Kind: kind, Subject: subject, Who: who, Text: text}, t.CommitNo)
}
