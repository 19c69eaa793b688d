package pipeline

import (
	"context"
	"errors"
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// KeepRemoved keeps what is about to be removed, the rows of a table whose column holds a value, with all that goes with
// them, so that it can be brought back.
func (t *Turn) KeepRemoved(kind, name, title, who, table, column string, is any) error {
	return t.Tx.KeepRemoved(t.ctx, site.Removal{Kind: kind, Name: name, Title: title, At: t.Now, By: who}, table, column, is)
}

// keepGuard keeps a guard that is about to be removed; what was made for it alone goes and comes with it.
func (t *Turn) keepGuard(g *guardLive, who string) error {
	if s := g.signal; s.Helper && len(s.guards) == 1 && s.needed(nil) == nil {
		return t.KeepRemoved("guard", g.Name, "", who, "signal", "id", s.ID)
	}
	return t.KeepRemoved("guard", g.Name, "", who, "guard", "id", g.ID)
}

// Removed gives what was removed in the last 30 days, the newest first; boards are not among them.
func (p *Pipeline) Removed(ctx context.Context) ([]site.Removal, error) {
	return p.store.AllRemoved(ctx, p.Now().Add(-site.BringBackFor))
}

// BringBack brings back what was removed last under a name, as it was, with all that went with it. Guards and interlocks
// look anew from now on. It fails with store.ErrNotFound where nothing of that name was removed in the last 30 days, and with
// store.ErrStaysGone where something else has its place or what it belongs to is not there.
func (p *Pipeline) BringBack(ctx context.Context, kind, name string, who Actor) error {
	err := p.Do(ctx, func(t *Turn) error {
		r, err := t.Tx.TakeRemoved(t.ctx, kind, name, t.Now.Add(-site.BringBackFor))
		if errors.Is(err, store.ErrNotFound) && kind == "device" && t.live.byName[name] != nil && t.sentMeanwhile(name) {
			return nil // it is back, and what it has sent meanwhile was not taken yet
		}
		if err != nil {
			return fmt.Errorf("no %s %s was removed in the last 30 days: %w", kind, name, err)
		}
		back, err := t.Tx.PutBack(t.ctx, &r)
		if err != nil {
			return fmt.Errorf("%s %s %w", kind, name, err)
		}
		if err := t.takeBack(&r, back, who); err != nil {
			return err
		}
		return t.Enter(kind+" brought back", name, who.Called, fmt.Sprintf("The %s %s was brought back", kind, name))
	})
	if err != nil || kind != "device" {
		return err
	}
	// What is derived looks at what is committed.
	return p.Do(ctx, func(t *Turn) error {
		a, err := t.Tx.Arrival(t.ctx, name)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		} else if err != nil {
			return err
		}
		if err := t.takeKept(a, t.live.byName[name]); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// sentMeanwhile tells whether a device that was removed has sent something since.
func (t *Turn) sentMeanwhile(name string) bool {
	a, err := t.Tx.Arrival(t.ctx, name)
	return err == nil && a.Former
}

// takeBack lets what was put back go on.
func (t *Turn) takeBack(r *store.Removed, back map[string][]int64, who Actor) error {
	if err := t.ConfigChanged(); err != nil {
		return err
	}
	numbers := [2]int64{t.live.commitNo, t.live.configNo}
	l, err := load(t.ctx, t.Tx)
	if err != nil {
		return err
	}
	l.commitNo, l.configNo = numbers[0], numbers[1]
	t.live, t.touched = l, true
	for _, id := range back["device"] {
		if err := t.takeBackDevice(l.devices[id]); err != nil {
			return err
		}
	}
	for _, id := range back["signal"] {
		if s := l.signals[id]; s.derived != nil {
			for _, in := range s.derived.inputs {
				t.touch(in, r.At)
			}
		}
	}
	for _, id := range back["guard"] {
		t.startGuard(l.guards[id], false, who.Called)
	}
	for _, id := range back["output"] {
		t.consider(l.outputs[id])
	}
	for _, id := range back["interlock"] {
		t.beginLock(l.locks[id])
	}
	t.reconsiderAll()
	return t.tellAll()
}

// takeBackDevice lets a device that was put back use its keys again. What it has sent meanwhile is taken afterwards.
func (t *Turn) takeBackDevice(d *deviceLive) error {
	// It gets three intervals again to make itself heard.
	d.state.CountedFrom, d.state.SilentSince = t.Now, 0
	t.wakeAt(d, t.Now)
	a, err := t.Tx.Arrival(t.ctx, d.Name)
	switch {
	case err == nil && !a.Former:
		return &measure.Fault{Field: "name", Reason: fmt.Sprintf("%s waits as an arrival; let it in (jaunty arrival let-in %s), or turn it away first", d.Name, d.Name)}
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return err
	}
	return t.Tx.ForgetFormerKeys(t.ctx, d.Name)
}

// beginLock lets an interlock look at what holds.
func (t *Turn) beginLock(i *lockLive) {
	i.moved = true
	if s := i.signal; s != nil {
		i.hold(s)
		t.stepLock(i, alarm.Event{Kind: alarm.Begin, At: t.Now})
		i.begunAt = i.state.Stepped
	}
	t.mayLook(i)
}
