package pipeline_test

import (
	"context"
	"errors"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
)

// What a commit that failed had changed in memory is as if it had not been: the same reading again is new, is stepped, and raises the
// alarm, once.
func TestAFailedCommitLeavesNothingInMemory(t *testing.T) {
	b := fresh(t)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(50, 1, alarm.Warning)})
	b.exec(`create function refuse() returns trigger language plpgsql as $$ begin raise exception 'no more alarms'; end $$;
		create trigger refuse before insert on alarm for each row execute function refuse()`)
	pack := func() *reading.Pack {
		return &reading.Pack{Sender: credential.Sender{Key: b.key, Protocol: "HTTP"}, Arrived: b.Now(), Samples: []measure.Sample{{Name: "temp", At: b.at(1), Value: 60}}}
	}
	b.clock(1)
	if _, err := b.Submit(context.Background(), pack()); !errors.Is(err, commit.ErrFailed) {
		t.Fatalf("an alarm that cannot be written: %v", err)
	}
	if n := len(b.readings("temp")); n != 1 {
		t.Errorf("%d readings of a pack that was not taken", n)
	}
	b.exec(`drop trigger refuse on alarm`)
	for range 2 {
		if out, err := b.Submit(context.Background(), pack()); err != nil || out.Accepted != 1 || len(out.Rejected) > 0 {
			t.Fatalf("the same again: %+v %v", out, err)
		}
	}
	if all := b.alarms(); len(all) != 1 || all[0].State != alarm.StateRaised || all[0].RaisedAt != b.at(1) || all[0].LearnedLate {
		t.Errorf("%+v", all)
	}
	if n := len(b.readings("temp")); n != 2 {
		t.Errorf("%d readings, not 2", n)
	}
}
