package pipeline_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/respond"
	"jauntylark/store/config"
)

// last gives the newest notice of a kind by a carrier.
func (b *bench) last(kind, carrier string) roster.Notice {
	b.t.Helper()
	all := b.notices()
	for i := len(all) - 1; i >= 0; i-- {
		if all[i].Kind == kind && all[i].Carrier == carrier {
			return all[i]
		}
	}
	b.t.Fatalf("there is no %s by %s among %v", kind, carrier, b.outbox())
	return roster.Notice{}
}

func (b *bench) idOf(guard string) int64 {
	b.t.Helper()
	all, err := config.Guards(context.Background(), b.store)
	b.must(err)
	for _, g := range all {
		if g.Name == guard {
			return g.ID
		}
	}
	return 0
}

// Each way in which an alarm ends has words of its own, by every carrier, in the journal and on the alarm.
func TestAnEndingSaysWhy(t *testing.T) {
	ctx := context.Background()
	high := alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}}
	with := func(change func(*alarm.Guard)) alarm.Guard { g := high; change(&g); return g }
	for name, c := range map[string]struct {
		guard alarm.Guard
		end   func(*bench)
		why   alarm.Ending
		says  string
	}{
		"back": {high, func(b *bench) { b.stream("temp", 60, 28) }, alarm.EndBack,
			"Over after 59 seconds: D temp was above 30 °C. It reads 28 °C."},
		"removed": {high, func(b *bench) { b.must(configure.RemoveGuard(ctx, b.Pipeline, "hot", "test")) },
			alarm.EndUnwatched, "No longer watched: the guard was removed. It still reads 35 °C."},
		"out of service": {high, func(b *bench) {
			why := "cleaning"
			_, err := respond.PutOutOfService(ctx, b.Pipeline, "hot", &why, "test")
			b.must(err)
		}, alarm.EndUnwatched, "No longer watched: the guard was put out of service. It still reads 35 °C."},
		"disarmed": {with(func(g *alarm.Guard) { g.Armed = "daily 14:00-14:15" }), func(b *bench) { b.moveTo(120) },
			alarm.EndUnwatched, "No longer watched: the guard's armed hours ended. It still reads 35 °C."},
		"suppressed": {with(func(g *alarm.Guard) { g.Suppressed = "d/here is on" }), func(b *bench) {
			b.send(measure.Sample{Name: "here", At: b.at(60), Value: 1, Form: measure.FormBool})
		}, alarm.EndUnwatched, "No longer watched: the guard is suppressed while d/here is on. It still reads 35 °C."},
		"limit moved": {high, func(b *bench) {
			g := with(func(g *alarm.Guard) { g.When.A, g.ID = 40, b.idOf("hot") })
			b.must(configure.SaveGuard(ctx, b.Pipeline, &g, "test"))
		}, alarm.EndChanged,
			"No longer an alarm: the guard was changed. It still reads 35 °C, and the limit is 40 °C now."},
		"limit moved, with an off-delay": {high, func(b *bench) {
			g := with(func(g *alarm.Guard) { g.When.A, g.OffDelay, g.ID = 40, minutes(1), b.idOf("hot") })
			b.must(configure.SaveGuard(ctx, b.Pipeline, &g, "test"))
			b.moveTo(130)
		}, alarm.EndChanged,
			"No longer an alarm: the guard was changed. It still reads 35 °C, and the limit is 40 °C now. D temp was " +
				"above 30 °C"},
		"back, and the advice is changed meanwhile": {with(func(g *alarm.Guard) { g.OffDelay = minutes(1) }),
			func(b *bench) {
				b.stream("temp", 60, 25)
				b.clock(61)
				g := with(func(g *alarm.Guard) {
					g.OffDelay, g.Advice, g.ID = minutes(1), "Open the vents.", b.idOf("hot")
				})
				b.must(configure.SaveGuard(ctx, b.Pipeline, &g, "test"))
				b.moveTo(140)
			}, alarm.EndBack, "Over after 2 minutes: D temp was above 30 °C. It reads 25 °C."},
		"corrected": {high, func(b *bench) { from := b.at(-100); b.calibrate("d/temp", &from, 35, 28, 20, 19) },
			alarm.EndChanged, "No longer an alarm: the signal's correction was changed. It reads 28 °C."},
		"device removed": {high, func(b *bench) {
			b.must(configure.RemoveDevice(ctx, b.Pipeline, "d", pipeline.Actor{Called: "test"}))
		}, alarm.EndUnwatched, "No longer watched: the device was removed. It still reads 35 °C."},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			b := fresh(t)
			carriers := []string{roster.Mail, roster.Text, roster.Voice, roster.Chat}
			b.contact("orla", carriers...)
			b.send(measure.Sample{Name: "temp", At: b.at(-10), Value: 20, Unit: "Cel"},
				measure.Sample{Name: "here", At: b.at(-10), Value: 0, Form: measure.FormBool})
			b.guard(c.guard)
			b.stream("temp", 1, 35)
			b.clock(60)
			c.end(b)
			if a := b.newest(); a.State != alarm.StateOver || a.Ending != c.why {
				t.Fatalf("%+v", a)
			}
			for _, carrier := range carriers {
				n, says := b.last(roster.Return, carrier), c.says
				if carrier == roster.Text {
					says = roster.PlainText(says)
				}
				if carrier == roster.Voice {
					says = strings.TrimSuffix(roster.Spoken(says), ".")
				}
				if text := strings.ReplaceAll(n.Subject+"\n"+n.Text, "\n", " "); carrier != roster.Mail &&
					!strings.Contains(text, says) || c.why != alarm.EndBack && strings.Contains(text, "It is over") {
					t.Errorf("by %s: %s\nwant %s", carrier, text, says)
				}
			}
			if entry := b.journal("alarm over"); !strings.HasPrefix(entry.Text,
				strings.SplitN(c.says, ".", 2)[0][:20]) {
				t.Errorf("the journal says %q", entry.Text)
			}
		})
	}
}

// While an off-delay runs by a limit that was moved, nothing says that the value is beyond the new one.
func TestAMovedLimitIsNoEase(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Text)
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning),
		Rungs: alarm.Rungs{above(60, 1, alarm.Critical)}, Tell: []string{"orla"}})
	b.stream("temp", 1, 65)
	b.clock(2)
	g.When.A, g.OffDelay, g.Rungs, g.Clears = 90, minutes(1), alarm.Rungs{}, alarm.Test{}
	b.must(configure.SaveGuard(context.Background(), b.Pipeline, &g, "test"))
	if a := b.newest(); a.State != alarm.StateRaised || a.Sentence != "D temp is above 60" {
		t.Errorf("%+v", a)
	}
	b.outboxIs("while it runs", "raise orla text")
	b.moveTo(70)
	if n := b.last(roster.Return, roster.Text); !strings.HasPrefix(n.Text,
		"No longer an alarm: the guard was changed. It still reads 65, and the limit is 90 now. D temp was above 60") {
		t.Errorf("%s", n.Text)
	}
}

// A latched alarm whose guard is suppressed is not said to be back in order.
func TestALatchedAlarmThatNobodyWatches(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Text)
	b.send(measure.Sample{Name: "temp", At: b.at(-10), Value: 20, Unit: "Cel"},
		measure.Sample{Name: "here", At: b.at(-10), Value: 0, Form: measure.FormBool})
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"},
		Latch: true, Suppressed: "d/here is on"})
	b.stream("temp", 1, 35)
	b.send(measure.Sample{Name: "here", At: b.at(2), Value: 1, Form: measure.FormBool})
	if n := b.last(roster.Latched, roster.Text); !strings.HasPrefix(n.Text,
		"No longer watched: the guard is suppressed while d/here is on. It still reads 35 C. It stays until it is "+
			"reset: D temp was above 30 C") {
		t.Error(n.Text)
	}
	a := b.newest()
	if _, err := respond.ResetAlarm(context.Background(), b.Pipeline, a.ID, "Tadhg"); err != nil {
		t.Fatal(err)
	}
	if n := b.last(roster.Return, roster.Text); !strings.Contains(n.Text, "Tadhg reset it") ||
		b.newest().Ending != alarm.EndReset {
		t.Errorf("%s %+v", n.Text, b.newest())
	}
}

// A step is for chosen severities and kinds alone.
func TestStepsForKinds(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Mail)
	b.contact("tadhg", roster.Text)
	b.roster("house", 0, "orla for limit", "tadhg for silence, fault")
	b.expect("d", 10*time.Second)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	b.stream("temp", 1, 31)
	b.outboxIs("a limit", "raise orla e-mail")
	b.moveTo(100)
	b.later(100, "silence", b.count(2))
	b.outboxIs("silence", "raise orla e-mail", "raise tadhg text")
}

// What is clear of all rungs by a moved limit, or by its value, and waits for an off-delay, is not said to be beyond
// one of them.
func TestNoEaseToARungThatIsClear(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Text)
	b.stream("oil", -10, 20)
	g := b.guard(alarm.Guard{Name: "oil", Signal: "d/oil", Rung: alarm.Rung{When: above(60, 1, "").When, Deadband: 1,
		Severity: alarm.Warning, OffDelay: measure.Duration(2 * time.Second)},
		Rungs: alarm.Rungs{above(80, 0, alarm.Critical)}, Tell: []string{"orla"}})
	b.stream("oil", 1, 85)
	b.clock(2)
	g.When.A, g.Rungs, g.Clears = 90, alarm.Rungs{above(95, 0, alarm.Critical)}, alarm.Test{}
	b.must(configure.SaveGuard(context.Background(), b.Pipeline, &g, "test"))
	if a := b.newest(); a.Sentence != "D oil is above 80" {
		t.Errorf("%+v", a)
	}
	b.moveTo(5)
	b.outboxIs("a moved limit", "raise orla text", "return orla text")
	if n := b.last(roster.Return, roster.Text); !strings.HasPrefix(n.Text,
		"No longer an alarm: the guard was changed. It still reads 85, and the limit is 90 now. D oil was above 80") {
		t.Errorf("%s", n.Text)
	}

	b.stream("oil", 10, 96)
	b.stream("oil", 11, 20)
	if a := b.newest(); a.State != alarm.StateRaised || a.Severity != alarm.Warning ||
		a.Sentence != "D oil is above 95" {
		t.Errorf("%+v", a)
	}
	b.moveTo(20)
	if n := b.last(roster.Return, roster.Text); !strings.Contains(n.Text, ": D oil was above 95") ||
		b.newest().Ending != alarm.EndBack {
		t.Errorf("%s %+v", n.Text, b.newest())
	}
	for _, n := range b.notices() {
		if n.Kind == roster.Ease {
			t.Errorf("it was told: %s", n.Text)
		}
	}
}
