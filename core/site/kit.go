package site

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
)

// Kit describes one sort of device: what it sends, how often, and how it is guarded at first.
type Kit struct {
	Name         string           `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" doc:"unique in the site" example:"pond-probe"`
	Title        string           `json:"title,omitempty" required:"false" maxLength:"80"`
	About        string           `json:"about,omitempty" required:"false" maxLength:"2000" doc:"what it is, how to wire it"`
	Interval     measure.Duration `json:"interval,omitzero" required:"false" doc:"how often something is expected of it" example:"15"`
	Closed       bool             `json:"closed,omitempty" required:"false" doc:"no other signals appear than these"`
	KeepReadings measure.Duration `json:"keep_readings,omitzero" required:"false" doc:"for how long readings of its devices are kept" example:"31536000"`
	KeepFigures  measure.Duration `json:"keep_figures,omitzero" required:"false" doc:"for how long their figures by hour and day are kept"`
	Faults       Faults           `json:"faults,omitzero" required:"false" doc:"how bad the silence, a wrong clock and sensor faults of its devices are, and who is told"`
	Settings     Settings         `json:"settings,omitzero" required:"false" doc:"what it is ordered at first"`
	Signals      []KitSignal      `json:"signals,omitempty" required:"false"`
	Outputs      []KitOutput      `json:"outputs,omitempty" required:"false"`
	Guards       []KitGuard       `json:"guards,omitempty" required:"false" doc:"first guards of each device"`
	Tiles        []KitTile        `json:"tiles,omitempty" required:"false" doc:"how a board shows it"`
}

// KitSignal is one signal of a kit.
type KitSignal struct {
	Name     string           `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$"`
	Title    string           `json:"title,omitempty" required:"false" maxLength:"80"`
	Quantity string           `json:"quantity,omitempty" required:"false" maxLength:"80" example:"temperature"`
	Kind     string           `json:"kind,omitempty" required:"false" enum:"number,switch,text,data" doc:"number when left out"`
	Unit     measure.Unit     `json:"unit,omitempty" required:"false"`
	Span     *Span            `json:"span,omitempty" required:"false"`
	FailsTo  quality.Side     `json:"fails_to,omitempty" required:"false" enum:"low,high,both" doc:"the side of the span to which the instrument fails"`
	Step     float64          `json:"step,omitempty" required:"false" minimum:"0" doc:"resolution"`
	WarmUp   measure.Duration `json:"warm_up,omitzero" required:"false" doc:"how long after power-on its readings are not to be believed"`
	WarmGap  measure.Duration `json:"warm_gap,omitzero" required:"false" doc:"a longer gap between two readings means that it was without power"`
	Stuck    measure.Duration `json:"stuck_after,omitzero" required:"false" doc:"how long its last digit may stand still"`
	Fault    measure.Duration `json:"fault_after,omitzero" required:"false" doc:"how long readings that cannot be believed may come before a sensor fault is raised"`
	Faults   Faults           `json:"faults,omitzero" required:"false" doc:"how bad a sensor fault of it is, and who is told"`
	Bands    Bands            `json:"bands,omitempty" required:"false" nullable:"false"`
	Interval measure.Duration `json:"interval,omitzero" required:"false" doc:"when it differs from the device's"`
}

// Span is the stretch of values that an instrument can truly give.
type Span struct {
	Low  float64 `json:"low"`
	High float64 `json:"high"`
}

// KitOutput is one output of a kit.
type KitOutput struct {
	Name       string `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$"`
	drive.Spec `yaml:",inline"`
}

// KitGuard is a guard that each device of a kit gets at first.
type KitGuard struct {
	Name     string           `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" doc:"unique in the kit; the device's name goes before it"`
	Signal   string           `json:"signal" doc:"name of the signal"`
	When     alarm.Test       `json:"when" example:"above 30"`
	Deadband float64          `json:"deadband,omitempty" required:"false" minimum:"0"`
	OnDelay  measure.Duration `json:"on_delay,omitzero" required:"false"`
	OffDelay measure.Duration `json:"off_delay,omitzero" required:"false"`
	Severity alarm.Severity   `json:"severity,omitempty" required:"false" enum:"advisory,warning,critical" doc:"warning when left out"`
	Advice   string           `json:"advice,omitempty" required:"false" maxLength:"2000"`
	Rungs    alarm.Rungs      `json:"rungs,omitempty" required:"false" nullable:"false" maxItems:"3" doc:"further rungs"`
	Latch    bool             `json:"latch,omitempty" required:"false"`
	Armed    string           `json:"armed,omitempty" required:"false" maxLength:"300" doc:"when it looks; always when left out"`
}

// KitTile is one view that a board shows of each device.
type KitTile struct {
	Kind    string   `json:"kind" enum:"value,bar,dial,lines,states,spread,table,total,switch"`
	Title   string   `json:"title,omitempty" required:"false" maxLength:"80"`
	Signals []string `json:"signals" nullable:"false"`
}

// Check tells what is wrong with the kit: nil or a *measure.Fault.
func (k *Kit) Check() error {
	if err := CheckName(k.Name); err != nil {
		return &measure.Fault{Field: "name", Reason: err.Error()}
	}
	if err := CheckInterval("interval", k.Interval); err != nil {
		return err
	}
	if err := errors.Join(CheckKeep("keep_readings", k.KeepReadings),
		CheckKeep("keep_figures", k.KeepFigures)); err != nil {
		return err
	}
	if err := k.Settings.Check(); err != nil {
		return err
	}
	if err := k.Faults.Check(); err != nil {
		return err
	}
	signals := map[string]*KitSignal{}
	var names []string
	for i := range k.Signals {
		s := &k.Signals[i]
		if err := s.check(); err != nil {
			return within(fmt.Sprintf("signals[%d]", i), err)
		}
		if signals[s.Name] != nil {
			return &measure.Fault{Field: fmt.Sprintf("signals[%d].name", i), Reason: fmt.Sprintf("%q is there twice",
				s.Name)}
		}
		signals[s.Name], names = s, append(names, s.Name)
	}
	if err := k.checkGuards(signals, names); err != nil {
		return err
	}
	outputs := map[string]bool{}
	for i, o := range k.Outputs {
		if err := CheckName(o.Name); err != nil {
			return &measure.Fault{Field: fmt.Sprintf("outputs[%d].name", i), Reason: err.Error()}
		}
		if outputs[o.Name] {
			return &measure.Fault{Field: fmt.Sprintf("outputs[%d].name", i), Reason: fmt.Sprintf("%q is there twice",
				o.Name)}
		}
		if err := k.Outputs[i].Spec.Check(); err != nil {
			return within(fmt.Sprintf("outputs[%d]", i), err)
		}
		outputs[o.Name] = true
	}
	for i, tile := range k.Tiles {
		for _, name := range tile.Signals {
			if signals[name] == nil && !outputs[name] {
				return &measure.Fault{Field: fmt.Sprintf("tiles[%d].signals", i), Reason: noSignal(name, names)}
			}
		}
	}
	return nil
}

func (k *Kit) checkGuards(signals map[string]*KitSignal, names []string) error {
	seen := map[string]bool{}
	for i := range k.Guards {
		g := k.Guards[i].guard("d")
		place := fmt.Sprintf("guards[%d]", i)
		s := signals[k.Guards[i].Signal]
		switch {
		case CheckName(k.Guards[i].Name) != nil:
			return &measure.Fault{Field: place + ".name", Reason: CheckName(k.Guards[i].Name).Error()}
		case seen[k.Guards[i].Name]:
			return &measure.Fault{Field: place + ".name", Reason: fmt.Sprintf("%q is there twice", k.Guards[i].Name)}
		case s == nil:
			return &measure.Fault{Field: place + ".signal", Reason: noSignal(k.Guards[i].Signal, names)}
		case !g.When.Suits(s.KindOr()):
			return &measure.Fault{Field: place + ".when", Reason: fmt.Sprintf("'%s' does not go with %s, which is a %s",
				g.When, s.Name, s.KindOr())}
		}
		if err := g.Check(); err != nil {
			return within(place, err)
		}
		seen[k.Guards[i].Name] = true
	}
	return nil
}

func (s *KitSignal) check() error {
	if err := CheckName(s.Name); err != nil {
		return &measure.Fault{Field: "name", Reason: err.Error()}
	}
	if s.Unit != "" && !s.Unit.Known() {
		return &measure.Fault{Field: "unit", Reason: UnknownUnit(s.Unit)}
	}
	rules := quality.Rules{FailsTo: s.FailsTo, WarmUp: s.WarmUp, WarmGap: s.WarmGap, StuckAfter: s.Stuck,
		FaultAfter: s.Fault}
	if s.Span != nil {
		rules.SpanLow, rules.SpanHigh = &s.Span.Low, &s.Span.High
	}
	if err := rules.Check(); err != nil {
		return err
	}
	if s.Kind != "" && !isOne(s.Kind, Kinds) {
		return &measure.Fault{Field: "kind", Reason: fmt.Sprintf("%q is not one of %s", s.Kind,
			strings.Join(Kinds, ", "))}
	}
	if err := CheckInterval("interval", s.Interval); err != nil {
		return err
	}
	if err := s.Faults.Check(); err != nil {
		return err
	}
	return s.Bands.Check()
}

// KindOr is the signal's kind, number when none is said.
func (s *KitSignal) KindOr() string {
	if s.Kind == "" {
		return KindNumber
	}
	return s.Kind
}

// guard is what a device of the name gets.
func (g KitGuard) guard(device string) alarm.Guard {
	severity := g.Severity
	if severity == "" {
		severity = alarm.Warning
	}
	return alarm.Guard{Name: NameFrom(device + "-" + g.Name), Signal: device + "/" + g.Signal,
		Rung: alarm.Rung{When: g.When, Deadband: g.Deadband, OnDelay: g.OnDelay, OffDelay: g.OffDelay,
			Severity: severity},
		Rungs: slices.Clone(g.Rungs), Latch: g.Latch, Armed: g.Armed, Tell: []string{}, Advice: g.Advice}
}

func noSignal(name string, names []string) string {
	reason := fmt.Sprintf("the kit has no signal %q", name)
	if near := Nearest(name, names); near != "" {
		return reason + "; did you mean " + near + "?"
	}
	return reason
}

func within(place string, err error) error {
	if f, ok := err.(*measure.Fault); ok {
		return &measure.Fault{Field: place + "." + f.Field, Reason: f.Reason}
	}
	return err
}

func isOne(text string, of []string) bool {
	for _, o := range of {
		if o == text {
			return true
		}
	}
	return false
}

// UnknownUnit says that a unit is not known, with the code that was perhaps meant.
func UnknownUnit(u measure.Unit) string {
	if meant := measure.UnitMeant(string(u)); meant != "" {
		return fmt.Sprintf("there is no unit %s; did you mean %s?", u, meant)
	}
	return Unknown("unit", string(u), measure.UnitCodes())
}

// Unknown says that a name is not known, with the nearest that is.
func Unknown(what, name string, known []string) string {
	reason := "there is no " + what + " " + name
	if near := Nearest(name, known); near != "" {
		return reason + "; did you mean " + near + "?"
	}
	return reason
}
