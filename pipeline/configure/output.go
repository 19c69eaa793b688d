package configure

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
)

// SaveOutput stores an output of a device, new or changed.
func SaveOutput(ctx context.Context, p *pipeline.Pipeline, device, name string, spec drive.Spec,
	who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(device)
		if err != nil {
			return err
		}
		return saveOutput(t, d, name, spec, who)
	})
}

func saveOutput(t *reading.Turn, d *memory.Device, name string, spec drive.Spec, who pipeline.Actor) error {
	if err := site.CheckName(name); err != nil {
		return &measure.Fault{Field: "name", Reason: err.Error()}
	}
	if err := spec.Check(); err != nil {
		return err
	}
	spec.Title = strings.TrimSpace(spec.Title)
	t.ConfigChanged(d.Change())
	o, kind := d.Outputs[name], "output changed"
	if o == nil {
		fresh := drive.Output{Device: d.Name, Name: name, Spec: spec}
		if err := config.SaveOutput(t.Ctx, t.Tx, &fresh, d.ID); err != nil {
			return err
		}
		o, kind = t.Site.AddOutput(fresh), "output added"
	}
	o.Spec = spec
	for _, i := range o.Interlocks {
		if err := i.Check(&o.Output, i.GivesNumber()); err != nil {
			return &measure.Fault{Field: "kind", Reason: fmt.Sprintf("interlock %s does not suit that: %s", i.Name,
				err)}
		}
		t.MayLook(i)
	}
	refit(o)
	if err := config.SaveOutput(t.Ctx, t.Tx, &o.Output, d.ID); err != nil {
		return err
	}
	t.Consider(o)
	return t.Enter(kind, o.Path(), who.Called, fmt.Sprintf("Output %s is a %s, %s when safe", o.Path(), spec.Kind,
		o.Words(spec.Safe)))
}

// refit drops what an output cannot be any more once it was changed.
func refit(o *memory.Output) {
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
func RemoveOutput(ctx context.Context, p *pipeline.Pipeline, path string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		o, err := t.Site.FindOutput(path)
		if err != nil {
			return err
		}
		if err := t.EndOutput(o, "the output was removed"); err != nil {
			return err
		}
		if err := KeepRemoved(t, "output", path, o.Title, who.Called, "output", "id", o.ID); err != nil {
			return err
		}
		if err := config.RemoveOutput(t.Ctx, t.Tx, o.ID); err != nil {
			return err
		}
		if err := t.Enter("output removed", path, who.Called, fmt.Sprintf("Output %s was removed with its interlocks",
			path)); err != nil {
			return err
		}
		t.ConfigChanged(o.Home.Change())
		return nil
	})
}

// endOutputsOf does so for all outputs of a device that goes.
func endOutputsOf(t *reading.Turn, d *memory.Device) error {
	for _, o := range d.Outputs {
		if err := t.EndOutput(o, "the device was removed"); err != nil {
			return err
		}
	}
	return nil
}

// SetOutput sets an output by hand for a while. An emergency or a safety interlock that holds it otherwise refuses.
func SetOutput(ctx context.Context, p *pipeline.Pipeline, path string, h act.HandOrder, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		o, err := t.Site.FindOutput(path)
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
		if err := mayBeSet(t, o, h.Sure); err != nil {
			return err
		}
		holds := time.Duration(h.For)
		if holds == 0 {
			holds = o.Holds()
		}
		o.Hand = &drive.Hand{To: to, By: who.Called, Why: strings.TrimSpace(h.Why), At: t.Now, Until: t.Now.Add(holds)}
		t.Consider(o)
		return nil
	})
}

// mayBeSet tells why an output cannot be set by hand now.
func mayBeSet(t *reading.Turn, o *memory.Output, sure bool) error {
	switch {
	case o.HandsOff:
		return fmt.Errorf("%s is not to be set by hand: %w", o.Path(), commit.ErrNotNow)
	case t.Site.Emergency != nil:
		return fmt.Errorf("all outputs are in their safe states since %s did that; end it first: %w",
			t.Site.Emergency.By, commit.ErrNotNow)
	case o.Dangerous && !sure:
		return &measure.Fault{Field: "sure", Reason: fmt.Sprintf("%s is dangerous; say that you are sure", o.Path())}
	}
	for _, i := range o.Interlocks {
		if d, asks := i.Demand(); asks && d.Rank == drive.Safety {
			return fmt.Errorf("safety interlock %s holds %s at %s (%s), and wins over hands: %w", i.Name, o.Path(),
				o.Words(d.Value), d.Why, commit.ErrNotNow)
		}
	}
	return nil
}

// ReleaseOutput ends a setting by hand.
func ReleaseOutput(ctx context.Context, p *pipeline.Pipeline, path string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		o, err := t.Site.FindOutput(path)
		if err != nil {
			return err
		}
		if o.Hand == nil {
			return fmt.Errorf("%s is not set by hand: %w", path, commit.ErrNotNow)
		}
		o.Hand = nil
		t.Consider(o)
		return t.Enter("output released", path, who.Called, o.FullTitle()+" was released")
	})
}

// AllSafe puts all outputs of the site into their safe states, at once, until somebody ends that. Settings by hand are
// over.
func AllSafe(ctx context.Context, p *pipeline.Pipeline, why string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if t.Site.Emergency != nil {
			return fmt.Errorf("all outputs are in their safe states already, since %s did that: %w",
				t.Site.Emergency.By, commit.ErrNotNow)
		}
		why = strings.TrimSpace(why)
		t.ConfigChanged(store.Change{Scope: store.OfPeople})
		t.Site.Emergency = &drive.AllSafe{By: who.Called, Why: why, At: t.Now}
		if err := config.SetEmergency(t.Ctx, t.Tx, t.Site.Emergency); err != nil {
			return err
		}
		for _, o := range t.Site.Outputs {
			o.Hand = nil
			t.Consider(o)
		}
		text := fmt.Sprintf("%s put all outputs (%d) into the safe state", who.Called, len(t.Site.Outputs))
		if why != "" {
			text += ": " + why
		}
		if err := t.Enter("all outputs safe", "", who.Called, text); err != nil {
			return err
		}
		return nil
	})
}

// EndAllSafe ends an emergency: outputs do again what is asked of them.
func EndAllSafe(ctx context.Context, p *pipeline.Pipeline, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if t.Site.Emergency == nil {
			return fmt.Errorf("nobody has put all outputs into the safe state: %w", commit.ErrNotNow)
		}
		t.ConfigChanged(store.Change{Scope: store.OfPeople})
		t.Site.Emergency = nil
		if err := config.SetEmergency(t.Ctx, t.Tx, nil); err != nil {
			return err
		}
		for _, o := range t.Site.Outputs {
			t.Consider(o)
		}
		if err := t.Enter("all outputs safe, over", "", who.Called, who.Called+
			" ended it: outputs do again what is asked of them"); err != nil {
			return err
		}
		return nil
	})
}

// ConfirmOutput takes what a device says that one of its outputs does.
func ConfirmOutput(ctx context.Context, p *pipeline.Pipeline, from credential.Sender, device, output string,
	r drive.OutputReport) error {
	return p.DoWithOthers(ctx, func(t *reading.Turn) error {
		who, err := t.Site.Identify(from, t.Now)
		switch {
		case err != nil:
			return err
		case who.Device == nil:
			return credential.ErrKeyUnknown
		case !t.Site.MaySpeakFor(who.Device, device):
			return &measure.Fault{Field: "device", Reason: fmt.Sprintf("%s cannot speak for %q", who.Device.Name,
				device)}
		}
		d := t.Site.Named[device]
		o := d.Outputs[output]
		if o == nil {
			return &measure.Fault{Field: "output",
				Reason: site.Unknown("output", output, slices.Sorted(maps.Keys(d.Outputs)))}
		}
		return confirmOutput(t, o, r)
	})
}

func confirmOutput(t *reading.Turn, o *memory.Output, r drive.OutputReport) error {
	does, err := o.Hears(string(r.Value))
	if err != nil {
		return &measure.Fault{Field: "value", Reason: err.Error()}
	}
	if r.No > o.No {
		return &measure.Fault{Field: "no", Reason: fmt.Sprintf("is %d, but the newest order is %d", r.No, o.No)}
	}
	t.Consider(o)
	before := o.Confirmed
	at := t.Now
	o.Confirmed, o.ConfirmedAt = &does, &at
	if before != nil && *before == does {
		return nil
	}
	text := fmt.Sprintf("%s is %s, its device says", o.FullTitle(), o.Be(does))
	if does != o.Ordered {
		text += "; it was ordered to be " + o.Be(o.Ordered)
	}
	return t.Enter("output confirmed", o.Path(), "", text)
}
