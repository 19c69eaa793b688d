package site

import (
	"testing"

	"jauntylark/core/measure"
)

// The clock of a device is judged by readings that were sent when they were measured, not by its backlog.
func TestWhatWasSentWhenItWasMeasured(t *testing.T) {
	at := func(arrived, measured float64) Sent {
		return Sent{Arrived: measure.Instant(1e12 + arrived*1000), Measured: measure.Instant(1e12 + measured*1000)}
	}
	for _, c := range []struct {
		what        string
		before, now Sent
		live        bool
	}{
		{"the first one, right", Sent{}, at(10, 9), true},
		{"the first one, old, among older ones", Sent{}, at(10, -4000), false},
		{"the first one, old, alone", Sent{}, func() Sent { s := at(10, -4000); s.Alone = true; return s }(), true},
		{"a clock that is an hour behind", at(0, -3600), at(10, -3590), true},
		{"the same, a reading left out", at(0, -3600), at(20, -3580), true},
		{"the same, jittering", at(0, -3600), at(10, -3588.5), true},
		{"a backlog of readings ten seconds apart, ten a second", at(0, -3600), at(0.1, -3590), false},
		{"a backlog in packs of a hundred", at(0, -3600), at(1, -2600), false},
		{"a backlog, newest first", at(0, -100), at(1, -110), false},
		{"back to now after a backlog", at(0, -600), at(5, 4), true},
		{"a clock that is a day ahead", at(0, 86400), at(60, 86460), true},
		{"two packs at one instant", at(0, -3600), at(0, -3600), false},
	} {
		if got := c.now.Live(c.before); got != c.live {
			t.Errorf("%s: %v", c.what, got)
		}
	}
}
