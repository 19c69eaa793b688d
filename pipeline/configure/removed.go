package configure

import (
	"context"
	"errors"
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/archive"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// KeepRemoved keeps what is about to be removed, the rows of a table whose column holds a value, with all that goes
// with them, so that it can be brought back.
func KeepRemoved(t *reading.Turn, kind, name, title, who, table, column string, is any) error {
	return archive.KeepRemoved(t.Ctx, t.Tx, site.Removal{Kind: kind, Name: name, Title: title, At: t.Now, By: who},
		table, column, is)
}

// keepGuard keeps a guard that is about to be removed; what was made for it alone goes and comes with it.
func keepGuard(t *reading.Turn, g *memory.Guard, who string) error {
	if s := g.Subject; s.Helper && len(s.Guards) == 1 && s.Needed(nil) == nil {
		return KeepRemoved(t, "guard", g.Name, "", who, "signal", "id", s.ID)
	}
	return KeepRemoved(t, "guard", g.Name, "", who, "guard", "id", g.ID)
}

// Removed gives what was removed in the last 30 days, the newest first; boards are not among them.
func Removed(ctx context.Context, p *pipeline.Pipeline) ([]site.Removal, error) {
	return archive.AllRemoved(ctx, p.Store, p.Now().Add(-site.BringBackFor))
}

// BringBack brings back what was removed last under a name, as it was, with all that went with it. Guards and
// interlocks look anew from now on. It fails with store.ErrNotFound where nothing of that name was removed in the last
// 30 days, and with store.ErrStaysGone where something else has its place or what it belongs to is not there.
func BringBack(ctx context.Context, p *pipeline.Pipeline, kind, name string, who pipeline.Actor) error {
	err := p.Do(ctx, func(t *reading.Turn) error {
		r, err := archive.TakeRemoved(t.Ctx, t.Tx, kind, name, t.Now.Add(-site.BringBackFor))
		if errors.Is(err, store.ErrNotFound) && kind == "device" && t.Site.Named[name] != nil &&
			sentMeanwhile(t, name) {
			return nil // it is back, and what it has sent meanwhile was not taken yet
		}
		if err != nil {
			return fmt.Errorf("no %s %s was removed in the last 30 days: %w", kind, name, err)
		}
		back, err := archive.PutBack(t.Ctx, t.Tx, &r)
		if err != nil {
			return fmt.Errorf("%s %s %w", kind, name, err)
		}
		if err := bringBack(t, &r, back, who); err != nil {
			return err
		}
		return t.Enter(kind+" brought back", name, who.Called, fmt.Sprintf("The %s %s was brought back", kind, name))
	})
	if err != nil || kind != "device" {
		return err
	}
	// What is derived looks at what is committed.
	return p.Do(ctx, func(t *reading.Turn) error {
		a, err := events.Arrival(t.Ctx, t.Tx, name)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		} else if err != nil {
			return err
		}
		if err := t.TakeKept(a, t.Site.Named[name]); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfDevice, ID: t.Site.Named[name].ID},
			store.Change{Scope: store.OfKeys})
		return nil
	})
}

// sentMeanwhile tells whether a device that was removed has sent something since.
func sentMeanwhile(t *reading.Turn, name string) bool {
	a, err := events.Arrival(t.Ctx, t.Tx, name)
	return err == nil && a.Former
}

// bringBack lets what was put back go on.
func bringBack(t *reading.Turn, r *archive.Removed, back map[string][]int64, who pipeline.Actor) error {
	l := t.Site
	devices, err := archive.DevicesOf(t.Ctx, t.Tx, back)
	if err != nil {
		return err
	}
	t.ConfigChanged(store.Change{Scope: store.OfKeys}, store.Change{Scope: store.OfPeople},
		store.Change{Scope: store.OfPlans})
	for _, id := range devices {
		t.ConfigChanged(store.Change{Scope: store.OfDevice, ID: id})
	}
	if err := t.TakeAnew(devices...); err != nil {
		return err
	}
	for _, id := range back["device"] {
		if err := bringBackDevice(t, l.Devices[id]); err != nil {
			return err
		}
	}
	for _, id := range back["signal"] {
		if err := timeseries.NoteAmended(t.Ctx, t.Tx, id, 0, 1<<61); err != nil {
			return err
		}
		if s := l.Signals[id]; s.Derived != nil {
			for _, in := range s.Derived.From {
				t.Touch(in, r.At)
			}
		}
	}
	for _, id := range back["guard"] {
		startGuard(t, l.Guards[id], false, who.Called)
	}
	for _, id := range back["output"] {
		t.Consider(l.Outputs[id])
	}
	for _, id := range back["interlock"] {
		beginLock(t, l.Interlocks[id])
	}
	t.ReconsiderAll()
	return t.TellAll()
}

// bringBackDevice lets a device that was put back use its keys again. What it has sent meanwhile is taken afterwards.
func bringBackDevice(t *reading.Turn, d *memory.Device) error {
	// It gets three intervals again to make itself heard.
	d.State.CountedFrom, d.State.SilentSince = t.Now, 0
	t.WakeAt(d, t.Now)
	a, err := events.Arrival(t.Ctx, t.Tx, d.Name)
	switch {
	case err == nil && !a.Former:
		return &measure.Fault{Field: "name",
			Reason: fmt.Sprintf("%s waits as an arrival; let it in (jaunty arrival let-in %s), or turn it away first",
				d.Name, d.Name)}
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return err
	}
	return config.ForgetFormerKeys(t.Ctx, t.Tx, d.Name)
}

// beginLock lets an interlock look at what holds.
func beginLock(t *reading.Turn, i *memory.Interlock) {
	i.Moved = true
	if s := i.Subject; s != nil {
		i.Hold(s)
		t.StepInterlock(i, alarm.Event{Kind: alarm.Begin, At: t.Now})
		i.BegunAt = i.State.Stepped
	}
	t.MayLook(i)
}
