package roster

import (
	"fmt"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Matter is all that the words of an alarm are made of.
type Matter struct {
	Alarm alarm.Alarm
	Test  alarm.Test // as it was at the raise
	Site  site.Site
	Link  string // address of the alarm in the console; empty for none
	Take  string // address of the page with the button "I have it"; empty for none
	Who   string // who has it, for those who hear that somebody does
	Since string // what the service has to say of itself first, as that it was blind; empty: nothing
}

// Message is what a notice says.
type Message struct {
	Short string // one line
	Long  string // all of it, in paragraphs
}

// Sentence says what is wrong: "Fern house air temperature is above 30 °C".
func Sentence(device, signal string, test alarm.Test, unit measure.Unit) string {
	thing := Thing(device, signal)
	switch test.Kind {
	case alarm.Silent:
		return fmt.Sprintf("%s is silent: nothing for %s", thing, Length(time.Duration(test.Length())))
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
func Compose(kind string, m Matter) Message {
	var short, long string
	switch kind {
	case Return:
		short, long = m.over()
	case Latched:
		short, long = m.waits()
	case Taken:
		short, long = m.taken()
	default:
		short, long = m.raised(kind)
	}
	if m.Since != "" {
		long = m.Since + "\n\n" + long
	}
	return m.asDrill(Message{short, long})
}

// asDrill lets a message of a drill begin so.
func (m Matter) asDrill(w Message) Message {
	if m.Alarm.Drill {
		w = Message{"Drill: " + w.Short, "Drill: nothing is wrong. This proves that you are reached.\n\n" + w.Long}
	}
	return w
}

// taken is the message that somebody has the alarm.
func (m Matter) taken() (short, long string) {
	var b strings.Builder
	fmt.Fprintf(&b, "%s has it: %s.\n\nYou need not do anything. This is alarm %d.\n", m.Who, m.Alarm.Sentence, m.Alarm.ID)
	m.sign(&b)
	return fmt.Sprintf("%s has it: %s", m.Who, m.Alarm.Sentence), b.String()
}

// leads is how messages of a kind begin.
var leads = map[string]string{Worsen: "It is worse. ", Ease: "It has eased. "}

func (m Matter) raised(kind string) (subject, text string) {
	a := m.Alarm
	var b strings.Builder
	if b.WriteString(leads[kind]); kind == Hand {
		fmt.Fprintf(&b, "%s asks you to take this on.\n\n", a.HandedBy)
	}
	fmt.Fprintf(&b, "%s.\n\n", a.Sentence)
	switch {
	case a.Kind == alarm.BySilence:
		fmt.Fprintf(&b, "Nothing has come for %s.\n", Length(time.Duration(a.Value*float64(time.Second))))
	case a.Kind == alarm.ByClock:
		fmt.Fprintf(&b, "For %s it has sent nothing newer than what was there.\n", Length(time.Duration(a.Value*float64(time.Second))))
	case a.Kind == alarm.ByDisk:
		fmt.Fprintf(&b, "%s are free.\n", measure.Bytes(int64(a.Value)))
	case a.Kind == alarm.ByGuard && m.Test.Measured():
		test, unit := Shown(m.Test, a.Unit, m.Site.Units)
		fmt.Fprintf(&b, "It reads %s, and %s.\n", m.figure(a.Value), limits(test, unit))
	}
	fmt.Fprintf(&b, "Since %s.\nHow bad: %s. This is alarm %d.\n", m.when(a.RaisedAt), a.Severity, a.ID)
	if a.Advice != "" {
		fmt.Fprintf(&b, "\nWhat to do: %s\n", a.Advice)
	}
	fmt.Fprintf(&b, "\nTo say that you have it: %s\n", m.acknowledge())
	if m.Take != "" && m.Link != "" {
		fmt.Fprintf(&b, "\nTo see how it stands: %s\n", m.Link)
	}
	m.sign(&b)
	switch kind {
	case Worsen:
		return fmt.Sprintf("Worse, %s: %s", a.Severity, a.Sentence), b.String()
	case Ease:
		return fmt.Sprintf("Eased, %s: %s", a.Severity, a.Sentence), b.String()
	case Hand:
		return fmt.Sprintf("For you: %s", a.Sentence), b.String()
	}
	return fmt.Sprintf("%s: %s", capital(string(a.Severity)), a.Sentence), b.String()
}

// waits is the message of a latched alarm whose cause is gone.
func (m Matter) waits() (subject, text string) {
	was := alarm.Was(m.Alarm.Sentence)
	var b strings.Builder
	fmt.Fprintf(&b, "It is back in order. %s since %s.\n\nThe alarm stays until somebody has looked and resets it: %s\n", was, m.when(m.Alarm.RaisedAt), m.reset())
	m.sign(&b)
	return "Back in order, reset it: " + was, b.String()
}

func (m Matter) reset() string {
	if m.Link != "" {
		return m.Link
	}
	return fmt.Sprintf("jaunty alarm reset %d", m.Alarm.ID)
}

func (m Matter) over() (subject, text string) {
	a := m.Alarm
	was := alarm.Was(a.Sentence)
	lasted := Length(a.ClearedAt.Sub(a.RaisedAt))
	var b strings.Builder
	fmt.Fprintf(&b, "It is over. %s for %s.\n\n", was, lasted)
	fmt.Fprintf(&b, "Raised at %s.\nOver at %s.\n", m.when(a.RaisedAt), m.when(*a.ClearedAt))
	if a.Kind == alarm.ByGuard && m.Test.Measured() {
		fmt.Fprintf(&b, "It went as far as %s", m.figure(a.Extreme))
		if a.ClearedValue != nil {
			fmt.Fprintf(&b, ", and reads %s now", m.figure(*a.ClearedValue))
		}
		b.WriteString(".\n")
	}
	if a.Cause != "" {
		fmt.Fprintf(&b, "It is over because: %s.\n", a.Cause)
	}
	if a.AcknowledgedBy != "" {
		fmt.Fprintf(&b, "%s had it.\n", a.AcknowledgedBy)
	}
	m.sign(&b)
	return fmt.Sprintf("Over after %s: %s", lasted, was), b.String()
}

// figure writes a value of the alarm in the unit in which the site sees it.
func (m Matter) figure(value float64) string {
	return measure.Figure(m.Site.Units.Show(value, m.Alarm.Unit))
}

func (m Matter) acknowledge() string {
	for _, link := range []string{m.Take, m.Link} {
		if link != "" {
			return link
		}
	}
	return fmt.Sprintf("jaunty alarm ack %d", m.Alarm.ID)
}

func (m Matter) sign(b *strings.Builder) {
	fmt.Fprintf(b, "\n%s, watched by Jaunty Lark\n", m.Site.Name)
}

func (m Matter) when(i measure.Instant) string { return When(m.Site, i) }

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

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// Length says how long in its two largest parts: "4 minutes", "1 hour 5 minutes", "12 seconds".
func Length(d time.Duration) string {
	d = d.Round(time.Second)
	parts := []string{}
	for _, unit := range []struct {
		name string
		size time.Duration
	}{{"day", 24 * time.Hour}, {"hour", time.Hour}, {"minute", time.Minute}, {"second", time.Second}} {
		n := d / unit.size
		d -= n * unit.size
		switch {
		case n == 1:
			parts = append(parts, "1 "+unit.name)
		case n > 1:
			parts = append(parts, fmt.Sprintf("%d %ss", n, unit.name))
		case len(parts) > 0:
			return parts[0]
		}
		if len(parts) == 2 {
			break
		}
	}
	if len(parts) == 0 {
		return "less than a second"
	}
	return strings.Join(parts, " ")
}
