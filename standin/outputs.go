package standin

import (
	"context"
	"fmt"
	"time"

	"jauntylark/core/drive"
	"jauntylark/core/site"
)

// listen hears orders until ctx ends. Each order for an output is done and confirmed, a renewal too; an output that
// hears nothing for as long as its order holds goes to its safe state by itself.
func (d *Device) listen(ctx context.Context, link Link, report func(error)) {
	heard := make(chan hearing, 100)
	names := make([]string, len(d.Outputs))
	for i, o := range d.Outputs {
		names[i] = o.Name
	}
	go link.Orders(ctx, names, Ear{
		Settings: func(o site.Order) { d.obey(ctx, link, o, report) },
		Output: func(name string, o drive.OutputOrder) {
			select {
			case heard <- hearing{name, o}:
			case <-ctx.Done():
			}
		},
	})
	if len(d.Outputs) > 0 {
		d.drive(ctx, link, heard, report)
	}
}

// hearing is an order for an output as it is heard.
type hearing struct {
	output string
	drive.OutputOrder
}

const lookEvery = 100 * time.Millisecond

// drive does what is heard, and what follows from hearing nothing.
func (d *Device) drive(ctx context.Context, link Link, heard <-chan hearing, report func(error)) {
	followers, does := make([]drive.Follower, len(d.Outputs)), make([]string, len(d.Outputs))
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		said := ""
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		case h := <-heard:
			said = h.output
			for i, o := range d.Outputs {
				if o.Name == h.output {
					followers[i].Hear(h.OutputOrder, time.Now())
				}
			}
		}
		for i, o := range d.Outputs {
			word, no := followers[i].Does(time.Now())
			if word == nil {
				continue
			}
			if string(word) != does[i] {
				does[i] = string(word)
				o.Set(does[i], time.Now())
			} else if o.Name != said {
				continue
			}
			if err := link.Confirm(ctx, o.Name, drive.OutputReport{Value: word, No: no}); err != nil &&
				ctx.Err() == nil {
				report(fmt.Errorf("what %s does could not be told: %w", o.Name, err))
			}
		}
	}
}
