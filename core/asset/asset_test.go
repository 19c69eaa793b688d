package asset

import (
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func place() []Asset {
	return []Asset{{Name: "house", Condition: InOrder}, {Name: "bench", In: "house", Condition: InOrder},
		{Name: "pump", In: "bench", Condition: InOrder, Signals: Names{"fog-pump", "meter/power"}},
		{Name: "attic", Condition: InOrder}}
}

func TestTheTree(t *testing.T) {
	all := place()
	ordered, depth := Tree(all)
	var lines []string
	for i := range ordered {
		lines = append(lines, strings.Repeat(" ", depth[i])+ordered[i].Name)
	}
	if got := strings.Join(lines, "|"); got != "house| bench|  pump|attic" {
		t.Errorf("the tree is %s", got)
	}
	pump := Named(all, "pump")
	if p := pump.Place(all); len(p) != 2 || p[0].Name != "house" || p[1].Name != "bench" {
		t.Errorf("the pump stands in %+v", p)
	}
	deep := []Asset{}
	for i := range 14 {
		a := Asset{Name: "a" + string(rune('a'+i)), Condition: InOrder}
		if i > 0 {
			a.In = deep[i-1].Name
		}
		deep = append(deep, a)
	}
	for says, a := range map[string]Asset{
		"in: pump stands in house already":  {Name: "house", In: "pump", Condition: InOrder},
		"in: an asset cannot stand":         {Name: "house", In: "house", Condition: InOrder},
		"did you mean bench":                {Name: "lamp", In: "bensh", Condition: InOrder},
		"name:":                             {Name: "The Pump", Condition: InOrder},
		"condition:":                        {Name: "x", Condition: "broken"},
		"next_service: \"soon\" is no date": {Name: "x", Condition: InOrder, NextService: "soon"},
	} {
		if err := a.Check(all); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v; should say %q", a, err, says)
		}
	}
	if err := deep[13].Check(deep); err == nil || !strings.Contains(err.Error(), "deep") {
		t.Errorf("13 deep: %v", err)
	}
	if err := pump.Check(all); err != nil {
		t.Error(err)
	}
}

func TestWhatBelongsToAnAsset(t *testing.T) {
	pump := Named(place(), "pump")
	for signal, is := range map[string]bool{"fog-pump/supply": true, "meter/power": true, "meter/volts": false,
		"fog": false} {
		if pump.Has(signal) != is {
			t.Errorf("%s belongs to it: %v", signal, !is)
		}
	}
	if !pump.HasDevice("meter") || pump.HasDevice("met") {
		t.Error("devices are told wrongly")
	}
}

func TestPapersAreWhatTheyClaim(t *testing.T) {
	if _, err := NewPaper("a.pdf", []byte("%PDF-1.7\n...\n%%EOF\n")); err != nil {
		t.Error(err)
	}
	for says, body := range map[string]string{"no PDF": "hello", "cut off": "%PDF-1.7\nhalf of it", "at most": "%PDF-" +
		strings.Repeat("x", MostPaper)} {
		if _, err := NewPaper("a", []byte(body)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%.20q: %v; should say %q", body, err, says)
		}
	}
}

func TestHowAnAssetDoesInWords(t *testing.T) {
	now := measure.InstantOf(time.Date(2026, 11, 26, 23, 30, 0, 0, time.UTC))
	over := now.Add(-48 * time.Hour)
	facts := func(change func(*Facts)) string {
		f := Facts{Asset: Asset{Name: "pump", Condition: InOrder}, Site: site.Site{Zone: "Europe/Dublin"}, Now: now,
			Signals: 2, Guards: 1}
		change(&f)
		return strings.Join(f.Say(), " ")
	}
	for want, said := range map[string]string{
		"It is in order. 1 guard looks after it, and never had to say anything.": facts(func(*Facts) {}),
		"2 guards look after it; all quiet since 23:30:00 on Tuesday 24 November": facts(func(f *Facts) {
			f.Guards, f.LastOver = 2, &over
		}),
		"No signal belongs to it yet.": facts(
			func(f *Facts) { f.Signals = 0 }),
		"Nothing guards it: nobody is told": facts(
			func(f *Facts) { f.Guards = 0 }),
		"It is too hot. Nothing comes from a and b.": facts(func(f *Facts) {
			f.Alarms, f.Silent = []string{"It is too hot"}, []string{"a", "b"}
		}),
		"1 guard of them is out of service or shelved.": facts(
			func(f *Facts) { f.Asleep = 1 }),
		"Due to be verified: pump/flow.": facts(
			func(f *Facts) { f.Due = []string{"pump/flow"} }),
		"Its service is due today.": facts(
			func(f *Facts) { f.Asset.NextService = "2026-11-26" }),
		"Its service was due 1 day ago, on 25 November 2026.": facts(
			func(f *Facts) { f.Asset.NextService = "2026-11-25" }),
		"Its next service is in 2 days, on 28 November 2026.": facts(
			func(f *Facts) { f.Asset.NextService = "2026-11-28" }),
		"It needs attention, said Orla at 23:30:00 on Thursday 26 November 2026": facts(
			func(f *Facts) { f.Asset.Condition, f.Asset.By, f.Asset.Since = Attention, "Orla", now }),
		"It is out of order: seized.": facts(
			func(f *Facts) { f.Asset.Condition, f.Asset.Why = OutOfOrder, "seized." }),
		"Batch 12 is on, since 23:30:00 on Tuesday 24 November 2026": facts(func(f *Facts) {
			f.Run, f.RunSince = "Batch 12", over
		}),
	} {
		if !strings.Contains(said, want) {
			t.Errorf("it says %q; should say %q", said, want)
		}
	}
	if said := facts(func(f *Facts) {
		f.Asset.Condition, f.Asset.NextService, f.Guards = Retired, "2020-01-01", 0
	}); said != "It is retired." {
		t.Errorf("a retired one says %q", said)
	}
}
