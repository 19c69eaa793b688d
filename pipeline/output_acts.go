package pipeline

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// SaveOutput stores an output of a device, new or changed.
func (p *Pipeline) SaveOutput(ctx context.Context, device, name string, spec drive.Spec, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(device)
		if err != nil {
			return err
		}
		if err := t.saveOutput(d, name, spec, who); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

func (t *Turn) saveOutput(d *deviceLive, name string, spec drive.Spec, who Actor) error {
	if err := site.CheckName(name); err != nil {
		return &measure.Fault{Field: "name", Reason: err.Error()}
	}
	if err := spec.Check(); err != nil {
		return err
	}
	spec.Title = strings.TrimSpace(spec.Title)
	t.touched = true
	o, kind := d.outputs[name], "output changed"
	if o == nil {
		fresh := drive.Output{Device: d.Name, Name: name, Spec: spec}
		if err := t.Tx.SaveOutput(t.ctx, &fresh, d.ID); err != nil {
			return err
		}
		o, kind = t.live.output(fresh), "output added"
	}
	o.Spec = spec
	for _, i := range o.locks {
		if err := i.Check(&o.Output, i.number()); err != nil {
			return &measure.Fault{Field: "kind", Reason: fmt.Sprintf("interlock %s does not suit that: %s", i.Name, err)}
		}
		t.mayLook(i)
	}
	o.refit()
	if err := t.Tx.SaveOutput(t.ctx, &o.Output, d.ID); err != nil {
		return err
	}
	t.consider(o)
	return t.Enter(kind, o.Path(), who.Called, fmt.Sprintf("Output %s is a %s, %s when safe", o.Path(), spec.Kind, o.Words(spec.Safe)))
}

// refit drops what an output cannot be any more once it was changed.
func (o *outputLive) refit() {
	if _, err := o.Parse(string(o.Ordered)); err != nil {
		o.State = drive.State{AlarmID: o.AlarmID}
	}
	if o.Confirmed != nil {
		if _, err := o.Parse(string(*o.Confirmed)); err != nil {
			o.Confirmed, o.ConfirmedAt = nil, nil
		}
	}
	if h := o.Hand; h != nil {
		if _, err := o.Parse(string(h.To)); err != nil || o.HandsOff {
			o.Hand = nil
		}
	}
}

// RemoveOutput removes an output with its interlocks. Its device hears no more of it, and goes to the safe state.
func (p *Pipeline) RemoveOutput(ctx context.Context, path string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		o, err := t.outputNamed(path)
		if err != nil {
			return err
		}
		if err := t.endOutput(o, "the output was removed"); err != nil {
			return err
		}
		if err := t.KeepRemoved("output", path, o.Title, who.Called, "output", "id", o.ID); err != nil {
			return err
		}
		if err := t.Tx.RemoveOutput(t.ctx, o.ID); err != nil {
			return err
		}
		if err := t.Enter("output removed", path, who.Called, fmt.Sprintf("Output %s was removed with its interlocks", path)); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// endOutput takes an output out of what is decided; its alarm is over.
func (t *Turn) endOutput(o *outputLive, cause string) error {
	t.touched = true
	delete(t.live.outputs, o.ID)
	delete(o.device.outputs, o.Name)
	delete(t.undecided, o.ID)
	for _, i := range o.locks {
		delete(t.live.locks, i.ID)
	}
	return t.endOutputAlarm(o, alarm.EndUnwatched, cause)
}

// endOutputsOf does so for all outputs of a device that goes.
func (t *Turn) endOutputsOf(d *deviceLive) error {
	for _, o := range d.outputs {
		if err := t.endOutput(o, "the device was removed"); err != nil {
			return err
		}
	}
	return nil
}

// SetOutput sets an output by hand for a while. An emergency or a safety interlock that holds it otherwise refuses.
func (p *Pipeline) SetOutput(ctx context.Context, path string, h act.HandOrder, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		o, err := t.outputNamed(path)
		if err != nil {
			return err
		}
		to, err := o.Parse(h.To)
		if err != nil {
			return &measure.Fault{Field: "to", Reason: err.Error()}
		}
		if err := drive.CheckHold(h.For); err != nil {
			return err
		}
		if err := t.mayBeSet(o, h.Sure); err != nil {
			return err
		}
		holds := time.Duration(h.For)
		if holds == 0 {
			holds = o.Holds()
		}
		t.touched = true
		o.Hand = &drive.Hand{To: to, By: who.Called, Why: strings.TrimSpace(h.Why), At: t.Now, Until: t.Now.Add(holds)}
		t.consider(o)
		return nil
	})
}

// mayBeSet tells why an output cannot be set by hand now.
func (t *Turn) mayBeSet(o *outputLive, sure bool) error {
	switch {
	case o.HandsOff:
		return fmt.Errorf("%s is not to be set by hand: %w", o.Path(), ErrNotNow)
	case t.live.emergency != nil:
		return fmt.Errorf("all outputs are in their safe states since %s did that; end it first: %w", t.live.emergency.By, ErrNotNow)
	case o.Dangerous && !sure:
		return &measure.Fault{Field: "sure", Reason: fmt.Sprintf("%s is dangerous; say that you are sure", o.Path())}
	}
	for _, i := range o.locks {
		if d, asks := i.Demand(); asks && d.Rank == drive.Safety {
			return fmt.Errorf("safety interlock %s holds %s at %s (%s), and wins over hands: %w", i.Name, o.Path(), o.Words(d.Value), d.Why, ErrNotNow)
		}
	}
	return nil
}

// ReleaseOutput ends a setting by hand.
func (p *Pipeline) ReleaseOutput(ctx context.Context, path string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		o, err := t.outputNamed(path)
		if err != nil {
			return err
		}
		if o.Hand == nil {
			return fmt.Errorf("%s is not set by hand: %w", path, ErrNotNow)
		}
		t.touched = true
		o.Hand = nil
		t.consider(o)
		return t.Enter("output released", path, who.Called, o.title()+" was released")
	})
}

// AllSafe puts all outputs of the site into their safe states, at once, until somebody ends that. Settings by hand are over.
func (p *Pipeline) AllSafe(ctx context.Context, why string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		if t.live.emergency != nil {
			return fmt.Errorf("all outputs are in their safe states already, since %s did that: %w", t.live.emergency.By, ErrNotNow)
		}
		why = strings.TrimSpace(why)
		t.touched = true
		t.live.emergency = &drive.AllSafe{By: who.Called, Why: why, At: t.Now}
		if err := t.Tx.SetEmergency(t.ctx, t.live.emergency); err != nil {
			return err
		}
		for _, o := range t.live.outputs {
			o.Hand = nil
			t.consider(o)
		}
		text := fmt.Sprintf("%s put all outputs (%d) into the safe state", who.Called, len(t.live.outputs))
		if why != "" {
			text += ": " + why
		}
		if err := t.Enter("all outputs safe", "", who.Called, text); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// EndAllSafe ends an emergency: outputs do again what is asked of them.
func (p *Pipeline) EndAllSafe(ctx context.Context, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		if t.live.emergency == nil {
			return fmt.Errorf("nobody has put all outputs into the safe state: %w", ErrNotNow)
		}
		t.touched = true
		t.live.emergency = nil
		if err := t.Tx.SetEmergency(t.ctx, nil); err != nil {
			return err
		}
		for _, o := range t.live.outputs {
			t.consider(o)
		}
		if err := t.Enter("all outputs safe, over", "", who.Called, who.Called+" ended it: outputs do again what is asked of them"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// ConfirmOutput takes what a device says that one of its outputs does.
func (p *Pipeline) ConfirmOutput(ctx context.Context, from Sender, device, output string, r drive.OutputReport) error {
	return p.DoWithOthers(ctx, func(t *Turn) error {
		who, err := t.live.Identify(from, t.Now)
		switch {
		case err != nil:
			return err
		case who.Device == nil:
			return ErrKeyUnknown
		case !t.live.MaySpeakFor(who.Device, device):
			return &measure.Fault{Field: "device", Reason: fmt.Sprintf("%s cannot speak for %q", who.Device.Name, device)}
		}
		d := t.live.byName[device]
		o := d.outputs[output]
		if o == nil {
			return &measure.Fault{Field: "output", Reason: site.Unknown("output", output, slices.Sorted(maps.Keys(d.outputs)))}
		}
		return t.confirmOutput(o, r)
	})
}

func (t *Turn) confirmOutput(o *outputLive, r drive.OutputReport) error {
	does, err := o.Hears(string(r.Value))
	if err != nil {
		return &measure.Fault{Field: "value", Reason: err.Error()}
	}
	if r.No > o.No {
		return &measure.Fault{Field: "no", Reason: fmt.Sprintf("is %d, but the newest order is %d", r.No, o.No)}
	}
	t.touched = true
	before := o.Confirmed
	at := t.Now
	o.Confirmed, o.ConfirmedAt = &does, &at
	t.consider(o)
	if before != nil && *before == does {
		return nil
	}
	text := fmt.Sprintf("%s is %s, its device says", o.title(), o.Be(does))
	if does != o.Ordered {
		text += "; it was ordered to be " + o.Be(o.Ordered)
	}
	return t.Enter("output confirmed", o.Path(), "", text)
}
