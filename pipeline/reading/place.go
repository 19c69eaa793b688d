package reading

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/memory"
	"jauntylark/store/config"
)

func closedReason(device *memory.Device, name string) string {
	reason := fmt.Sprintf("%s is closed, and %q is none of its signals", device.Name, name)
	if near := site.Nearest(name, slices.Collect(maps.Keys(device.Signals))); near != "" {
		reason += "; did you mean " + near + "?"
	}
	return reason
}

func kindOf(s measure.Sample) string {
	switch s.Form {
	case measure.FormBool:
		return site.KindSwitch
	case measure.FormText:
		return site.KindText
	case measure.FormData:
		return site.KindData
	}
	return site.KindNumber
}

// place finds or makes the signal of a sample and brings the value into its unit.
func (t *Turn) place(e *memory.Reading, s measure.Sample, home *memory.Device) (*measure.Fault, error) {
	device, name := home, s.Name
	if named, rest, found := strings.Cut(s.Name, "/"); found {
		switch {
		case home != nil && !t.Site.MaySpeakFor(&home.Device, named):
			return &measure.Fault{Field: "n",
				Reason: fmt.Sprintf(
					"the key is that of %s, which may send for itself and for devices behind it, not for %q", home.Name,
					named)}, nil
		case home == nil && t.Site.Named[named] == nil:
			return &measure.Fault{Field: "n", Reason: site.Unknown("device", named, t.Site.DeviceNames())}, nil
		}
		device, name = t.Site.Named[named], rest
	}
	if device == nil {
		return &measure.Fault{Field: "n", Reason: fmt.Sprintf("%q is not DEVICE/SIGNAL, which a person's readings need",
			s.Name)}, nil
	}
	if s.Unit != "" && !s.Unit.Known() {
		return &measure.Fault{Field: "u", Reason: site.UnknownUnit(s.Unit)}, nil
	}
	e.Signal, e.Value = device.Signals[name], s.Value
	if e.Signal == nil {
		if err := site.CheckName(name); err != nil {
			return &measure.Fault{Field: "n", Reason: err.Error()}, nil
		}
		if device.Closed {
			return &measure.Fault{Field: "n", Reason: closedReason(device, name)}, nil
		}
		return nil, t.NewSignal(e, s, device, name)
	}
	if e.Signal.Derived != nil {
		return &measure.Fault{Field: "n", Reason: e.Signal.Path() + " is derived here: " + e.Signal.MadeOf}, nil
	}
	return t.fit(e, s)
}

// NewSignal makes the signal that a sample is the first of.
func (t *Turn) NewSignal(e *memory.Reading, s measure.Sample, device *memory.Device, name string) error {
	v := site.Signal{Device: device.Name, Name: name, Kind: kindOf(s), Unit: s.Unit, Bands: site.Bands{}}
	t.ConfigTaken(device.Change())
	if err := config.AddSignal(t.Ctx, t.Tx, device.ID, &v, t.CommitNo, t.Now); err != nil {
		return err
	}
	if s.Span != nil {
		v.SpanLow, v.SpanHigh = s.Span.Low, s.Span.High
		if err := config.SaveSignal(t.Ctx, t.Tx, &v); err != nil {
			return err
		}
	}
	e.Signal = t.Site.AddSignal(v, device)
	return nil
}

// fit brings a sample into the kind and unit of its signal.
func (t *Turn) fit(e *memory.Reading, s measure.Sample) (*measure.Fault, error) {
	v := &e.Signal.Signal
	switch {
	case s.Worded() || v.Kind == site.KindText || v.Kind == site.KindData:
		if kindOf(s) != v.Kind {
			return &measure.Fault{Field: s.Form.Field(), Reason: fmt.Sprintf("is %s, but the signal holds %s",
				s.Form.Words(), memory.Holds[v.Kind])}, nil
		}
		return nil, nil
	case s.Form == measure.FormBool && v.Kind != site.KindSwitch:
		return &measure.Fault{Field: "vb", Reason: "is true or false, but the signal holds numbers"}, nil
	case v.Kind == site.KindSwitch && s.Value != 0 && s.Value != 1:
		return &measure.Fault{Field: "v",
			Reason: fmt.Sprintf("is %v, but the signal is on or off (1 or 0, true or false)", s.Value)}, nil
	case s.Unit == "" || s.Unit == v.Unit:
		return nil, nil
	case v.Unit == "":
		t.ConfigTaken(e.Signal.Home.Change())
		v.Unit = s.Unit
		if err := config.SaveSignal(t.Ctx, t.Tx, v); err != nil {
			return nil, err
		}
		return nil, nil
	}
	value, err := measure.Convert(s.Value, s.Unit, v.Unit)
	if err != nil {
		return &measure.Fault{Field: "u", Reason: fmt.Sprintf("the signal is in %s, and %v", v.Unit, err)}, nil
	}
	if math.IsInf(value, 0) {
		return &measure.Fault{Field: "v", Reason: fmt.Sprintf("%v %s is too large in %s", s.Value, s.Unit, v.Unit)}, nil
	}
	e.Value = value
	return nil, nil
}
