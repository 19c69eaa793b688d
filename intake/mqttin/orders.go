package mqttin

import (
	"context"
	"encoding/json"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/intake/orders"
	"jauntylark/pipeline/credential"
)

// retained is a message that is to stand on a topic; an empty payload takes it away.
type retained struct {
	topic   string
	payload []byte
	expires time.Duration // how long it may stand; 0: for ever
}

// ordersToPublish gives the retained orders that are not yet as they should be, by what is known to
// stand there, and brings known up to them.
func ordersToPublish(directory *credential.Directory, known map[string]int) []retained {
	var out []retained
	for name, d := range directory.ByName {
		if d.Version == 0 || known[name] == d.Version {
			continue
		}
		payload, err := json.Marshal(site.OrderOf(d.Version, d.Settings))
		if err != nil {
			continue
		}
		known[name] = d.Version
		out = append(out, retained{topic: root + name + "/" + settings, payload: payload})
	}
	for name := range known {
		if directory.ByName[name] == nil {
			delete(known, name)
			out = append(out, retained{topic: root + name + "/" + settings})
		}
	}
	return out
}

// outputsToPublish gives the orders for outputs that are to be told, by when what stands on their topics was, and
// brings known up to them. An order stands half as long as it holds: it is renewed sooner, and a device that comes back
// long after the last renewal finds none.
func outputsToPublish(board orders.Standings, known map[string]uint64, now measure.Instant) []retained {
	var out []retained
	there := map[string]bool{}
	for device, of := range board {
		for name, o := range of {
			topic := root + device + "/" + outputs + "/" + name
			if there[topic] = true; known[topic] == o.Round {
				continue
			}
			payload, err := json.Marshal(o.OrderAt(now))
			if err != nil {
				continue
			}
			known[topic] = o.Round
			out = append(out, retained{topic, payload, o.Expiry() / 2})
		}
	}
	for topic := range known {
		if !there[topic] {
			delete(known, topic)
			out = append(out, retained{topic: topic})
		}
	}
	return out
}

// tellOrders publishes orders for outputs as they are to be told, until ctx ends or publish fails.
func tellOrders(ctx context.Context, dispatcher *orders.Dispatcher, now func() measure.Instant,
	publish func(retained) error) error {
	known := map[string]uint64{}
	for {
		board, _, changed := dispatcher.Look()
		for _, m := range outputsToPublish(board, known, now()) {
			if err := publish(m); err != nil {
				return err
			}
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return nil
		}
	}
}
