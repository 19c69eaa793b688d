package roster

import (
	"strings"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func instant(t *testing.T, text string) measure.Instant {
	var i measure.Instant
	if err := i.UnmarshalText([]byte(text)); err != nil {
		t.Fatal(err)
	}
	return i
}

func messageData(t *testing.T) MessageData {
	cleared, value := instant(t, "2026-07-01T03:11:00Z"), 28.9
	test := alarm.Test{Kind: alarm.Above, A: 30}
	return MessageData{Test: test,
		Site: site.Site{Name: "Hollowbrook Fernery", Zone: "Europe/Dublin"},
		Alarm: alarm.Alarm{Kind: alarm.ByGuard, ID: 12, Severity: alarm.Warning,
			RaisedAt: instant(t, "2026-07-01T02:06:00Z"), ClearedAt: &cleared, ClearedValue: &value,
			Value: 31.2, Extreme: 34.5, Unit: "Cel", When: test.String(),
			Sentence: Sentence("Fern house", "Air temperature", test, "Cel")}}
}

func TestTheRaiseSaysWhatWhereHowBadSinceWhen(t *testing.T) {
	m := messageData(t)
	m.Alarm.Advice = "Open the vents."
	n := Compose(Raise, m)
	if n.Short != "Warning: Fern house air temperature is above 30 °C" {
		t.Errorf("subject %q", n.Short)
	}
	want := `Fern house air temperature is above 30 °C.

It reads 31.2 °C, and the limit is 30 °C.
Since 03:06:00 on Wednesday 1 July 2026 (Europe/Dublin).
Severity: warning. This is alarm 12.

What to do: Open the vents.

To say that you have it: jaunty alarm ack 12

Hollowbrook Fernery, watched by Jaunty Lark
`
	if n.Long != want {
		t.Errorf("text\n%s\nwant\n%s", n.Long, want)
	}
	m.Link = "https://lark.example.org/alarms/12"
	if text := Compose(Raise, m).Long; !strings.Contains(text, m.Link) || strings.Contains(text, "jaunty alarm ack") {
		t.Errorf("with a link: %s", text)
	}
}

func TestTheReturnSaysHowLongAndHowFar(t *testing.T) {
	m := messageData(t)
	n := Compose(Return, m)
	if n.Short != "Over after 1 hour 5 minutes: Fern house air temperature was above 30 °C" {
		t.Errorf("subject %q", n.Short)
	}
	for _, says := range []string{"It is over after 1 hour 5 minutes. Fern house air temperature was above 30 °C.",
		"Raised at 03:06:00", "Over at 04:11:00", "It went as far as 34.5 °C, and reads 28.9 °C now."} {
		if !strings.Contains(n.Long, says) {
			t.Errorf("does not say %q: %s", says, n.Long)
		}
	}
	m.Test = alarm.Test{Kind: alarm.IsOn}
	if text := Compose(Return, m).Long; strings.Contains(text, "as far as") {
		t.Errorf("a switch went far: %s", text)
	}
}

func TestSentences(t *testing.T) {
	for _, c := range []struct {
		device, signal string
		test           string
		unit           measure.Unit
		want           string
	}{
		{"Fern house", "CO2", "above 900", "ppm", "Fern house CO2 is above 900 ppm"},
		{"Pond", "Dissolved oxygen", "below 55", "%", "Pond dissolved oxygen is below 55 %"},
		{"Boiler room", "Flame", "is on", "", "Boiler room flame is on"},
		{"Cistern", "Level", "outside 3..9", "m", "Cistern level is outside 3 to 9 m"},
		{"Cistern", "x", "at least 2", "", "Cistern x is at least 2"},
	} {
		test, err := alarm.ParseTest(c.test)
		if err != nil {
			t.Fatal(err)
		}
		if got := Sentence(c.device, c.signal, test, c.unit); got != c.want {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
}

func TestThePastOfASentence(t *testing.T) {
	for is, was := range map[string]string{
		"Fern house air temperature is above 30 °C":       "Fern house air temperature was above 30 °C",
		"Pond oxygen is not to be believed: it reads 0 %": "Pond oxygen was not to be believed",
		"Annex: north air is above 30 °C":                 "Annex: north air was above 30 °C",
		"The disk is nearly full: 3 GB of 40 GB are free": "The disk was nearly full",
		"Pond oxygen is due for verification since 2 March 2026": "Pond oxygen was due for verification since 2 " +
			"March 2026",
	} {
		if got := alarm.Was(is); got != was {
			t.Errorf("%s: %s", is, got)
		}
	}
}

func TestWhatIsToldInBetween(t *testing.T) {
	m := messageData(t)
	m.Alarm.HandedBy = "Orla"
	for kind, says := range map[string][2]string{
		Worsen:  {"Worse, warning: Fern house air temperature is above 30 °C", "It is worse. Fern house"},
		Ease:    {"Eased, warning: Fern house air temperature is above 30 °C", "It has eased. Fern house"},
		Latched: {"Back in order, reset it: Fern house air temperature was above 30 °C", "jaunty alarm reset 12"},
		Hand: {"For you from Orla, warning: Fern house air temperature is above 30 °C",
			"Orla asks you to take this on."},
	} {
		n := Compose(kind, m)
		if n.Short != says[0] || !strings.Contains(n.Long, says[1]) {
			t.Errorf("%s: %s\n%s", kind, n.Short, n.Long)
		}
	}
	for _, c := range []struct {
		test alarm.Test
		want string
	}{{alarm.Test{Kind: alarm.Silent, A: 600}, "Gate air is silent: nothing for 10 minutes"},
		{alarm.Test{Kind: alarm.IsWord, Word: "open"}, `Gate air is "open"`},
		{alarm.Test{Kind: alarm.Stuck}, "Gate air is stuck"}} {
		if got := Sentence("Gate", "Air", c.test, ""); got != c.want {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
}
