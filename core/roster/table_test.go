package roster

import (
	"flag"
	"fmt"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
)

var rewrite = flag.Bool("rewrite", false, "write testdata/notices.txt anew; read it before you keep it")

// press is an alarm about a press that stands.
func press(t *testing.T) MessageData {
	m := messageData(t)
	m.Test = alarm.Test{Kind: alarm.Above, A: 50}
	m.Thing = "Press pressure"
	m.Alarm = alarm.Alarm{ID: 41, Kind: alarm.ByGuard, Guard: "press-high", Signal: "press/pressure",
		Severity: alarm.Critical, State: alarm.StateRaised, RaisedAt: instant(t, "2026-07-01T02:06:00Z"),
		Value: 61, Extreme: 63.5, Unit: "bar", When: "above 50", Sentence: "Press pressure is above 50 bar",
		Advice: "Close the valve at the wall."}
	m.Take, m.Link = "https://lark.example.org/take/abcdefghijklmnopqrstuvwx", "https://lark.example.org/alarms/41"
	return m
}

// ended is the same, over for a reason.
func ended(t *testing.T, why alarm.Ending, cause string, reads float64) MessageData {
	m := press(t)
	m.Alarm.End(m.Alarm.RaisedAt.Add(5*time.Minute), why, cause)
	m.Alarm.ClearedValue, m.Take = &reads, ""
	return m
}

// notices gives every kind of notice, by what it is called in the table.
func notices(t *testing.T) (names []string, all map[string]func() (Message, MessageData)) {
	all = map[string]func() (Message, MessageData){}
	add := func(name string, make func() (Message, MessageData)) { names, all[name] = append(names, name), make }
	of := func(name, kind string, m MessageData) {
		add(name, func() (Message, MessageData) { return Compose(kind, m), m })
	}
	with := func(m MessageData, change func(*MessageData)) MessageData { change(&m); return m }
	now := instant(t, "2026-07-01T02:20:00Z")

	of("raise", Raise, press(t))
	of("raise, the service was away before", Raise,
		with(press(t), func(m *MessageData) { m.Since = "Jaunty Lark was away for 2 hours, until 03:00." }))
	of("worse", Worsen, press(t))
	of("eased", Ease, with(press(t), func(m *MessageData) {
		m.Alarm.Severity, m.Alarm.Value, m.Alarm.Sentence, m.Test.A = alarm.Warning, 47,
			"Press pressure is above 40 bar", 40
	}))
	of("handed on", Hand, with(press(t), func(m *MessageData) { m.Alarm.HandedBy = "Orla" }))
	of("taken", Taken, with(press(t), func(m *MessageData) { m.Who = "Orla" }))
	of("back, and it waits for a reset", Latched, with(ended(t, alarm.EndBack, "", 44),
		func(m *MessageData) { m.Alarm.ClearedAt = nil }))
	of("suppressed, and it waits for a reset", Latched,
		with(ended(t, alarm.EndUnwatched, "the guard is suppressed while press/service is on", 61),
			func(m *MessageData) { m.Alarm.ClearedAt = nil }))
	of("over", Return, ended(t, alarm.EndBack, "", 44.5))
	of("over: reset", Return, ended(t, alarm.EndReset, "Orla reset it", 44.5))
	of("over: guard removed", Return, ended(t, alarm.EndUnwatched, "the guard was removed", 61))
	of("over: guard removed, value back", Return, ended(t, alarm.EndUnwatched, "the guard was removed", 44.5))
	of("over: out of service", Return, ended(t, alarm.EndUnwatched, "the guard was put out of service", 61))
	of("over: armed hours ended", Return, ended(t, alarm.EndUnwatched, "the guard's armed hours ended", 61))
	of("over: suppressed", Return, ended(t, alarm.EndUnwatched, "the guard is suppressed while press/service is on",
		61))
	of("over: signal gone while it was silent", Return, with(ended(t, alarm.EndUnwatched, "the signal was removed", 61),
		func(m *MessageData) { m.Stale = true }))
	of("over: limit moved", Return, with(ended(t, alarm.EndChanged, "the guard was changed", 61),
		func(m *MessageData) { m.Now = alarm.Test{Kind: alarm.Above, A: 70} }))
	of("over: corrected", Return, ended(t, alarm.EndChanged, "the signal's correction was changed", 48))
	of("over: disproved", Return, ended(t, alarm.EndDisproved, "readings that came late disprove it", 44.5))
	of("over: a switch whose guard was removed", Return, with(ended(t, alarm.EndUnwatched, "the guard was removed", 1),
		func(m *MessageData) {
			m.Test, m.Alarm.Sentence = alarm.Test{Kind: alarm.IsOn}, "Press door is on"
		}))
	silent := with(press(t), func(m *MessageData) {
		m.Test, m.Thing = alarm.Test{}, ""
		m.Alarm.Kind, m.Alarm.Guard, m.Alarm.Signal, m.Alarm.Severity, m.Alarm.Unit, m.Alarm.Value, m.Alarm.Sentence,
			m.Alarm.Advice = alarm.BySilence, "", "gate-node", alarm.Warning, "s", 900, "Gate node is silent",
			"Look whether it has power and network."
	})
	of("silent", Raise, silent)
	of("over: heard again", Return, with(silent, func(m *MessageData) { m.Alarm.End(now, alarm.EndBack, "") }))
	of("over: silent, and its device was removed", Return,
		with(silent, func(m *MessageData) { m.Alarm.End(now, alarm.EndUnwatched, "the device was removed") }))
	of("sensor fault", Raise, with(press(t), func(m *MessageData) {
		m.Alarm.Kind, m.Alarm.Sentence, m.Alarm.Advice = alarm.BySensor,
			"Press pressure is not to be believed: it has not moved from 12 bar",
			"Look whether the sensor is in its place, clean and wired."
	}))
	of("drill", Raise, with(press(t), func(m *MessageData) { m.Alarm.Drill = true }))
	of("drill taken", Taken, with(press(t), func(m *MessageData) { m.Alarm.Drill, m.Who = true, "Orla" }))
	of("over: drill", Return, with(ended(t, alarm.EndDrill, "nobody took it", 61),
		func(m *MessageData) { m.Alarm.Drill = true }))

	stands := NewsOf(press(t), now)
	quiet := NewsOf(silent, now)
	quiet.AlarmID = 39
	gone := NewsOf(ended(t, alarm.EndBack, "", 44.5), now)
	gone.AlarmID = 38
	cut := NewsOf(ended(t, alarm.EndUnwatched, "the guard was removed", 61), now)
	cut.AlarmID = 37
	here := messageData(t).Site
	summary := func(name string, words func() Message, news ...News) {
		add(name, func() (Message, MessageData) { return words(), MessageData{Site: here, Take: press(t).Take} })
	}
	summary("digest with one that stands", func() Message { return Digest(here, []News{gone, stands}, 3*time.Minute) })
	summary("digest with several that stand", func() Message {
		return Digest(here, []News{gone, quiet, stands, cut}, 3*time.Minute)
	})
	summary("digest with none that stands", func() Message { return Digest(here, []News{cut, gone}, 3*time.Minute) })
	summary("digest of a flood", func() Message {
		var many []News
		for i := range 30 {
			n := quiet
			n.AlarmID, n.Sentence = int64(i), fmt.Sprintf("House %d air temperature is above 30 °C", i+1)
			n.Facts = fmt.Sprintf("It reads %d.5 °C.", 30+i)
			many = append(many, n)
		}
		return Digest(here, append(many, stands), 3*time.Minute)
	})
	summary("summary of old news", func() Message {
		return Meanwhile(here, "You could not be reached by text since "+When(here, instant(t, "2026-07-01T01:00:00Z")),
			[]News{gone})
	})
	summary("summary after quiet hours", func() Message {
		return Meanwhile(here, "Your quiet hours are over", []News{gone, cut})
	})
	summary("summary of a device that caught up", func() Message { return CaughtUp(here, "Press", []News{gone}) })
	w := World{Site: here}
	plain := func(name string, words Message) {
		add(name, func() (Message, MessageData) { return words, MessageData{Site: here} })
	}
	plain("word of the day", QuietMessage(w, instant(t, "2026-06-28T10:00:00Z"), nil, 0))
	plain("word of the day with an alarm", QuietMessage(w, 0, []News{stands}, 1))
	plain("the service was away", BlindMessage(w, instant(t, "2026-07-01T01:00:00Z"),
		instant(t, "2026-07-01T02:30:00Z")))
	plain("test", TestMessage(w, "Orla", "Tadhg"))
	return names, all
}

// The whole text of every kind of notice by every carrier is kept, so that whoever changes one reads it.
func TestEveryNoticeByEveryCarrier(t *testing.T) {
	names, all := notices(t)
	var b strings.Builder
	for _, name := range names {
		w, m := all[name]()
		fmt.Fprintf(&b, "######## %s\n", name)
		for _, carrier := range Carriers {
			f := FormOf(carrier, w, m)
			if carrier == Webhook {
				continue // brings what an e-mail does
			}
			fmt.Fprintf(&b, "---- %s", carrier)
			if f.Messages > 0 {
				fmt.Fprintf(&b, ", %d messages", f.Messages)
			}
			b.WriteString("\n")
			if f.Subject != "" {
				fmt.Fprintf(&b, "[%s]\n", f.Subject)
			}
			fmt.Fprintln(&b, strings.TrimSpace(f.Text))
			checkForm(t, name, f)
		}
		b.WriteString("\n")
	}
	const file = "testdata/notices.txt"
	if *rewrite {
		if err := os.WriteFile(file, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	kept, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if got := b.String(); got != string(kept) {
		was, is := strings.Split(string(kept), "\n"), strings.Split(got, "\n")
		for i := range min(len(was), len(is)) {
			if was[i] != is[i] {
				t.Fatalf("line %d says\n%s\nand said\n%s", i+1, is[i], was[i])
			}
		}
		t.Fatalf("%d lines, and were %d", len(is), len(was))
	}
}

var (
	bareNumber = regexp.MustCompile(`(?m)(reads|limit is|above|far as) -?[0-9]+(\.[0-9]+)?([.,;]?$|[.,;] )`)
	things     = []string{"Press", "Gate node", "House", "Hollowbrook Fernery"}
)

// checkForm holds what is true of every form: it names a thing, no value lacks its unit, no sentence runs into the
// next, and what stands is named before what is counted.
func checkForm(t *testing.T, name string, f Form) {
	t.Helper()
	text := f.Subject + "\n" + f.Text
	named := false
	for _, thing := range things {
		named = named || strings.Contains(text, thing)
	}
	if !named || f.Text == "" && f.Carrier != Push {
		t.Errorf("%s by %s names nothing: %s", name, f.Carrier, text)
	}
	if found := bareNumber.FindString(text); found != "" {
		t.Errorf("%s by %s has a number without a unit: %q", name, f.Carrier, found)
	}
	for _, wrong := range []string{"..", ". .", "  press", " ,", "::"} {
		if strings.Contains(text, wrong) {
			t.Errorf("%s by %s says %q: %s", name, f.Carrier, wrong, text)
		}
	}
	if strings.HasPrefix(name, "digest with") && !strings.Contains(name, "none") {
		if count, stands := strings.Index(text, "over"), strings.Index(text, "above"); stands < 0 || count >= 0 &&
			count < stands {
			t.Errorf("%s by %s does not lead with what stands: %s", name, f.Carrier, text)
		}
	}
	if f.Carrier == Text && f.Messages > textMost {
		t.Errorf("%s takes %d messages: %s", name, f.Messages, f.Text)
	}
}

// A digest names as much of what stands as there is room for, the worst first, and counts the rest.
func TestADigestInLittleRoom(t *testing.T) {
	here := messageData(t).Site
	for _, n := range []int{1, 2, 3, 5, 8, 13, 19, 21, 60} {
		var news []News
		for i := range n {
			news = append(news, News{AlarmID: int64(i + 1), Severity: alarm.Warning,
				Sentence: fmt.Sprintf("House %d air temperature is above 30 °C", i+1), Facts: "It reads 31 °C.",
				Advice: "Open the vents."})
		}
		news = append(news, News{AlarmID: 100, Severity: alarm.Critical, Sentence: "Press pressure is above 50 bar",
			Facts: "It reads 61 bar.", Advice: "Close the valve."}, News{AlarmID: 101, Sentence: "Gate is silent",
			Over: true})
		w := Digest(here, news, time.Minute)
		for _, carrier := range []string{Text, Voice, Chat, Push} {
			f := FormOf(carrier, w, MessageData{Site: here})
			text := f.Subject + f.Text
			if at := strings.Index(text, "Press"); at < 0 || at > 60 {
				t.Fatalf("%d by %s: %s", n, carrier, text)
			}
			named := strings.Count(text, "House") + strings.Count(text, "Press")
			if named < n+1 && !strings.Contains(text, "more stand") {
				t.Fatalf("%d by %s: %d are named, and nothing counts the others: %s", n, carrier, named, text)
			}
			if carrier == Text && (f.Messages > 2 || named < 2) || carrier == Voice && f.Characters > voiceMost {
				t.Fatalf("%d by %s: %+v", n, carrier, f)
			}
		}
	}
}
