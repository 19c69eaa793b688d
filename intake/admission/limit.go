package admission

import (
	"context"
	"fmt"
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// Rate bounds what one device may send. After a pause it may send a burst at once, so that a device
// that was away can send what it has kept.
type Rate struct {
	Messages int // a second
	Readings int // a second
}

// DefaultRate is far above what a device sends that measures something.
var DefaultRate = Rate{Messages: 200, Readings: 10_000}

func (r Rate) orDefault() Rate {
	if r.Messages <= 0 {
		r.Messages = DefaultRate.Messages
	}
	if r.Readings <= 0 {
		r.Readings = DefaultRate.Readings
	}
	return r
}

const (
	// Burst is how many seconds' worth of messages and readings may come at once.
	Burst  = 20
	atOnce = 256 // visits of one device that wait for their commit
)

// limit is how much of one device's rate is used up.
type limit struct {
	messages, readings *rate.Limiter
	slots              chan struct{}
	what               string
}

func (d *Control) limitOf(device int64) *limit {
	d.mu.Lock()
	defer d.mu.Unlock()
	l := d.limits[device]
	if l == nil {
		r := d.rate
		l = &limit{messages: rate.NewLimiter(rate.Limit(r.Messages), r.Messages*Burst),
			readings: rate.NewLimiter(rate.Limit(r.Readings), r.Readings*Burst),
			slots:    make(chan struct{}, atOnce), what: fmt.Sprintf("%d messages or %d readings a second", r.Messages,
				r.Readings)}
		d.limits[device] = l
	}
	return l
}

// forgetLimits drops those of devices that are gone.
func (d *Control) forgetLimits() {
	directory, _ := d.Look()
	d.mu.Lock()
	defer d.mu.Unlock()
	for id := range d.limits {
		if directory.ByID[id] == nil {
			delete(d.limits, id)
		}
	}
}

// admit lets a visit with n readings in, waits until it may come when the sender is patient, or says
// when to come again. done must follow.
func (l *limit) admit(ctx context.Context, n int, patient bool, now time.Time) error {
	n = min(n, l.readings.Burst())
	if patient {
		if err := l.messages.Wait(ctx); err != nil {
			return err
		}
		if err := l.readings.WaitN(ctx, n); err != nil {
			return err
		}
		select {
		case l.slots <- struct{}{}:
			return nil
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	message, readings := l.messages.ReserveN(now, 1), l.readings.ReserveN(now, n)
	wait := max(message.DelayFrom(now), readings.DelayFrom(now))
	if wait == 0 {
		select {
		case l.slots <- struct{}{}:
			return nil
		default:
			wait = time.Second
		}
	}
	message.CancelAt(now)
	readings.CancelAt(now)
	return &ErrTooFast{wait, l.what}
}

// Quota is how much of what a device may send at once is left.
type Quota struct {
	Of     string        // messages or readings
	All    int           // what may be sent at once after a pause
	Left   int           // of that now
	Refill time.Duration // until all may be sent at once again, when nothing is sent
}

// Quotas gives what is left of what a device may send.
func (d *Control) Quotas(device int64, now time.Time) []Quota {
	l := d.limitOf(device)
	quota := func(of string, r *rate.Limiter) Quota {
		all, left := r.Burst(), max(0, r.TokensAt(now))
		return Quota{Of: of, All: all, Left: int(left),
			Refill: time.Duration((float64(all) - left) / float64(r.Limit()) * float64(time.Second))}
	}
	return []Quota{quota("messages", l.messages), quota("readings", l.readings)}
}

func (l *limit) done() { <-l.slots }

// failures counts the tries with unknown keys by address.
type failures struct {
	mu        sync.Mutex
	addresses map[string]*tries
}

type tries struct {
	count int
	since time.Time
	until time.Time // shut out until then
}

const (
	triesFree     = 5  // tries that cost nothing
	triesShutOut  = 20 // tries after which an address is shut out
	triesForget   = 5 * time.Minute
	triesAtMost   = 10_000 // addresses that are remembered
	triesSlowStep = 100 * time.Millisecond
)

func newFailures() *failures { return &failures{addresses: map[string]*tries{}} }

// shutOut tells for how long an address is shut out: 0, not at all.
func (f *failures) shutOut(address string, now time.Time) time.Duration {
	f.mu.Lock()
	defer f.mu.Unlock()
	t := f.addresses[address]
	if t == nil || !now.Before(t.until) {
		return 0
	}
	return t.until.Sub(now)
}

// failed counts a try and tells how long its sender must wait for the answer.
func (f *failures) failed(address string, now time.Time) time.Duration {
	f.mu.Lock()
	defer f.mu.Unlock()
	t := f.addresses[address]
	if t == nil || now.Sub(t.since) > triesForget {
		if t == nil && len(f.addresses) >= triesAtMost {
			f.forget(now)
		}
		t = &tries{since: now}
		f.addresses[address] = t
	}
	t.count++
	if t.count >= triesShutOut {
		t.until = now.Add(triesForget)
	}
	return time.Duration(max(0, t.count-triesFree)) * triesSlowStep
}

// forget drops the addresses that have been quiet, or all when none has.
func (f *failures) forget(now time.Time) {
	for address, t := range f.addresses {
		if now.Sub(t.since) > triesForget {
			delete(f.addresses, address)
		}
	}
	if len(f.addresses) >= triesAtMost {
		clear(f.addresses)
	}
}
