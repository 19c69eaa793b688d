package site

import (
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
)

func days(n int) measure.Duration { return measure.Duration(time.Duration(n) * 24 * time.Hour) }

func TestTheNarrowerRuleOfWhatIsKeptCounts(t *testing.T) {
	site, kit := Keep{Readings: days(365), Figures: days(3650)}, Keep{Readings: days(90)}
	for _, c := range []struct{ own, want Keep }{
		{Keep{}, Keep{days(90), days(3650)}},
		{Keep{Readings: days(7)}, Keep{days(7), days(3650)}},
		{Keep{Figures: days(30)}, Keep{days(90), days(30)}},
	} {
		if got := c.own.Or(kit).Or(site); got != c.want {
			t.Errorf("%v: %v, want %v", c.own, got, c.want)
		}
	}
	if got := (Keep{}).Or(Keep{}); got != (Keep{}) {
		t.Errorf("nobody says: %v", got)
	}
	for d, good := range map[measure.Duration]bool{0: true, days(1): true, days(1) - 1: false, days(36500): true} {
		if err := CheckKeep("keep_readings", d); (err == nil) != good || err != nil &&
			!strings.Contains(err.Error(), "keep_readings") {
			t.Errorf("%v: %v", d, err)
		}
	}
	k := Kit{Name: "k", KeepFigures: measure.Duration(time.Hour)}
	if err := k.Check(); err == nil || !strings.Contains(err.Error(), "keep_figures") {
		t.Error(err)
	}
}

func TestStampsAddUp(t *testing.T) {
	a, b := Stamp{Readings: 2, Digest: 5, First: 10, Last: 20}, Stamp{Readings: 3, Digest: -7, First: 5, Last: 12}
	sum := Stamp{}
	for _, s := range []Stamp{{}, a, {}, b} {
		sum.Add(s)
	}
	other := b
	other.Add(a)
	if want := (Stamp{Readings: 5, Digest: -2, First: 5, Last: 20}); sum != want || other != want {
		t.Errorf("%+v and %+v, want %+v", sum, other, want)
	}
}
