package site

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

// What is said of a part holds; what is not is as the whole says.
func TestFaultsOfAPart(t *testing.T) {
	whole := Faults{Severity: alarm.Critical, Tell: []string{"orla"}}
	for _, c := range []struct {
		part Faults
		says string
	}{
		{Faults{}, "critical, tells orla"},
		{Faults{Severity: alarm.Advisory}, "advisory, tells orla"},
		{Faults{Tell: []string{"tadhg", "house"}}, "critical, tells tadhg, house"},
	} {
		if got := c.part.Over(whole); got.Words() != c.says {
			t.Errorf("%+v: %s, want %s", c.part, got.Words(), c.says)
		}
	}
	if !(Faults{}).IsZero() || whole.IsZero() || (Faults{}).Words() != "" {
		t.Error("what says nothing")
	}
}

func TestFaultsAreChecked(t *testing.T) {
	if err := (Faults{Severity: alarm.Warning}).Check(); err != nil {
		t.Error(err)
	}
	var fault *measure.Fault
	if err := (Faults{Severity: "critcal"}).Check(); !errors.As(err, &fault) || fault.Field != "faults.severity" ||
		!strings.Contains(fault.Reason, "critical") {
		t.Errorf("%v", err)
	}
}

// A change touches what it says alone, and an empty list of people takes them away.
func TestFaultsChange(t *testing.T) {
	f := Faults{Severity: alarm.Critical, Tell: []string{"orla"}}
	if (FaultsChange{}).Onto(&f) || f.Severity != alarm.Critical || len(f.Tell) != 1 {
		t.Errorf("nothing was said: %+v", f)
	}
	milder, nobody := alarm.Advisory, []string{}
	if !(FaultsChange{Severity: &milder}).Onto(&f) || f.Severity != alarm.Advisory ||
		!slices.Equal(f.Tell, []string{"orla"}) {
		t.Errorf("%+v", f)
	}
	if !(FaultsChange{Tell: &nobody}).Onto(&f) || len(f.Tell) != 0 || f.Severity != alarm.Advisory {
		t.Errorf("%+v", f)
	}
}
