package site

import (
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

func TestAKitThatIsWrongSaysWhere(t *testing.T) {
	good := func() Kit {
		return Kit{Name: "k", Signals: []KitSignal{{Name: "temp", Unit: "Cel"}, {Name: "door", Kind: KindSwitch}},
			Guards: []KitGuard{{Name: "hot", Signal: "temp", When: alarm.Test{Kind: alarm.Above, A: 1}}}}
	}
	k := good()
	if err := k.Check(); err != nil {
		t.Fatal(err)
	}
	for says, spoil := range map[string]func(*Kit){
		"name: ":                                func(k *Kit) { k.Name = "My Kit" },
		"interval: 2d is not between":           func(k *Kit) { k.Interval = measure.Duration(48 * time.Hour) },
		"signals[0].unit: there is no unit C":   func(k *Kit) { k.Signals[0].Unit = "C1" },
		"signals[1].name: \"temp\" is there tw": func(k *Kit) { k.Signals[1].Name = "temp" },
		"signals[0].span: goes from 5 to 5":     func(k *Kit) { k.Signals[0].Span = &Span{5, 5} },
		"signals[0].kind: ":                     func(k *Kit) { k.Signals[0].Kind = "colour" },
		"signals[0].bands: ":                    func(k *Kit) { k.Signals[0].Bands = Bands{{Name: " "}, {Name: "y"}} },
		"guards[0].signal: the kit has no sign": func(k *Kit) { k.Guards[0].Signal = "tmp" },
		"guards[0].when: 'above 1' does not go": func(k *Kit) { k.Guards[0].Signal = "door" },
		"guards[0].deadband":                    func(k *Kit) { k.Guards[0].Deadband = -1 },
		"guards[0].severity":                    func(k *Kit) { k.Guards[0].Severity = "bad" },
		"tiles[0].signals": func(k *Kit) {
			k.Tiles = []KitTile{{Kind: "value", Signals: []string{"x"}}}
		},
		"outputs[0].name": func(k *Kit) { k.Outputs = []KitOutput{{Name: "-"}} },
		"values: key":     func(k *Kit) { k.Settings.Values = map[string]string{"A b": "1"} },
	} {
		k := good()
		spoil(&k)
		if err := k.Check(); err == nil || !strings.HasPrefix(err.Error(), says) {
			t.Errorf("want %q, got %v", says, err)
		}
	}
}

// Applying a kit twice changes nothing the second time.
func TestApplyingAKitAgainChangesNothing(t *testing.T) {
	k := Kit{Name: "k", Interval: measure.Duration(time.Minute), Closed: true,
		Settings: Settings{Values: map[string]string{"led": "off"}},
		Signals: []KitSignal{{Name: "temp", Title: "Air", Quantity: "temperature", Unit: "Cel", Span: &Span{-40, 85},
			Step: 0.1, Interval: measure.Duration(time.Second), Bands: Bands{{Name: "cold", To: new(float64)}}}},
		Guards: []KitGuard{{Name: "hot", Signal: "temp", When: alarm.Test{Kind: alarm.Above, A: 30}}}}
	first := k.Apply(Made{Device: Device{Name: "d"}})
	if len(first.Changes) < 8 {
		t.Errorf("the first time: %+v", first.Changes)
	}
	for i := range first.Guards {
		first.Guards[i].ID = int64(i + 1)
	}
	if again := k.Apply(first.Made); len(again.Changes) != 0 {
		t.Errorf("the second time: %+v", again.Changes)
	}
	copied := KitFrom("k", first.Made)
	if again := copied.Apply(first.Made); slices.ContainsFunc(again.Changes,
		func(c KitChange) bool { return c.Kept == "" && !strings.HasPrefix(c.What, "guard") }) {
		t.Errorf("a kit of the device would change %+v", again.Changes)
	}
}

func TestProposeInterval(t *testing.T) {
	many := func(gap float64, jitter ...float64) []float64 {
		gaps := []float64{gap, gap, gap, gap, gap, gap, gap, gap, gap, gap}
		copy(gaps, jitter)
		return gaps
	}
	for _, c := range []struct {
		gaps []float64
		want time.Duration
	}{
		{many(14_900, 15_300, 14_800), 15 * time.Second}, {many(300_200), 5 * time.Minute},
		{many(7_000), 7 * time.Second},
		{many(15_000, 90_000), 15 * time.Second}, // one that was lost
		{[]float64{15_000, 15_000}, 0}, {many(15_000, 1_000, 2_000, 60_000, 90_000), 0}, {many(20), 0}, {nil, 0},
	} {
		if got := ProposeInterval(c.gaps); got != measure.Duration(c.want) {
			t.Errorf("%v: %v, want %v", c.gaps, got, c.want)
		}
	}
}

func TestBandsAndSettings(t *testing.T) {
	for text, want := range map[string]string{"dry ..1150": `[{"name":"dry","to":1150}]`,
		"just wet 1..2.5": `[{"name":"just wet","from":1,"to":2.5}]`, "over -3..": `[{"name":"over","from":-3}]`} {
		band, err := ParseBand(text)
		if got := (Bands{band}).words(); err != nil || got != want {
			t.Errorf("%q: %s %v", text, got, err)
		}
	}
	for _, text := range []string{"", "dry", "dry 1-2", "dry a..b", "..5"} {
		if band, err := ParseBand(text); err == nil {
			t.Errorf("%q: %+v", text, band)
		}
	}
	s := Settings{Interval: measure.Duration(5 * time.Minute), Values: map[string]string{"b": "2", "a": "1"}}
	if got := s.Words(); got != "interval 5m, a 1, b 2" {
		t.Error(got)
	}
	if err := (Settings{Sparing: 1}).Check(); err == nil || !strings.HasPrefix(err.Error(), "sparing_interval") {
		t.Error(err)
	}
}

func TestLook(t *testing.T) {
	heard, silent := measure.Instant(100_000), measure.Instant(130_000)
	for _, c := range []struct {
		d    Device
		now  measure.Instant
		want string
	}{
		{Device{}, 0, LifeNew}, {Device{HeardAt: &heard}, 1e9, LifeHeard},
		{Device{HeardAt: &heard, Interval: measure.Duration(10 * time.Second)}, 110_000, LifeOnline},
		{Device{HeardAt: &heard, Interval: measure.Duration(10 * time.Second)}, 113_000, LifeOverdue},
		{Device{HeardAt: &heard, SilentSince: &silent}, 113_000, LifeSilent},
	} {
		if c.d.Look(c.now); c.d.Life != c.want {
			t.Errorf("%+v lives as %s, want %s", c.d, c.d.Life, c.want)
		}
	}
}
