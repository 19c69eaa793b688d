package pipeline_test

import (
	"context"
	"strings"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/pipeline/due"
	"jauntylark/store/events"
)

// What the service cannot reach is told after a minute, once, and ends with what brought it back; from five seconds on
// it stands in the journal.
func TestWhatIsLostIsToldAndFound(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	outages := func() (texts []string) {
		all, err := events.Journal(ctx, b.store, events.JournalQuery{Kind: "outage", Limit: 10})
		b.must(err)
		for _, e := range all {
			texts = append(texts, e.Text)
		}
		return texts
	}
	lost := func(at float64) {
		b.clock(at)
		b.must(due.Lost(ctx, b.Pipeline, "the outside MQTT broker", b.at(0), "connection refused"))
	}
	lost(59)
	if got := b.alarms(); len(got) != 0 {
		t.Fatalf("before a minute: %+v", got)
	}
	lost(61)
	lost(62)
	got := b.alarms()
	if len(got) != 1 || got[0].Kind != alarm.ByService || got[0].Severity != alarm.Critical ||
		got[0].Sentence != "The service cannot reach the outside MQTT broker: connection refused" ||
		got[0].RaisedAt != b.at(0) {
		t.Fatalf("after a minute, told twice: %+v", got)
	}
	b.clock(90)
	b.must(due.Found(ctx, b.Pipeline, "the outside MQTT broker", b.at(0)))
	if a := b.newest(); a.ClearedAt == nil || a.ClearedAt.Sub(a.RaisedAt).Seconds() != 90 {
		t.Errorf("it is back: %+v", a)
	}
	if got := outages(); len(got) != 1 || !strings.HasPrefix(got[0],
		"The outside MQTT broker was away for 1 minute 30 seconds, until ") {
		t.Errorf("%q", got)
	}
	b.clock(100)
	b.must(due.Found(ctx, b.Pipeline, "the outside MQTT broker", b.at(96)))
	b.clock(110)
	b.must(due.Found(ctx, b.Pipeline, "the outside MQTT broker", b.at(104)))
	if got := outages(); len(got) != 2 || len(b.alarms()) != 1 {
		t.Errorf("four seconds and six: %q, %+v", got, b.alarms())
	}
}
