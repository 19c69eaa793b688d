package roster

import (
	"testing"

	"jauntylark/core/alarm"
)

// Each alarm is of one of the kinds that a step can be for.
func TestAboutOf(t *testing.T) {
	test := func(text string) alarm.Test {
		got, err := alarm.ParseTest(text)
		if err != nil {
			t.Fatal(err)
		}
		return got
	}
	for _, c := range []struct {
		kind string
		test alarm.Test
		want string
	}{
		{alarm.ByGuard, test("above 30"), OfLimit}, {alarm.ByGuard, test("is on"), OfLimit},
		{alarm.ByGuard, test("silent for 10m"), OfSilence},
		{alarm.ByGuard, test("stuck"), OfFault}, {alarm.ByGuard, test("faulty"), OfFault},
		{alarm.BySilence, alarm.Test{}, OfSilence}, {alarm.ByClock, alarm.Test{}, OfFault},
		{alarm.BySensor, alarm.Test{}, OfFault}, {alarm.ByDisk, alarm.Test{}, OfFault},
		{alarm.ByDueDate, alarm.Test{}, OfReminder}, {alarm.ByDrills, alarm.Test{}, OfReminder},
	} {
		if got := AboutOf(alarm.Alarm{Kind: c.kind, Severity: alarm.Warning}, c.test); got.Kind != c.want ||
			got.Severity != alarm.Warning {
			t.Errorf("%s %s: %+v, want %s", c.kind, c.test, got, c.want)
		}
	}
}

// A step is for the severities and kinds that it names, or else for all.
func TestWhatAStepIsFor(t *testing.T) {
	r := Roster{Steps: []Step{{}, {Kinds: []string{OfSilence, OfFault}}, {Severities: []alarm.Severity{alarm.Warning}},
		{From: alarm.Critical}}}
	for _, c := range []struct {
		about About
		want  [4]bool
	}{
		{About{alarm.Warning, OfLimit}, [4]bool{true, false, true, false}},
		{About{alarm.Critical, OfSilence}, [4]bool{true, true, false, true}},
		{About{alarm.Advisory, OfFault}, [4]bool{true, true, false, false}},
		{About{alarm.Warning, ""}, [4]bool{true, true, true, false}}, // any kind
	} {
		for i, want := range c.want {
			if got := r.isFor(i, c.about); got != want {
				t.Errorf("%+v, step %d: %v", c.about, i+1, got)
			}
		}
	}
}
