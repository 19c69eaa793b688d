package roster

import (
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
)

func TestTextMessagesCount(t *testing.T) {
	for _, c := range []struct {
		text                 string
		messages, characters int
	}{
		{"", 1, 0}, {strings.Repeat("a", 160), 1, 160}, {strings.Repeat("a", 161), 2, 161},
		{strings.Repeat("a", 306), 2, 306}, {strings.Repeat("a", 307), 3, 307},
		{"€[]", 1, 6}, {strings.Repeat("€", 80), 1, 160}, {strings.Repeat("€", 81), 2, 162},
		{"ł", 1, 1}, {strings.Repeat("ł", 70), 1, 70}, {strings.Repeat("ł", 71), 2, 71}, {"🌱", 1, 2},
	} {
		if m, n := TextMessages(c.text); m != c.messages || n != c.characters {
			t.Errorf("%.12q…: %d of %d, want %d of %d", c.text, m, n, c.messages, c.characters)
		}
	}
	if got := PlainText("31.2 °C – 12 µg/m³…"); got != "31.2 C - 12 ug/m3..." {
		t.Errorf("%q", got)
	}
}

func TestWhatIsSpoken(t *testing.T) {
	for text, want := range map[string]string{
		"It reads 0.5 °C":         "It reads zero point five degrees Celsius",
		"above 1 °C, then 21 °C.": "above one degree Celsius, then twenty-one degrees Celsius.",
		"-12.05 V":                "minus twelve point zero five volts",
		"CO2 is above 900 ppm":    "C O 2 is above nine hundred parts per million",
		"1013 hPa and 86 %":       "one thousand and thirteen hectopascals and eighty-six percent",
		"12345678 and 007": "twelve million three hundred and forty-five thousand six hundred and " +
			"seventy-eight and zero zero seven",
		"at 03:06":    "at six minutes past three in the morning",
		"at 15:30:12": "at half past three in the afternoon",
		"at 23:45, 00:00, 12:00, 9:00": "at a quarter to twelve in the evening, midnight, noon, nine o'clock in the " +
			"morning",
		"at 19:59 and 20:20": "at one minute to eight in the evening and twenty past eight in the evening",
	} {
		if got := Spoken(text); got != want && got != strings.ReplaceAll(want, "C O 2", "C O two") {
			t.Errorf("%q: %q", text, got)
		}
	}
}

func TestFormsOfARaise(t *testing.T) {
	m := messageData(t)
	m.Alarm.Advice, m.Take = "Open the vents.", "https://lark.example.org/take/abc"
	w := Compose(Raise, m)
	text := FormOf(Text, w, m)
	if text.Text != "Warning: Fern house air temperature is above 30 C. It reads 31.2 C. What to do: Open the vents. "+
		"Reply 1 if you have it. https://lark.example.org/take/abc" || text.Messages != 1 {
		t.Errorf("%+v", text)
	}
	m.Alarm.Advice = strings.Repeat("Look at all that there is to look at. ", 7)
	if f := FormOf(Text, Compose(Raise, m), m); strings.Contains(f.Text, "Look") ||
		!strings.Contains(f.Text, "It reads 31.2 C. Reply 1") || f.Messages != 1 {
		t.Errorf("advice that does not fit: %+v", f)
	}
	m.Alarm.Advice = "Open the vents."
	if f := FormOf(Voice, w,
		m); f.Text != "This is Jaunty Lark for Hollowbrook Fernery. Warning: Fern house air temperature is above "+
		"thirty degrees Celsius. It reads thirty-one point two degrees Celsius. What to do: Open the vents. "+
		"Press one if you have it." {
		t.Errorf("%s", f.Text)
	}
	if f := FormOf(Push, w, m); f.Subject != w.Short || f.Text != "It reads 31.2 °C. What to do: Open the vents." {
		t.Errorf("%+v", f)
	}
	if f := FormOf(Chat, Compose(Return, m), m); strings.Contains(f.Text, "take") ||
		!strings.HasPrefix(f.Text, "Over after") {
		t.Errorf("%+v", f)
	}
	m.Alarm.Drill = true
	for _, carrier := range Carriers {
		f := FormOf(carrier, Compose(Raise, m), m)
		if !strings.HasPrefix(f.Subject+f.Text, "Drill") {
			t.Errorf("%s does not begin with Drill: %+v", carrier, f)
		}
	}
}

func TestOwnWords(t *testing.T) {
	m := messageData(t)
	m.Alarm.Advice, m.Alarm.Guard = "Lüften!", "fern-house-hot"
	contact := alarm.Templates{{On: Raise, Short: "{{severity}}: {{thing}} {{value}}"}}
	site := alarm.Templates{{On: Raise, Short: "nie",
		Long: "{{sentence}} seit {{since}}{{#advice}} → {{advice}}{{/advice}}{{^who}}, niemand{{/who}}"},
		{On: Silent, Short: "stumm: {{thing}}"}}
	w := ComposeBy(Raise, m, contact, nil, site)
	if w.Short != "warning: Fern house air temperature 28.9 °C" ||
		w.Long != "Fern house air temperature is above 30 °C seit 03:06:00 on Wednesday 1 July 2026 (Europe/Dublin) "+
			"→ Lüften!, niemand" {
		t.Errorf("%+v", w)
	}
	if w := ComposeBy(Return, m, contact, site); w.Short != Compose(Return, m).Short ||
		w.Long != Compose(Return, m).Long {
		t.Errorf("built in: %+v", w)
	}
	m.Alarm.Drill, m.Since = true, "Away for an hour."
	if w := ComposeBy(Raise, m, contact, site); !strings.HasPrefix(w.Short, "Drill: warning") ||
		!strings.HasPrefix(w.Long, "Drill: nothing is wrong.") || !strings.Contains(w.Long, "Away for an hour.") {
		t.Errorf("own words of a drill: %+v", w)
	}
	quiet := m
	quiet.Alarm.Kind, quiet.Alarm.Drill = alarm.BySilence, false
	if w := ComposeBy(Raise, quiet, contact, site); w.Short != "stumm: Fern house air temperature" {
		t.Errorf("silence: %+v", w)
	}
	for text, says := range map[string]string{"{{sentense}}": "did you mean sentence?",
		"{{#advice}}{{advise}}{{/advice}}": "did you mean advice?", "{{#advice}}": "cannot be read",
		"{{> other}}": "holds no other", "a\nb": "one line"} {
		if err := CheckTemplates(alarm.Templates{{On: Raise, Short: text}}); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
	for says, bad := range map[string]alarm.Templates{"did you mean raise?": {{On: "rise", Short: "x"}},
		"there are two": {{On: Raise, Short: "x"}, {On: Raise, Short: "y"}}, "both empty": {{On: Raise}}} {
		if err := CheckTemplates(bad); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", says, err)
		}
	}
	summary := SummaryBy(Digest(m.Site, []News{{AlarmID: 3, Sentence: "A is hot"}}, time.Minute), m.Site, 1,
		alarm.Templates{{On: Summary, Long: "{{count}}: {{list}}"}})
	if summary.Long != "1: alarm 3: A is hot." {
		t.Errorf("%+v", summary)
	}
}

func TestASampleOfEachKind(t *testing.T) {
	m := messageData(t)
	for _, on := range TemplateKinds {
		w := Sample(on, m, alarm.Templates{{On: on, Short: "own {{site}}"}})
		if w.Short != "own Hollowbrook Fernery" || w.Long == "" {
			t.Errorf("%s: %+v", on, w)
		}
	}
}

func TestSummaries(t *testing.T) {
	m := messageData(t)
	news := []News{{AlarmID: 1, Sentence: "A is hot", Severity: alarm.Advisory, Over: true},
		{AlarmID: 2, Sentence: "B is hot", Severity: alarm.Warning},
		{AlarmID: 3, Sentence: "C is hot", Severity: alarm.Critical}}
	w := Digest(m.Site, news, 3*time.Minute)
	want := "2 of 3 alarms stand:\n\n  alarm 3: Critical: C is hot.\n  alarm 2: Warning: B is hot.\n\n3 alarms came " +
		"within 3 minutes; you get them in one message.\n\n1 is over:\n\n  alarm 1: A was hot\n\nHollowbrook " +
		"Fernery, watched by Jaunty Lark\n"
	if w.Short != "Critical: C is hot (worst of 2 that stand)" || w.Long != want {
		t.Errorf("%s\n%s", w.Short, w.Long)
	}
	var many []News
	for i := range 50 {
		many = append(many, News{AlarmID: int64(i), Sentence: "A is hot", Over: true})
	}
	if w := CaughtUp(m.Site, "Gate node", many); !strings.Contains(w.Long, "and 30 more") ||
		strings.Count(w.Long, "\n") > 32 ||
		w.Short != "Gate node caught up. 50 alarms came and went, the worst: A was hot" {
		t.Errorf("%s\n%s", w.Short, w.Long)
	}
}

func TestWhatToDoWhenItFails(t *testing.T) {
	n := Notice{State: Waiting}
	if n.WhatToDo() != "" {
		t.Error("nothing has failed yet")
	}
	for answer, says := range map[string]string{
		"no carrier text is switched on; describe":          "Switch the carrier on",
		"dial tcp 127.0.0.1:1: connect: connection refused": "Nobody answers",
		"it did not answer in time":                         "does not answer",
		"550 5.1.1 no such mailbox": "is not known to the other side, which says: 550 5.1.1 " +
			"no such mailbox. ", "401 Unauthorized: who are you?": "does not know us",
		"551 5.1.6 moved away": "is not known to the other side, which says: 551", "503 Service Unavailable": "busy",
		"this is a private address; the service": "public internet",
		"something else":                         "the other side says: something else.",
	} {
		n.Deliveries = []Delivery{{Answer: answer}}
		if got := n.WhatToDo(); !strings.Contains(got, says) || !strings.Contains(got, "tried again") {
			t.Errorf("%s: %s", answer, got)
		}
	}
	number := Notice{State: GivenUp, Carrier: Text, Contact: "orla", Address: "+353861234567",
		Deliveries: []Delivery{{Answer: "400 Bad Request: the number is not one"}}}
	if got := number.WhatToDo(); got != "The number +353861234567 of contact orla is not known to the other side, "+
		"which says: 400 Bad Request: the number is not one. Correct it at the contact: jaunty contact set orla "+
		"--remove +353861234567 --text NEW. It is not tried again; send a test when it is mended: jaunty contact "+
		"test orla." {
		t.Errorf("%s", got)
	}
	receipt := Notice{State: GivenUp, Carrier: Voice, Address: "+353861234567",
		Deliveries: []Delivery{{OK: true, Answer: "202"}, {Answer: "unallocated number"}}}
	if got := receipt.WhatToDo(); !strings.HasPrefix(got,
		"The number +353861234567 is not known to the other side, which says: unallocated number. It stands where it "+
			"is told") {
		t.Errorf("%s", got)
	}
	if n.Deliveries[0].OK = true; n.WhatToDo() != "" {
		t.Error("it was taken")
	}
	hidden := Notice{Text: "Have it: https://x.example/take/aaaaaaaabzvquf6phuetig2c7yvklqvfjyaq",
		Subject: "s"}.Public()
	if hidden.Text != "Have it: https://x.example/take/…" {
		t.Errorf("%s", hidden.Text)
	}
}
