package standin

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Device is a simulated device: what it measures is a function of the instant, so that the same
// device sends the same on every machine.
type Device struct {
	Name     string
	Every    time.Duration
	Signals  []Signal
	Outputs  []Output
	Firmware string
	// of one that sends thermal frames, in JSON, in place of signals; nil: it sends signals
	Frame func(at measure.Instant) []byte
	// Away tells whether the device has no network at an instant: it keeps what it measures and sends
	// it later. nil: never.
	Away func(at measure.Instant) bool

	mu      sync.Mutex
	ordered chan struct{} // closed when the interval was changed
}

// Signal is one signal of a simulated device.
type Signal struct {
	Name   string
	Unit   measure.Unit
	Value  func(at measure.Instant) float64
	Switch bool // it is on or off: Value is 1 or 0
}

// Output is one output of a simulated device.
type Output struct {
	Name string
	// Set makes the output do something, in the words that it is sent; it is called when that changes.
	Set func(word string, at time.Time)
}

// Ear is what a device does with what it hears.
type Ear struct {
	Settings func(site.Order)
	Output   func(name string, o drive.OutputOrder)
}

// Link is how a device reaches the service.
type Link interface {
	// Send sends a SenML pack and returns when the service has acknowledged it. A *Refused says that it
	// never will be taken as it is.
	Send(ctx context.Context, pack []byte) error
	// Orders lets the ear hear each order that the service gives, for the settings and the outputs of the names, until
	// ctx ends.
	Orders(ctx context.Context, outputs []string, ear Ear)
	// Report tells the service what the device runs.
	Report(ctx context.Context, r site.Report) error
	// Confirm tells the service what an output does.
	Confirm(ctx context.Context, output string, r drive.OutputReport) error
	// Close ends the connection.
	Close()
}

// Refused says that the service does not take a pack.
type Refused struct{ Reason string }

// Error gives the reason.
func (r *Refused) Error() string { return "refused: " + r.Reason }

// record is one SenML record.
type record struct {
	Base string       `json:"bn,omitempty"`
	Name string       `json:"n"`
	Unit measure.Unit `json:"u,omitempty"`
	Time float64      `json:"t"`
	V    *float64     `json:"v,omitempty"`
	On   *bool        `json:"vb,omitempty"`
	Text string       `json:"vs,omitempty"`
}

// Pack gives the readings of the instants as a SenML pack.
func (d *Device) Pack(instants []measure.Instant) ([]byte, error) {
	records := make([]record, 0, len(instants)*len(d.Signals)+1)
	for _, at := range instants {
		for _, s := range d.Signals {
			v, r := s.Value(at), record{Name: s.Name, Unit: s.Unit, Time: float64(at) / 1000}
			if on := v != 0; s.Switch {
				r.On = &on
			} else {
				r.V = &v
			}
			records = append(records, r)
		}
	}
	if len(records) > 0 {
		records[0].Base = d.Name + "/"
	}
	return json.Marshal(records)
}

// keptReadings is how many instants a device remembers while nobody answers.
const keptReadings = 20_000

// Run measures on whole multiples of the interval and sends until ctx ends. What was not acknowledged is
// sent again, in order, with its own times. An order changes the interval and is confirmed.
func (d *Device) Run(ctx context.Context, link Link, report func(error)) {
	defer link.Close()
	d.ordered = make(chan struct{})
	go d.listen(ctx, link, report)
	told := d.Firmware == ""
	var waiting []measure.Instant
	for {
		every, changed := d.interval()
		next := time.Now().Truncate(every).Add(every)
		select {
		case <-ctx.Done():
			return
		case <-changed:
			continue
		case <-time.After(time.Until(next)):
		}
		waiting = append(waiting, measure.InstantOf(next))
		if len(waiting) > keptReadings {
			waiting = waiting[len(waiting)-keptReadings:]
		}
		if d.Away != nil && d.Away(measure.InstantOf(next)) {
			continue
		}
		waiting = d.send(ctx, link, waiting, report)
		told = told || len(waiting) == 0 && d.tellFirmware(ctx, link)
	}
}

func (d *Device) interval() (time.Duration, <-chan struct{}) {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.Every, d.ordered
}

func (d *Device) obey(ctx context.Context, link Link, o site.Order, report func(error)) {
	if o.Version == 0 {
		return
	}
	d.mu.Lock()
	if every := time.Duration(o.Interval * float64(time.Second)); every > 0 && every != d.Every {
		d.Every = every
		close(d.ordered)
		d.ordered = make(chan struct{})
	}
	runs := site.Report{Version: o.Version, Interval: d.Every.Seconds()}
	d.mu.Unlock()
	if err := link.Report(ctx, runs); err != nil && ctx.Err() == nil {
		report(fmt.Errorf("what it runs could not be told: %w", err))
	}
}

// tellFirmware sends the firmware's version once, and tells whether it was taken.
func (d *Device) tellFirmware(ctx context.Context, link Link) bool {
	pack, err := json.Marshal([]record{{Base: d.Name + "/", Name: "firmware", Text: d.Firmware,
		Time: float64(time.Now().UnixMilli()) / 1000}})
	return err == nil && link.Send(ctx, pack) == nil
}

// atOnce is how many instants go into a pack.
const atOnce = 500

// send sends the readings of the instants and gives those that are still to be sent. What the service
// refuses is reported and not sent again.
func (d *Device) send(ctx context.Context, link Link, instants []measure.Instant,
	report func(error)) []measure.Instant {
	limited, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	for len(instants) > 0 {
		n := min(len(instants), atOnce)
		var err error
		if d.Frame != nil {
			n, err = 1, d.sendFrame(limited, link, instants[0])
		} else if body, packErr := d.Pack(instants[:n]); packErr == nil {
			err = link.Send(limited, body)
		} else {
			err = packErr
		}
		var refused *Refused
		if err != nil {
			if ctx.Err() == nil {
				report(err)
			}
			if !errors.As(err, &refused) {
				return instants // kept for the next time
			}
		}
		instants = instants[n:]
	}
	return instants[:0]
}

// FrameLink is a link that frames can be sent by.
type FrameLink interface {
	SendFrame(ctx context.Context, body []byte) error
}

func (d *Device) sendFrame(ctx context.Context, link Link, at measure.Instant) error {
	by, can := link.(FrameLink)
	if !can {
		return &Refused{"frames cannot be sent by this way"}
	}
	return by.SendFrame(ctx, d.Frame(at))
}
