package standin

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"jauntylark/client"
	"jauntylark/core/measure"
)

// Device is a simulated device: what it measures is a function of the instant, so that the same
// device sends the same on every machine.
type Device struct {
	Name    string
	Every   time.Duration
	Signals []Signal
}

// Signal is one signal of a simulated device.
type Signal struct {
	Name  string
	Unit  measure.Unit
	Value func(at measure.Instant) float64
}

// record is one SenML record.
type record struct {
	Base string       `json:"bn,omitempty"`
	Name string       `json:"n"`
	Unit measure.Unit `json:"u,omitempty"`
	Time float64      `json:"t"`
	V    float64      `json:"v"`
}

// Pack gives the readings of the instants as a SenML pack.
func (d *Device) Pack(instants []measure.Instant) ([]byte, error) {
	records := make([]record, 0, len(instants)*len(d.Signals))
	for _, at := range instants {
		for _, s := range d.Signals {
			records = append(records, record{Name: s.Name, Unit: s.Unit, Time: float64(at) / 1000, V: s.Value(at)})
		}
	}
	if len(records) > 0 {
		records[0].Base = d.Name + "/"
	}
	return json.Marshal(records)
}

// keptReadings is how many instants a device remembers while nobody answers.
const keptReadings = 5000

// Run measures on whole multiples of the interval and sends over HTTP until ctx ends. What was not
// acknowledged is sent again, in order, with its own times.
func (d *Device) Run(ctx context.Context, to *client.Client, report func(error)) {
	var waiting []measure.Instant
	for {
		next := time.Now().Truncate(d.Every).Add(d.Every)
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Until(next)):
		}
		waiting = append(waiting, measure.InstantOf(next))
		if len(waiting) > keptReadings {
			waiting = waiting[len(waiting)-keptReadings:]
		}
		if err := d.send(ctx, to, waiting, report); err != nil {
			if ctx.Err() == nil {
				report(err)
			}
			var problem *client.Problem
			if !errors.As(err, &problem) || problem.Status >= 500 || problem.Status == 429 {
				continue // kept for the next time
			}
		}
		waiting = waiting[:0]
	}
}

// send sends the readings of the instants, at most a few hundred at a time. What the service refuses is
// reported and not sent again.
func (d *Device) send(ctx context.Context, to *client.Client, instants []measure.Instant, report func(error)) error {
	limited, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	for len(instants) > 0 {
		n := min(len(instants), 500)
		body, err := d.Pack(instants[:n])
		if err != nil {
			return err
		}
		refused, err := to.SendReadings(limited, "application/senml+json", body)
		if err != nil {
			return err
		}
		if len(refused) > 0 {
			report(fmt.Errorf("refused: %+v", refused))
		}
		instants = instants[n:]
	}
	return nil
}
