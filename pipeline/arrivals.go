package pipeline

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

const (
	arrivalsAtMost = 500    // that are kept, waiting or turned away
	arrivalKeeps   = 10_000 // readings of one arrival
)

// keepArrival keeps a pack of a device that nobody knows yet, until it is let in or turned away.
func (t *Turn) keepArrival(j *job, who Identity) error {
	a, err := t.Tx.Arrival(t.ctx, who.Arrival)
	switch {
	case errors.Is(err, store.ErrNotFound):
		n, err := t.Tx.CountArrivals(t.ctx)
		if err != nil {
			return err
		}
		if n >= arrivalsAtMost {
			j.err = ErrFull
			return nil
		}
		if a, err = t.newArrival(j, who); err != nil {
			return err
		}
	case err != nil:
		return err
	case a.State == site.ArrivalTurnedAway:
		j.err = ErrTurnedAway
		return nil
	}
	samples, err := json.Marshal(j.pack.Samples)
	if err != nil {
		return err
	}
	n := len(j.pack.Samples)
	var frame []byte
	if j.pack.Frame != nil {
		if frame, err = json.Marshal(j.pack.Frame); err != nil {
			return err
		}
	}
	if err := t.Tx.AddArrivalPack(t.ctx, store.ArrivalPack{Arrival: a.ID, Arrived: j.pack.Arrived, Readings: n, Samples: storable(samples), Frame: frame}); err != nil {
		return err
	}
	a.LastAt, a.Protocol, a.Address = j.pack.Arrived, j.pack.Sender.Protocol, j.pack.Sender.Address
	if a.Readings += n; a.Readings > arrivalKeeps {
		dropped, err := t.Tx.DropOldestPacks(t.ctx, a.ID, arrivalKeeps)
		if err != nil {
			return err
		}
		a.Readings, a.Dropped = a.Readings-dropped, a.Dropped+dropped
	}
	j.outcome.Arrival, j.outcome.Accepted = true, n
	return t.Tx.SaveArrival(t.ctx, &a)
}

func (t *Turn) newArrival(j *job, who Identity) (site.Arrival, error) {
	a := site.Arrival{Name: who.Arrival, State: site.ArrivalWaiting, Former: who.Former, FirstAt: j.pack.Arrived, LastAt: j.pack.Arrived,
		Protocol: j.pack.Sender.Protocol, Address: j.pack.Sender.Address}
	if err := t.Tx.SaveArrival(t.ctx, &a); err != nil {
		return a, err
	}
	text := "Device " + a.Name + ", which nobody knows, waits to be let in"
	if a.Former {
		text = "Device " + a.Name + ", which was removed, sends again and waits to be let in"
	}
	if err := t.Enter("device arrived", a.Name, "", text); err != nil {
		return a, err
	}
	return a, t.signalsChanged()
}

// LetIn makes an arrival a device, from a kit when one is named, and takes in what was kept of it.
func (p *Pipeline) LetIn(ctx context.Context, name string, d site.Device, who Actor) (site.Device, error) {
	err := p.Do(ctx, func(t *Turn) error {
		a, err := t.Tx.Arrival(t.ctx, name)
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("no device %s has arrived: %w", name, err)
		} else if err != nil {
			return err
		}
		d.Name, d.Enrolled = a.Name, !a.Former
		entry, err := t.addDevice(&d, who)
		if err != nil {
			return err
		}
		if a.Former {
			if _, err := t.Tx.TakeFormerKeys(t.ctx, a.Name, entry.ID, t.Now); err != nil {
				return err
			}
		}
		if err := t.takeKept(a, entry); err != nil {
			return err
		}
		d = entry.Device
		return t.ConfigChanged()
	})
	return d, err
}

// takeKept takes in what was kept of an arrival, pack by pack, as it came.
func (t *Turn) takeKept(a site.Arrival, home *deviceLive) error {
	packs, err := t.Tx.ArrivalPacks(t.ctx, a.ID)
	if err != nil {
		return err
	}
	taken, refused := 0, []measure.Refusal{}
	for _, kept := range packs {
		j := &job{pack: &Pack{Arrived: kept.Arrived}}
		if err := json.Unmarshal(kept.Samples, &j.pack.Samples); err != nil {
			return err
		}
		if kept.Frame != nil {
			if err := json.Unmarshal(kept.Frame, &j.pack.Frame); err != nil {
				return err
			}
			if err := t.fitFrame(home, j.pack.Frame); err != nil {
				refused = append(refused, measure.Refusal{Field: "frame", Reason: err.Error()})
				continue
			}
		}
		entries, err := t.entriesOf(j, home)
		if err != nil {
			return err
		}
		if err := t.takeAll(j, entries); err != nil {
			return err
		}
		taken, refused = taken+j.outcome.Accepted, append(refused, j.outcome.Rejected...)
	}
	text := fmt.Sprintf("Of what %s had sent before it was let in, %s taken", a.Name, measure.Count(taken, "reading was", "readings were"))
	if len(refused) > 0 {
		text += fmt.Sprintf(" and %d refused, the first because %s %s", len(refused), refused[0].Field, refused[0].Reason)
	}
	if err := t.Enter("device let in", a.Name, "", text); err != nil {
		return err
	}
	return t.Tx.RemoveArrival(t.ctx, a.ID)
}

// TurnAway forgets what was kept of an arrival and refuses what it sends from now on. It can still be
// let in later.
func (p *Pipeline) TurnAway(ctx context.Context, name string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		a, err := t.Tx.Arrival(t.ctx, name)
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("no device %s has arrived: %w", name, err)
		} else if err != nil {
			return err
		}
		a.State, a.Readings = site.ArrivalTurnedAway, 0
		if err := t.Tx.ForgetArrivalPacks(t.ctx, a.ID); err != nil {
			return err
		}
		if err := t.Tx.SaveArrival(t.ctx, &a); err != nil {
			return err
		}
		if err := t.Enter("device turned away", name, who.Called, "Device "+name+" was turned away"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// noArrival makes room for a device of a name: one that was turned away is forgotten, one that waits is
// to be let in instead, so that what it has sent is not lost.
func (t *Turn) noArrival(name string) error {
	a, err := t.Tx.Arrival(t.ctx, name)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil
	case err != nil:
		return err
	case a.State == site.ArrivalWaiting:
		return &measure.Fault{Field: "name", Reason: fmt.Sprintf("%s waits as an arrival; let it in (jaunty arrival let-in %s), or turn it away first", name, name)}
	}
	return t.Tx.RemoveArrival(t.ctx, a.ID)
}
