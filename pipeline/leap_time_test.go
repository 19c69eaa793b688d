package pipeline_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"jauntylark/clock"
	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/respond"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

func TestWhatPeopleWaitForRunsByElapsedTime(t *testing.T) {
	for _, by := range []time.Duration{time.Hour, -time.Hour} {
		t.Run(by.String(), func(t *testing.T) {
			t.Parallel()
			l := withHands(t)
			ctx := context.Background()
			l.contact("orla", roster.Mail)
			l.contact("pip", roster.Mail)
			l.roster("first", 0, "orla", "pip after 20s")
			l.live(1, l.reads(20))
			l.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Critical),
				Tell: []string{"first"}})
			l.output("d/fan", drive.Spec{})
			l.must(configure.SetOutput(ctx, l.bench.Pipeline, "d/fan",
				act.HandOrder{To: "on", For: measure.Duration(30 * time.Second)}, tester))
			l.reads(35)()
			l.live(10)
			told := len(l.outbox())
			l.leap(by)
			l.live(8)
			if now := l.outbox(); len(now) != told {
				t.Errorf("the second step came before its time: %v", now)
			}
			l.live(4)
			if now := l.outbox(); len(now) != told+1 || !strings.Contains(strings.Join(now, "\n"), "pip") {
				t.Errorf("after 22 seconds: %v", now)
			}
			if o := l.stands("d/fan"); o.Ordered != drive.On {
				t.Errorf("its half minute is not over: %+v", o)
			}
			l.live(10)
			storetest.Eventually(t, "the setting by hand ends",
				func() bool { return l.stands("d/fan").Ordered == drive.Off })
		})
	}
}

func TestAShelfEndsWhenItWouldHave(t *testing.T) {
	for _, by := range []time.Duration{time.Hour, -time.Hour} {
		l := withHands(t)
		l.live(1, l.reads(20))
		l.hot(0)
		until := l.Now() + 60_000
		_, err := respond.Shelve(context.Background(), l.bench.Pipeline, "hot", until, "a test", "orla")
		l.must(err)
		l.live(30)
		l.leap(by)
		l.live(25)
		if g := l.saved("hot"); g.Shelved == nil || *g.Shelved.Until != until.Add(by) {
			t.Fatalf("after 55 seconds: %+v", g.Shelved)
		}
		l.live(8)
		storetest.Eventually(t, "the shelf ends", func() bool { return l.saved("hot").Shelved == nil })
	}
}

func (b *bench) saved(name string) alarm.Guard {
	b.t.Helper()
	guards, err := config.Guards(context.Background(), b.store)
	b.must(err)
	for _, g := range guards {
		if g.Name == name {
			return g
		}
	}
	b.t.Fatalf("no guard %s", name)
	return alarm.Guard{}
}

func (l leaping) entered() (texts []string) {
	l.t.Helper()
	all, err := events.Journal(context.Background(), l.store, events.JournalQuery{Kind: "clock changed", Limit: 100})
	l.must(err)
	for _, e := range all {
		texts = append(texts, e.Text)
	}
	return texts
}

// A leap stands in the journal once, and is told to nobody; two processes share it.
func TestALeapIsEnteredOnce(t *testing.T) {
	l := withHands(t)
	other := leaping{processBy(t, l.store, clock.Of(l.hands.Read)), l.hands}
	other.sweeps()
	l.live(2, l.reads(20))
	l.leap(-time.Hour)
	other.sweeps()
	l.live(2, l.reads(20))
	if l.Now() != other.Now() {
		t.Errorf("one shows %v, the other %v", l.Now(), other.Now())
	}
	other.hands.Leap(40 * time.Minute)
	other.sweeps()
	l.sweeps()
	if l.Now() != other.Now() {
		t.Errorf("one shows %v, the other %v", l.Now(), other.Now())
	}
	got := l.entered()
	if len(got) != 2 || !strings.HasPrefix(got[0], "The service's clock was set forward by 40 minutes") ||
		!strings.HasPrefix(got[1], "The service's clock was set back by 1 hour") {
		t.Errorf("%q", got)
	}
	if n := len(l.outbox()); n != 0 || len(l.alarms()) != 0 {
		t.Errorf("%d messages, %+v", n, l.alarms())
	}
}

// The clock is set back while no process is up.
func TestAClockThatWasSetBackWhileWeWereAway(t *testing.T) {
	l := withHands(t)
	l.expect("d", 10*time.Second)
	l.live(5, l.reads(20))
	l.halt()
	hands := clock.Held(l.Now().Add(-time.Hour))
	again := leaping{processBy(t, l.store, hands.Clock), hands}
	again.sweeps()
	if got := again.entered(); len(got) != 1 || !strings.Contains(got[0], "set back by 1 hour") {
		t.Errorf("%q", got)
	}
	again.live(5, again.reads(21))
	if got := again.alarms(); len(got) != 0 {
		t.Errorf("%+v", got)
	}
	again.live(32)
	if got := again.alarms(); len(got) != 1 || got[0].Kind != alarm.BySilence {
		t.Errorf("after 32 seconds with nothing heard: %+v", got)
	}
	if all := again.readings("temp"); len(all) != 10 {
		t.Errorf("%v", all)
	}
}

// A machine that slept says how long nobody watched; its delays stood still.
func TestAMachineThatWakesSaysHowLongItWasBlind(t *testing.T) {
	l := withHands(t)
	l.must(respond.SetSite(context.Background(), l.bench.Pipeline,
		site.Site{Name: "Hollowbrook", Zone: "Europe/London"}, "test"))
	l.live(2, l.reads(20))
	l.hot(10)
	l.live(2, l.reads(35))
	l.hands.Pass(8 * time.Hour) // the wall and what passes go on alike
	l.sweeps()
	if got := l.entered(); len(got) != 0 {
		t.Errorf("that is no leap: %q", got)
	}
	if got := l.alarms(); len(got) != 0 {
		t.Errorf("nothing was heard meanwhile: %+v", got)
	}
	storetest.Eventually(t, "it is said", func() bool {
		all, err := events.Journal(context.Background(), l.store, events.JournalQuery{Kind: "service back", Limit: 10})
		return err == nil && len(all) == 1 && strings.Contains(all[0].Text, "8 hours")
	})
	l.live(1, l.reads(20))
	if got := l.alarms(); len(got) != 0 {
		t.Errorf("it was back when it was heard again: %+v", got)
	}
}

// No reading is lost where two come at one instant, once before the clock was set back and once after.
func TestReadingsWithoutATimeFindRoom(t *testing.T) {
	l := withHands(t)
	l.live(40, l.reads(1), l.reads(2))
	l.leap(-20 * time.Second)
	l.live(15, l.reads(3))
	l.leap(-130 * time.Second)
	l.live(3, l.reads(4))
	l.leap(135 * time.Second)
	l.live(20, l.reads(5), l.reads(6))
	if n := len(l.readings("temp")); n != 80+15+3+40 {
		t.Errorf("%d of %d readings are stored", n, 80+15+3+40)
	}
}

// What goes by the wall goes by the new time at once.
func TestSchedulesGoByTheWall(t *testing.T) {
	l := withHands(t)
	l.must(respond.SetSite(context.Background(), l.bench.Pipeline, site.Site{Name: "Hollowbrook", Zone: "UTC"}, "test"))
	from := l.Now().Time().UTC().Add(2 * time.Hour).Truncate(time.Hour)
	l.output("d/lamp", drive.Spec{})
	l.interlock(drive.Interlock{Name: "evening", Output: "d/lamp",
		Hours: fmt.Sprintf("daily %s-%s", from.Format("15:04"), from.Add(time.Hour).Format("15:04")), Set: "on"})
	l.live(1, l.reads(20))
	for _, c := range []struct {
		by   time.Duration
		want drive.Value
	}{{from.Add(10 * time.Minute).Sub(l.Now().Time()), drive.On}, {-time.Hour, drive.Off}, {time.Hour, drive.On},
		{time.Hour, drive.Off}} {
		l.leap(c.by)
		l.live(2)
		if o := l.stands("d/lamp"); o.Ordered != c.want {
			t.Errorf("after %v, at %v: %+v", c.by, l.Now(), o)
		}
	}
}

// An attempt at a notice that was made before a leap, and is written down after it, is made again when it would have
// been; one of a process that knows of no leaps yet is left as it says.
func TestAnAttemptBesideALeap(t *testing.T) {
	l := withHands(t)
	l.live(1, l.reads(20))
	l.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Critical)})
	l.live(1, l.reads(35))
	before := l.Moment()
	l.leap(-time.Hour)
	again := before.At.Add(15 * time.Second)
	for _, c := range []struct {
		leapt *int64
		want  measure.Instant
	}{{before.Leapt, again.Add(-time.Hour)}, {nil, again}, {l.Moment().Leapt, again}} {
		n := l.notices()[0]
		l.must(events.RecordAttempts(context.Background(), l.store,
			[]events.Attempt{{Delivery: roster.Delivery{NoticeID: n.ID, At: l.Now(), Answer: "421 busy"},
				State: roster.Waiting, DueAgain: again, Leapt: c.leapt, Carrier: roster.Mail}}))
		if due := l.notices()[0].DueAt; due != c.want {
			t.Errorf("due at %v, not %v", due, c.want)
		}
	}
}
