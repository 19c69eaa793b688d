package reading

import (
	"encoding/json"
	"errors"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/memory"
	"jauntylark/store"
	"jauntylark/store/events"
)

// keepArrival keeps a pack of a device that nobody knows yet, until it is let in or turned away.
func (t *Turn) keepArrival(j *Job, who credential.Identity) error {
	a, err := events.Arrival(t.Ctx, t.Tx, who.Arrival)
	switch {
	case errors.Is(err, store.ErrNotFound):
		n, err := events.CountArrivals(t.Ctx, t.Tx)
		if err != nil {
			return err
		}
		if n >= arrivalsAtMost {
			j.Err = credential.ErrFull
			return nil
		}
		if a, err = t.newArrival(j, who); err != nil {
			return err
		}
	case err != nil:
		return err
	case a.State == site.ArrivalTurnedAway:
		j.Err = credential.ErrTurnedAway
		return nil
	}
	samples, err := json.Marshal(j.In.Samples)
	if err != nil {
		return err
	}
	n := len(j.In.Samples)
	var frame []byte
	if j.In.Frame != nil {
		if frame, err = json.Marshal(j.In.Frame); err != nil {
			return err
		}
	}
	if err := events.AddArrivalPack(t.Ctx, t.Tx, events.ArrivalPack{Arrival: a.ID, Arrived: j.In.Arrived, Readings: n,
		Samples: storable(samples), Frame: frame}); err != nil {
		return err
	}
	a.LastAt, a.Protocol, a.Address = j.In.Arrived, j.In.Sender.Protocol, j.In.Sender.Address
	if a.Readings += n; a.Readings > arrivalKeeps {
		dropped, err := events.DropOldestPacks(t.Ctx, t.Tx, a.ID, arrivalKeeps)
		if err != nil {
			return err
		}
		a.Readings, a.Dropped = a.Readings-dropped, a.Dropped+dropped
	}
	j.Out.Arrival, j.Out.Accepted = true, n
	return events.SaveArrival(t.Ctx, t.Tx, &a)
}

func (t *Turn) newArrival(j *Job, who credential.Identity) (site.Arrival, error) {
	a := site.Arrival{Name: who.Arrival, State: site.ArrivalWaiting, Former: who.Former, FirstAt: j.In.Arrived,
		LastAt:   j.In.Arrived,
		Protocol: j.In.Sender.Protocol, Address: j.In.Sender.Address}
	if err := events.SaveArrival(t.Ctx, t.Tx, &a); err != nil {
		return a, err
	}
	text := "Device " + a.Name + ", which nobody knows, waits to be let in"
	if a.Former {
		text = "Device " + a.Name + ", which was removed, sends again and waits to be let in"
	}
	if err := t.Enter("device arrived", a.Name, "", text); err != nil {
		return a, err
	}
	t.ConfigTaken(store.Change{Scope: store.OfPages})
	return a, nil
}

// TakeKept takes in what was kept of an arrival, pack by pack, as it came.
func (t *Turn) TakeKept(a site.Arrival, home *memory.Device) error {
	packs, err := events.ArrivalPacks(t.Ctx, t.Tx, a.ID)
	if err != nil {
		return err
	}
	taken, refused := 0, []measure.Refusal{}
	for _, kept := range packs {
		j := &Job{In: &Pack{Arrived: kept.Arrived}}
		if err := json.Unmarshal(kept.Samples, &j.In.Samples); err != nil {
			return err
		}
		if kept.Frame != nil {
			if err := json.Unmarshal(kept.Frame, &j.In.Frame); err != nil {
				return err
			}
			if err := t.FitFrame(home, j.In.Frame); err != nil {
				refused = append(refused, measure.Refusal{Field: "frame", Reason: err.Error()})
				continue
			}
		}
		entries, err := t.entriesOf(j, home)
		if err != nil {
			return err
		}
		if err := t.acceptAll(j, entries); err != nil {
			return err
		}
		taken, refused = taken+j.Out.Accepted, append(refused, j.Out.Refused...)
	}
	text := fmt.Sprintf("Of what %s had sent before it was let in, %s taken", a.Name,
		prose.Count(taken, "reading was", "readings were"))
	if len(refused) > 0 {
		text += fmt.Sprintf(" and %d refused, the first because %s %s", len(refused), refused[0].Field,
			refused[0].Reason)
	}
	if err := t.Enter("device let in", a.Name, "", text); err != nil {
		return err
	}
	return events.RemoveArrival(t.Ctx, t.Tx, a.ID)
}
