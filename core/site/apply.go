package site

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
)

// Made is a device as it stands, as far as a kit can change it.
type Made struct {
	Device  Device
	Signals []Signal
	Guards  []alarm.Guard // those that came from a kit
	Outputs []drive.Output
}

// KitChange is one thing that a kit changes of a device.
type KitChange struct {
	Device string `json:"device"`
	What   string `json:"what" example:"signal oxygen"`
	Field  string `json:"field" example:"unit"`
	From   string `json:"from"`
	To     string `json:"to"`
	Kept   string `json:"kept,omitempty" doc:"why it stays as it is; empty: it changes"`
}

// Applied is a device as a kit makes it, and what that changes.
type Applied struct {
	Made
	Changes []KitChange
}

// Apply gives the device as the kit makes it. What the kit leaves open stays. The kind and the unit of
// a signal that has readings stay; signals and guards that the kit does not name stay too.
func (k *Kit) Apply(m Made) Applied {
	a := Applied{Made: Made{Device: m.Device, Signals: slices.Clone(m.Signals), Guards: slices.Clone(m.Guards),
		Outputs: slices.Clone(m.Outputs)}}
	a.device(k)
	for i := range k.Signals {
		a.signal(&k.Signals[i])
	}
	for i := range k.Guards {
		a.guard(k.Guards[i])
	}
	for i := range k.Outputs {
		a.output(&k.Outputs[i])
	}
	return a
}

func (a *Applied) change(what, field, from, to string) bool {
	if from == to {
		return false
	}
	a.Changes = append(a.Changes, KitChange{Device: a.Device.Name, What: what, Field: field, From: from, To: to})
	return true
}

func (a *Applied) keep(what, field, from, to, why string) {
	if from != to {
		a.Changes = append(a.Changes, KitChange{Device: a.Device.Name, What: what, Field: field, From: from, To: to,
			Kept: why})
	}
}

func (a *Applied) device(k *Kit) {
	d := &a.Device
	if a.change("device", "kit", d.Kit, k.Name) {
		d.Kit = k.Name
	}
	if k.Interval != 0 && a.change("device", "interval", d.Interval.String(), k.Interval.String()) {
		d.Interval = k.Interval
	}
	if a.change("device", "closed", fmt.Sprint(d.Closed), fmt.Sprint(k.Closed)) {
		d.Closed = k.Closed
	}
	if !k.Faults.IsZero() && a.change("device", "faults", d.Faults.Words(), k.Faults.Words()) {
		d.Faults = k.Faults
	}
	if k.Settings.Words() != "" && a.change("device", "settings", d.Settings.Words(), k.Settings.Words()) {
		d.Settings = k.Settings
	}
}

const stays = "a signal that has readings keeps it"

func (a *Applied) signal(ks *KitSignal) {
	what := "signal " + ks.Name
	i := slices.IndexFunc(a.Signals, func(s Signal) bool { return s.Name == ks.Name })
	if i < 0 {
		a.change(what, "", "", "new")
		a.Signals = append(a.Signals, Signal{Device: a.Device.Name, Name: ks.Name, Kind: ks.KindOr(), Bands: Bands{}})
		i = len(a.Signals) - 1
		a.Signals[i].Unit = ks.Unit
	}
	s := &a.Signals[i]
	if s.At != nil {
		a.keep(what, "kind", s.Kind, ks.KindOr(), stays)
	} else if a.change(what, "kind", s.Kind, ks.KindOr()) {
		s.Kind = ks.KindOr()
	}
	if s.At != nil && s.Unit != "" && ks.Unit != "" {
		a.keep(what, "unit", string(s.Unit), string(ks.Unit), stays)
	} else if ks.Unit != "" && a.change(what, "unit", string(s.Unit), string(ks.Unit)) {
		s.Unit = ks.Unit
	}
	if ks.Title != "" && a.change(what, "title", s.Title, ks.Title) {
		s.Title = ks.Title
	}
	if ks.Quantity != "" && a.change(what, "quantity", s.Quantity, ks.Quantity) {
		s.Quantity = ks.Quantity
	}
	if ks.Span != nil && a.change(what, "span", spanWords(s.SpanLow, s.SpanHigh),
		spanWords(&ks.Span.Low, &ks.Span.High)) {
		s.SpanLow, s.SpanHigh = &ks.Span.Low, &ks.Span.High
	}
	if !ks.Faults.IsZero() && a.change(what, "faults", s.Faults.Words(), ks.Faults.Words()) {
		s.Faults = ks.Faults
	}
	if ks.FailsTo != "" && a.change(what, "fails_to", string(s.FailsTo), string(ks.FailsTo)) {
		s.FailsTo = ks.FailsTo
	}
	for _, d := range []struct {
		field string
		into  *measure.Duration
		want  measure.Duration
	}{{"warm_up", &s.WarmUp, ks.WarmUp}, {"warm_gap", &s.WarmGap, ks.WarmGap}, {"stuck_after", &s.StuckAfter, ks.Stuck},
		{"fault_after", &s.FaultAfter, ks.Fault}} {
		if d.want != 0 && a.change(what, d.field, d.into.String(), d.want.String()) {
			*d.into = d.want
		}
	}
	if ks.Step != 0 && a.change(what, "step", fmt.Sprint(s.Step), fmt.Sprint(ks.Step)) {
		s.Step = ks.Step
	}
	if len(ks.Bands) > 0 && a.change(what, "bands", s.Bands.words(), ks.Bands.words()) {
		s.Bands = ks.Bands
	}
	if ks.Interval != 0 && a.change(what, "interval", s.Interval.String(), ks.Interval.String()) {
		s.Interval = ks.Interval
	}
}

func (a *Applied) guard(kg KitGuard) {
	want := kg.guard(a.Device.Name)
	want.FromKit = kg.Name
	i := slices.IndexFunc(a.Guards, func(g alarm.Guard) bool { return g.FromKit == kg.Name })
	if i < 0 {
		a.change("guard "+want.Name, "", "", guardWords(want))
		a.Guards = append(a.Guards, want)
		return
	}
	g := &a.Guards[i]
	want.ID, want.Name, want.Tell, want.Suppressed = g.ID, g.Name, g.Tell, g.Suppressed
	if want.Signal != g.Signal {
		a.keep("guard "+g.Name, "signal", g.Signal, want.Signal, "a guard stays with its signal")
		return
	}
	if a.change("guard "+g.Name, "", guardWords(*g), guardWords(want)) {
		*g = want
	}
}

func (a *Applied) output(ko *KitOutput) {
	i := slices.IndexFunc(a.Outputs, func(o drive.Output) bool { return o.Name == ko.Name })
	if i < 0 {
		a.change("output "+ko.Name, "", "", "new: "+ko.Spec.Words())
		a.Outputs = append(a.Outputs, drive.Output{Device: a.Device.Name, Name: ko.Name, Spec: ko.Spec})
		return
	}
	want := ko.Spec
	if want.Title == "" {
		want.Title = a.Outputs[i].Title
	}
	if a.change("output "+ko.Name, "", a.Outputs[i].Spec.Words(), want.Words()) {
		a.Outputs[i].Spec = want
	}
}

func guardWords(g alarm.Guard) string {
	text := fmt.Sprintf("%s %s, deadband %v, on-delay %v, off-delay %v, %s", g.Signal, g.When, g.Deadband, g.OnDelay,
		g.OffDelay, g.Severity)
	for _, r := range g.Rungs {
		text += fmt.Sprintf("; %s, deadband %v, on-delay %v, off-delay %v, %s", r.When, r.Deadband, r.OnDelay,
			r.OffDelay, r.Severity)
	}
	if g.Latch {
		text += ", latched"
	}
	if g.Armed != "" {
		text += ", armed " + g.Armed
	}
	if g.Advice != "" {
		text += ", advice: " + g.Advice
	}
	return text
}

func spanWords(low, high *float64) string {
	if low == nil || high == nil {
		return ""
	}
	return fmt.Sprintf("%v..%v", *low, *high)
}

func (b Bands) words() string {
	if len(b) == 0 {
		return ""
	}
	text, _ := json.Marshal(b)
	return string(text)
}

// KitFrom makes a kit of a device as it stands.
func KitFrom(name string, m Made) Kit {
	k := Kit{Name: name, Title: m.Device.Title, Interval: m.Device.Interval, Closed: m.Device.Closed,
		Settings: m.Device.Settings, Faults: m.Device.Faults}
	for _, s := range m.Signals {
		if s.MadeOf != "" {
			continue // a kit describes what is measured
		}
		ks := KitSignal{Name: s.Name, Title: s.Title, Quantity: s.Quantity, Unit: s.Unit, Step: s.Step, Bands: s.Bands,
			Interval: s.Interval,
			FailsTo:  s.FailsTo, WarmUp: s.WarmUp, WarmGap: s.WarmGap, Stuck: s.StuckAfter, Fault: s.FaultAfter,
			Faults: s.Faults}
		if s.Kind != KindNumber {
			ks.Kind = s.Kind
		}
		if s.SpanLow != nil && s.SpanHigh != nil {
			ks.Span = &Span{*s.SpanLow, *s.SpanHigh}
		}
		k.Signals = append(k.Signals, ks)
		tile := KitTile{Kind: "value", Signals: []string{s.Name}}
		if s.Kind == KindSwitch {
			tile.Kind = "states"
		}
		if s.Kind == KindNumber || s.Kind == KindSwitch {
			k.Tiles = append(k.Tiles, tile)
		}
	}
	for _, o := range m.Outputs {
		k.Outputs = append(k.Outputs, KitOutput{o.Name, o.Spec})
	}
	for _, g := range m.Guards {
		signal := strings.TrimPrefix(g.Signal, m.Device.Name+"/")
		k.Guards = append(k.Guards, KitGuard{Name: strings.TrimPrefix(g.Name, m.Device.Name+"-"), Signal: signal,
			When: g.When, Deadband: g.Deadband,
			OnDelay: g.OnDelay, OffDelay: g.OffDelay, Severity: g.Severity, Advice: g.Advice, Rungs: g.Rungs.Plain(),
			Latch: g.Latch, Armed: g.Armed})
	}
	return k
}
