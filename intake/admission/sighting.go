package admission

import (
	"context"
	"errors"
	"fmt"
	"math"
	"sync"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/intake"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/events"
)

// sightings remembers what was last seen of each device until it is written down. Nothing hangs on it:
// what is lost in a crash is seen anew.
type sightings struct {
	mu     sync.Mutex
	seen   map[int64]*sighting
	uses   map[int64]events.KeyUse
	knocks []site.Knock
}

type sighting struct {
	events.Sighting
	fresh    bool // not yet written
	readings int  // since it was last written
	since    time.Time
	average  float64 // readings a second, decaying
	counted  time.Time
	online   int // connections that it holds
	sent     site.Sent
}

const (
	keepEvery     = time.Second
	onlineFor     = 90 * time.Second // a connection counts so long after it was last written down
	onlineRewrite = 30 * time.Second
	averageOver   = 10 * time.Minute
	knocksAtMost  = 100
)

func (c *sightings) init() {
	c.seen, c.uses = map[int64]*sighting{}, map[int64]events.KeyUse{}
}

func (c *sightings) of(device int64, now time.Time) *sighting {
	seen := c.seen[device]
	if seen == nil {
		seen = &sighting{Sighting: events.Sighting{Device: device}, since: now, counted: now}
		c.seen[device] = seen
	}
	seen.fresh = true
	return seen
}

func (c *sightings) knocked(k site.Knock) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.knocks) < knocksAtMost {
		c.knocks = append(c.knocks, k)
	}
}

// note remembers what became of a visit.
func (d *Control) note(p *Pending) {
	if p.who.Device == nil {
		return
	}
	v := p.visit
	c := &d.sightings
	c.mu.Lock()
	defer c.mu.Unlock()
	seen := c.of(p.who.Device.ID, p.arrived.Time())
	seen.At, seen.Protocol, seen.Address = p.arrived, v.Protocol, v.Address
	if p.who.Key.ID != 0 {
		c.uses[p.who.Key.ID] = events.KeyUse{Key: p.who.Key.ID, At: p.arrived, From: v.Address, By: v.Protocol}
	}
	newest, oldest := measure.Instant(0), measure.Instant(0)
	for i := range v.Samples {
		at := v.Samples[i].At
		if newest = max(newest, at); at != 0 && (oldest == 0 || at < oldest) {
			oldest = at
		}
		if at == 0 || p.arrived.Sub(at).Abs() < time.Minute { // a backlog is no rate
			seen.readings++
			if at != 0 && at.Time().Before(seen.since) {
				seen.since = at.Time()
			}
		}
	}
	if newest != 0 {
		sent := site.Sent{Arrived: p.arrived, Measured: newest, Alone: oldest == newest}
		if sent.Live(seen.sent) {
			behind := int64(p.arrived - newest)
			seen.ClockBehind = &behind
		}
		seen.sent = sent
	}
	if text := complaint(p); text != "" {
		seen.RefusedAt, seen.Refused = p.arrived, clip(text, 400)
	}
}

// complaint says in words what was wrong with a visit: nothing when all is well.
func complaint(p *Pending) string {
	var fast *ErrTooFast
	switch {
	case p.err == nil && len(p.result.Refused) > 0:
		r := p.result.Refused[0]
		text := fmt.Sprintf("%s, field %s: %s", r.Signal, r.Field, r.Reason)
		if r.Signal == "" || r.Signal == r.Field {
			text = r.Field + ": " + r.Reason
		}
		if more := len(p.result.Refused) - 1; more > 0 {
			text += fmt.Sprintf(" (and %d more)", more)
		}
		return text
	case p.err == nil, Away(p.err):
		return ""
	case errors.As(p.err, &fast), errors.Is(p.err, intake.ErrMediaType), errors.Is(p.err, intake.ErrTooMany):
		return p.err.Error()
	}
	return "the body cannot be read: " + p.err.Error()
}

// Complain remembers what is wrong with what a device does, where no visit tells.
func (d *Control) Complain(device *site.Device, s credential.Sender, text string) {
	now := d.Pipeline.Now()
	d.sightings.mu.Lock()
	defer d.sightings.mu.Unlock()
	seen := d.sightings.of(device.ID, now.Time())
	seen.At, seen.Protocol, seen.Address = now, s.Protocol, s.Address
	seen.RefusedAt, seen.Refused = now, clip(text, 400)
}

// Online remembers that a device has opened a connection, or closed one.
func (d *Control) Online(device int64, key int64, s credential.Sender, opened bool) {
	if device == 0 {
		return // an arrival
	}
	now := d.Pipeline.Now()
	d.sightings.mu.Lock()
	defer d.sightings.mu.Unlock()
	seen := d.sightings.of(device, now.Time())
	seen.At, seen.Protocol, seen.Address = now, s.Protocol, s.Address
	if !opened {
		seen.online--
		return
	}
	seen.online++
	if key != 0 {
		d.sightings.uses[key] = events.KeyUse{Key: key, At: now, From: s.Address, By: s.Protocol}
	}
}

// keepSightings writes down what was seen, until ctx ends.
func (d *Control) keepSightings(ctx context.Context) {
	ctx = store.For(ctx, store.Background)
	for ctx.Err() == nil {
		pause(ctx, keepEvery)
		sightings, uses, knocks := d.sightings.drain(d.Pipeline.Now())
		if len(sightings)+len(uses)+len(knocks) == 0 {
			continue
		}
		writing, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		if err := events.SaveSightings(writing, d.store, sightings, uses, knocks); err != nil {
			d.log.Debug("what was seen of devices could not be written", "error", err)
		}
		cancel()
	}
}

// drain gives what is to be written at now.
func (c *sightings) drain(now measure.Instant) (fresh []events.Sighting, uses []events.KeyUse, knocks []site.Knock) {
	c.mu.Lock()
	defer c.mu.Unlock()
	at := now.Time()
	for id, seen := range c.seen {
		if !seen.fresh && (seen.online <= 0 || at.Sub(seen.counted) < onlineRewrite) {
			if seen.online <= 0 && at.Sub(seen.counted) > averageOver {
				delete(c.seen, id)
			}
			continue
		}
		seen.count(at)
		seen.OnlineUntil = 0
		if seen.online > 0 {
			seen.OnlineUntil = now.Add(onlineFor)
		}
		fresh = append(fresh, seen.Sighting)
		seen.fresh, seen.ClockBehind, seen.RefusedAt = false, nil, 0
	}
	for _, u := range c.uses {
		uses = append(uses, u)
	}
	clear(c.uses)
	knocks, c.knocks = c.knocks, nil
	return fresh, uses, knocks
}

// count brings the decaying average of readings up to now.
func (s *sighting) count(now time.Time) {
	elapsed := max(now.Sub(s.counted).Seconds(), 0.001)
	over := averageOver.Seconds()
	s.average = s.average*math.Exp(-elapsed/over) + float64(s.readings)/over
	known := 1 - math.Exp(-max(now.Sub(s.since).Seconds(), 60)/over) // less than the whole stretch is known at first
	s.PerMinute = 60 * s.average / known
	s.readings, s.counted = 0, now
}

// Dropped remembers that a device has gone without a word, with what its will said.
func (d *Control) Dropped(device *site.Device, will string) {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	text := fmt.Sprintf("Device %s dropped off the network", device.Name)
	if will != "" {
		text += ": " + clip(will, 80)
	}
	err := d.Pipeline.DoWithOthers(ctx, func(t *reading.Turn) error {
		return t.Enter("device dropped", device.Name, "", text)
	})
	if err != nil {
		d.log.Warn("that a device dropped could not be written", "device", device.Name, "error", err)
	}
}
