package notice

import (
	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/pipeline/memory"
	"jauntylark/store/events"
)

// Topic is an alarm that people are told about: with its test, and with the device that it is about, if there is one.
type Topic struct {
	alarm.Alarm
	Test     alarm.Test
	Device   *memory.Device
	Guarding *memory.Guard
	Tells    string // of the notice
	Who      string // who has it
	NotBy    string // carrier that it is not told by, where there is another
}

// about is what rosters are called for.
func (s *Topic) about() roster.About { return roster.AboutOf(s.Alarm, s.Test) }

// TopicOf gives what there is to tell of an alarm, and whether it stands and nobody has it.
func (t *Turn) TopicOf(id int64) (s Topic, stands bool, err error) {
	a, err := events.Alarm(t.Ctx, t.Tx, id)
	if err != nil {
		return s, false, err
	}
	return t.topicNow(a), a.State == alarm.StateRaised && a.AcknowledgedAt == nil && !a.Shelved && a.ToldWith == nil,
		nil
}

// topicNow gives what there is to tell of an alarm as it is now: what it reads, for how long nothing has come.
func (t *Turn) topicNow(a alarm.Alarm) Topic {
	s := Topic{Alarm: a, Tells: roster.Raise}
	if test, err := alarm.ParseTest(a.When); err == nil { // of an alarm that no guard stands behind, there is none
		s.Test = test
	}
	if a.ClearedAt != nil {
		return s
	}
	if g, _ := t.Site.GuardOf(a.ID); g != nil {
		s.Value, s.Guarding = g.State.Held, g
		if rung := g.About(alarm.Transition{Side: a.Side, Level: g.State.Sides[a.Side].Level}); g.Subject.Helper &&
			rung != nil && rung.When.Met(s.Value) {
			s.Sentence = t.Site.Sentence(g, rung, s.Value)
		}
	}
	if stands := t.Now.Sub(a.RaisedAt); stands > 0 && (a.Kind == alarm.BySilence || a.Kind == alarm.ByClock) {
		s.Value += stands.Seconds()
	}
	return s
}
