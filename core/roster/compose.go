package roster

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

// MessageData is all that the words of an alarm are made of.
type MessageData struct {
	Alarm   alarm.Alarm
	Test    alarm.Test   // as it was at the raise
	Now     alarm.Test   // what is asked now, of an alarm that is over because that was changed
	Stale   bool         // nothing has come for so long that the value may be another by now
	Ran     string       // of a switch: its newest run, in words; empty: nothing is said
	Signal  *site.Signal // for its step and the words of its bands; nil: it has none
	Watched *Watched     // what is computed and looked at; nil: the signal itself
	Thing   string       // what it is about, as people call it: "Fern house air temperature"
	Site    site.Site
	Link    string // address of the alarm in the console; empty for none
	Take    string // address of the page with the button "I have it"; empty for none
	Who     string // who has it, for those who hear that somebody does
	Since   string // what the service has to say of itself first, as that it was blind; empty: nothing
}

// Message is what a notice says.
type Message struct {
	Short string // one line, without a full stop at its end
	// what follows it where there is little room: whole sentences, the fullest first; with each the message is complete
	Rest []string
	Long string // all of it, in paragraphs
	Asks string // what the reader can say that he has: "it", "the first one"; empty: nothing
}

// Sentence says what is wrong: "Fern house air temperature is above 30 °C".
func Sentence(device, signal string, test alarm.Test, unit measure.Unit) string {
	thing := Thing(device, signal)
	switch test.Kind {
	case alarm.Silent:
		return fmt.Sprintf("%s is silent: nothing for %s", thing, prose.Length(time.Duration(test.Length())))
	case alarm.Faulty:
		return thing + " is not to be believed: its readings are stuck or impossible"
	}
	return fmt.Sprintf("%s is %s", thing, test.Words(unit))
}

// Shown gives a test and its unit as people see them.
func Shown(test alarm.Test, stored measure.Unit, units site.Units) (alarm.Test, measure.Unit) {
	unit := units.Of(stored)
	if convert, err := measure.Converter(stored, unit); err == nil && convert != nil {
		return test.In(convert), unit
	}
	return test, stored
}

// Thing joins device and signal as people say them: "Fern house air temperature". A name that
// begins with two capitals (CO2) keeps them.
func Thing(device, signal string) string {
	if len(signal) > 1 && signal[1] >= 'a' && signal[1] <= 'z' {
		signal = strings.ToLower(signal[:1]) + signal[1:]
	}
	return device + " " + signal
}

// Compose finds the words of a notice of a kind.
func Compose(kind string, m MessageData) Message {
	var w Message
	switch kind {
	case Return:
		w = m.over()
	case Latched:
		w = m.waits()
	case Taken:
		w = m.acknowledged()
	default:
		w = m.raised(kind)
	}
	if m.Since != "" {
		w.Long = m.Since + "\n\n" + w.Long
		w.Rest = append([]string{join(" ", w.Rest[0], m.Since)}, w.Rest...)
	}
	return m.asDrill(w)
}

// noDrill is what a drill says of itself.
const noDrill = "Nothing is wrong: this proves that you are reached."

// asDrill lets a message of a drill begin so.
func (m MessageData) asDrill(w Message) Message {
	if !m.Alarm.Drill {
		return w
	}
	w.Short, w.Long = "Drill: "+w.Short, "Drill: nothing is wrong. This proves that you are reached.\n\n"+w.Long
	w.Rest = slices.Clone(w.Rest)
	for i := range w.Rest {
		if w.Asks == "" {
			break // who hears of the end heard of the beginning
		}
		w.Rest[i] = join(" ", noDrill, w.Rest[i])
	}
	return w
}

// acknowledged is the message that somebody has the alarm.
func (m MessageData) acknowledged() Message {
	var b strings.Builder
	fmt.Fprintf(&b, "%s has it: %s.\n\nYou need not do anything. This is alarm %d.\n", m.Who, m.Alarm.Sentence,
		m.Alarm.ID)
	m.sign(&b)
	return Message{Short: fmt.Sprintf("%s has it: %s", m.Who, m.Alarm.Sentence),
		Rest: []string{"You need not do anything."}, Long: b.String()}
}

// leads is how messages of a kind begin.
var leads = map[string]string{Worsen: "It is worse. ", Ease: "It has eased. "}

func (m MessageData) raised(kind string) Message {
	a := m.Alarm
	var b strings.Builder
	if b.WriteString(leads[kind]); kind == Hand {
		fmt.Fprintf(&b, "%s asks you to take this on.\n\n", a.HandedBy)
	}
	fmt.Fprintf(&b, "%s.\n\n", a.Sentence)
	if facts := m.facts(true); facts != "" {
		fmt.Fprintln(&b, facts)
	}
	fmt.Fprintf(&b, "Since %s.\nSeverity: %s. This is alarm %d.\n", m.when(a.RaisedAt), a.Severity, a.ID)
	if a.Advice != "" {
		fmt.Fprintf(&b, "\n%s\n", adviceWords(a.Advice))
	}
	w := Message{Short: prose.Capital(string(a.Severity)) + ": " + a.Sentence, Rest: m.rest(kind, false)}
	if kind != Ease {
		w.Asks = "it"
		fmt.Fprintf(&b, "\nTo say that you have it: %s\n", m.acknowledge())
	}
	if m.Take != "" && m.Link != "" || kind == Ease && m.Link != "" {
		fmt.Fprintf(&b, "\nTo see how it stands: %s\n", m.Link)
	}
	m.sign(&b)
	w.Long = b.String()
	switch kind {
	case Worsen:
		w.Short = fmt.Sprintf("Worse, %s: %s", a.Severity, a.Sentence)
	case Ease:
		w.Short = fmt.Sprintf("Eased, %s: %s", a.Severity, a.Sentence)
	case Hand:
		w.Short = fmt.Sprintf("For you from %s, %s: %s", a.HandedBy, a.Severity, a.Sentence)
	}
	return w
}

// rest is what follows the short line of what stands, the fullest first: what it reads, and what to do. Own short lines
// may not say the limit, so it is told with them.
func (m MessageData) rest(kind string, limit bool) []string {
	facts := m.facts(limit)
	if m.Alarm.Drill {
		facts = "" // it is made up
	}
	if kind != Ease && m.Alarm.Advice != "" {
		return []string{join(" ", facts, adviceWords(m.Alarm.Advice)), facts}
	}
	return []string{facts}
}

// facts say what was seen, in a sentence, with or without the limit.
func (m MessageData) facts(limit bool) string {
	a := m.Alarm
	switch {
	case a.Kind == alarm.BySilence:
		return fmt.Sprintf("Nothing has come for %s.", prose.Length(time.Duration(a.Value*float64(time.Second))))
	case a.Kind == alarm.ByClock:
		return fmt.Sprintf("For %s it has sent nothing newer than what was there.",
			prose.Length(time.Duration(a.Value*float64(time.Second))))
	case a.Kind == alarm.ByDisk:
		return fmt.Sprintf("%s are free.", prose.Bytes(int64(a.Value)))
	case a.Kind == alarm.ByGuard && m.Test.Switched() && m.Ran != "":
		return "It " + m.Ran + "."
	case a.Kind != alarm.ByGuard || !m.Test.Measured():
		return ""
	case m.Watched != nil && m.Watched.Reads(a.Value, a.Unit) != "": // the sentence tells it
		return ""
	}
	says := "It reads " + m.reading(a.Value)
	if m.Stale {
		says = "It last read " + m.reading(a.Value)
	}
	if limit {
		test, unit := Shown(m.Test, a.Unit, m.Site.Units)
		says += ", and " + limits(test, unit)
	}
	return says + "."
}

func adviceWords(advice string) string { return stop("What to do: " + strings.TrimSpace(advice)) }

// stop ends a sentence.
func stop(sentence string) string {
	if sentence == "" || strings.ContainsAny(sentence[len(sentence)-1:], ".!?") || strings.HasSuffix(sentence, "…") {
		return sentence
	}
	return sentence + "."
}

// figure writes a value of the alarm in the unit in which the site sees it.
func (m MessageData) figure(value float64) string {
	if m.Signal != nil {
		return m.Signal.Figure(value, m.Site.Units)
	}
	return measure.Figure(m.Site.Units.Show(value, m.Alarm.Unit))
}

// reading is the same, with the word of the band that the value lies in.
func (m MessageData) reading(value float64) string {
	if m.Signal != nil {
		return m.Signal.Says(value, m.Site.Units)
	}
	return m.figure(value)
}

func (m MessageData) acknowledge() string {
	for _, link := range []string{m.Take, m.Link} {
		if link != "" {
			return link
		}
	}
	return fmt.Sprintf("jaunty alarm ack %d", m.Alarm.ID)
}

func (m MessageData) sign(b *strings.Builder) {
	fmt.Fprintf(b, "\n%s, watched by Jaunty Lark\n", m.Site.Name)
}

func (m MessageData) when(i measure.Instant) string { return When(m.Site, i) }

// When says an instant in the site's zone: "14:32:07 on Monday 23 November 2026 (Europe/Dublin)".
func When(s site.Site, i measure.Instant) string {
	zone := s.Location()
	return i.Time().In(zone).Format("15:04:05 on Monday 2 January 2006") + " (" + zone.String() + ")"
}

// limits says what the limits of a test are: "the limit is 30 °C".
func limits(t alarm.Test, unit measure.Unit) string {
	if l := t.Limits(); len(l) == 2 {
		return fmt.Sprintf("the limits are %s and %s", measure.Figure(l[0], ""), measure.Figure(l[1], unit))
	}
	return "the limit is " + measure.Figure(t.A, unit)
}
