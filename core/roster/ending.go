package roster

import (
	"fmt"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/prose"
)

// over is the message that an alarm is over, and why.
func (m MessageData) over() Message {
	a := m.Alarm
	var b strings.Builder
	if back(a.Ending) {
		fmt.Fprintf(&b, "It is over after %s. %s.\n\n", m.lasted(), alarm.Was(a.Sentence))
	} else {
		fmt.Fprintf(&b, "%s\n\n", m.lead())
		if a.Ending != alarm.EndDrill {
			fmt.Fprintf(&b, "What it was about: %s.\n", a.Sentence)
		}
	}
	fmt.Fprintf(&b, "Raised at %s.\nOver at %s.\n", m.when(a.RaisedAt), m.when(*a.ClearedAt))
	if a.Kind == alarm.ByGuard && m.Test.Measured() && !a.Drill {
		fmt.Fprintf(&b, "It went as far as %s", m.figure(a.Extreme))
		if a.ClearedValue != nil && back(a.Ending) {
			fmt.Fprintf(&b, ", and reads %s now", m.reading(*a.ClearedValue))
		}
		b.WriteString(".\n")
	}
	if a.Cause != "" && a.Ending == alarm.EndBack {
		fmt.Fprintf(&b, "It is over because: %s.\n", a.Cause)
	}
	if a.Ending == alarm.EndReset {
		fmt.Fprintf(&b, "%s.\n", prose.Capital(a.Cause))
	}
	if a.AcknowledgedBy != "" && a.Ending != alarm.EndDrill {
		fmt.Fprintf(&b, "%s had it.\n", a.AcknowledgedBy)
	}
	m.sign(&b)
	w := Message{Short: m.Ended(), Rest: []string{""}, Long: b.String()}
	if reads := m.reads(); reads != "" && back(a.Ending) {
		w.Rest = []string{reads, ""}
	}
	return w
}

// back tells whether an alarm is over because what was wrong is back in order.
func back(e alarm.Ending) bool { return e == "" || e == alarm.EndBack || e == alarm.EndReset }

func (m MessageData) lasted() string { return prose.Length(m.Alarm.ClearedAt.Sub(m.Alarm.RaisedAt)) }

// Ended says in a line that an alarm is over: why, what it reads, what it was about.
func (m MessageData) Ended() string {
	a := m.Alarm
	was := alarm.Was(a.Sentence)
	switch a.Ending {
	case alarm.EndUnwatched, alarm.EndChanged:
		return fmt.Sprintf("%s %s (alarm for %s)", m.lead(), was, m.lasted())
	case alarm.EndDisproved:
		return fmt.Sprintf("Withdrawn, as %s: %s", a.Cause, a.Sentence)
	case alarm.EndDrill:
		return fmt.Sprintf("over, %s. Nothing was wrong with %s", a.Cause, m.thing())
	case alarm.EndReset:
		return fmt.Sprintf("Over after %s, %s: %s", m.lasted(), a.Cause, was)
	}
	return fmt.Sprintf("Over after %s: %s", m.lasted(), was)
}

// lead is the sentence that tells why an alarm is over though its value is not known to be back, and what it reads.
func (m MessageData) lead() string {
	a := m.Alarm
	switch a.Ending {
	case alarm.EndUnwatched:
		return join(" ", "No longer watched: "+a.Cause+".", m.reads())
	case alarm.EndDisproved:
		return "Withdrawn: " + a.Cause + "."
	case alarm.EndDrill:
		return fmt.Sprintf("It is over: %s. Nothing was wrong with %s.", a.Cause, m.thing())
	}
	says := join(" ", "No longer an alarm: "+a.Cause+".", m.reads())
	if m.Now.Measured() && m.Now != m.Test {
		test, unit := Shown(m.Now, a.Unit, m.Site.Units)
		says = fmt.Sprintf("%s, and %s now.", strings.TrimSuffix(says, "."), limits(test, unit))
	}
	return says
}

// reads says what the signal of an alarm that ends reads, and whether that is wrong still; empty where it reads
// nothing.
func (m MessageData) reads() string {
	a := m.Alarm
	if a.Kind != alarm.ByGuard || a.ClearedValue == nil || a.Drill {
		return ""
	}
	wrong := m.Test.Met(*a.ClearedValue)
	still := ""
	if wrong {
		still = "still "
	}
	if m.Watched != nil && m.Test.Measured() {
		if says := m.Watched.Reads(m.Site.Units.Show(*a.ClearedValue, a.Unit)); says != "" {
			return says
		}
	}
	switch {
	case m.Test.Measured() && m.Stale:
		return "It last read " + m.reading(*a.ClearedValue) + "."
	case m.Test.Measured():
		return fmt.Sprintf("It %sreads %s.", still, m.reading(*a.ClearedValue))
	case wrong && (m.Test.Switched() || m.Test.Kind == alarm.IsWord || m.Test.Kind == alarm.IsNotWord):
		return join(" ", fmt.Sprintf("It is still %s.", m.Test.Words("")), m.ranSays())
	case m.Test.Switched():
		return m.ranSays()
	}
	return ""
}

// ranSays says the newest run, in a sentence.
func (m MessageData) ranSays() string {
	if m.Ran == "" {
		return ""
	}
	return "It " + m.Ran + "."
}

// thing is what an alarm is about.
func (m MessageData) thing() string {
	if m.Thing != "" {
		return m.Thing
	}
	thing, _, _ := strings.Cut(m.Alarm.Sentence, " is ")
	return thing
}

// waits is the message of a latched alarm of which no rung stands any more.
func (m MessageData) waits() Message {
	a := m.Alarm
	was := alarm.Was(a.Sentence)
	var b strings.Builder
	w := Message{Short: "Back in order, reset it: " + was, Rest: []string{m.reads()}}
	if back(a.Ending) {
		fmt.Fprintf(&b, "It is back in order. %s since %s.\n\n", was, m.when(a.RaisedAt))
	} else {
		w.Short, w.Rest = fmt.Sprintf("%s It stays until it is reset: %s", m.lead(), was), []string{""}
		fmt.Fprintf(&b, "%s\n\nWhat it was about: %s, since %s.\n\n", m.lead(), a.Sentence, m.when(a.RaisedAt))
	}
	fmt.Fprintf(&b, "The alarm stays until somebody has looked and resets it: %s\n", m.reset())
	m.sign(&b)
	w.Long = b.String()
	return w
}

func (m MessageData) reset() string {
	if m.Link != "" {
		return m.Link
	}
	return fmt.Sprintf("jaunty alarm reset %d", m.Alarm.ID)
}
