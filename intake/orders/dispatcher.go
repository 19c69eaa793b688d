// Package orders knows at any moment what each output is ordered, for the ways in that tell devices so.
//
// A commit that orders something is told to the dispatcher of its process at once, and through the database to those of all
// others. Each order is told again until the device has confirmed it, and renewed well before it expires. An order is
// renewed only while the database answers and some process is at work on readings: when nobody could decide anything
// any more, orders expire, and devices go to their safe states by themselves.
package orders

import (
	"context"
	"log/slog"
	"maps"
	"sync"
	"sync/atomic"
	"time"

	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/store"
	"jauntylark/store/config"
)

// Dispatcher is where the ways in ask. New makes one; Run makes it work.
type Dispatcher struct {
	store *store.Store
	log   *slog.Logger
	now   func() measure.Instant

	mu       sync.Mutex
	all      map[int64]*told
	configNo int64
	newest   int64     // the commit up to which the dispatcher has read
	looked   time.Time // when the database last answered and somebody was at work
	board    atomic.Pointer[board]
}

// told is one output as it was last told.
type told struct {
	Standing
	at   time.Time
	wait time.Duration // until it is told again
}

// Standing is what an output is ordered. Round counts how often that was to be told: a way in tells it when it last told
// another.
type Standing struct {
	drive.Output
	Round uint64
}

// Standings is what all outputs are ordered, by device and output. It is read alone.
type Standings map[string]map[string]Standing

type board struct {
	Standings
	fresh   bool
	changed chan struct{} // closed when there is a newer one
}

const (
	tick         = 200 * time.Millisecond
	lookEvery    = time.Second
	freshFor     = 3 * time.Second
	workFor      = 10_000 // milliseconds after it was last noted, somebody is at work
	firstRepeat  = 2 * time.Second
	repeatAtMost = time.Minute
	renewShare   = 3 // an order is renewed after a third of the time for which it holds
	retry        = time.Second
)

// New makes a dispatcher.
func New(s *store.Store, now func() measure.Instant, log *slog.Logger) *Dispatcher {
	d := &Dispatcher{store: s, log: log, now: now, all: map[int64]*told{}, newest: -1}
	d.board.Store(&board{Standings: Standings{}, changed: make(chan struct{})})
	return d
}

// Look gives what is ordered now, whether that is known to hold still, and a channel that is closed when there is
// something newer to be told.
func (d *Dispatcher) Look() (b Standings, fresh bool, changed <-chan struct{}) {
	now := d.board.Load()
	return now.Standings, now.fresh, now.changed
}

// Tell takes what a commit of this process has ordered.
func (d *Dispatcher) Tell(outputs []drive.Output) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.apply(outputs, time.Now())
	d.publish()
}

// apply brings outputs up to what they are ordered now.
func (d *Dispatcher) apply(outputs []drive.Output, now time.Time) {
	for _, o := range outputs {
		one := d.all[o.ID]
		if one == nil {
			one = &told{}
			d.all[o.ID] = one
		}
		if o.No < one.No {
			continue // an older commit, read later
		}
		if o.No != one.No || o.Spec != one.Spec {
			one.Round++
			one.at, one.wait = now, min(firstRepeat, o.Expiry()/renewShare)
		}
		one.Output = o
	}
}

// publish shows the ways in what is ordered.
func (d *Dispatcher) publish() {
	fresh := Standings{}
	for _, one := range d.all {
		of := fresh[one.Device]
		if of == nil {
			of = map[string]Standing{}
			fresh[one.Device] = of
		}
		of[one.Name] = one.Standing
	}
	old := d.board.Swap(&board{Standings: fresh, fresh: time.Since(d.looked) < freshFor, changed: make(chan struct{})})
	close(old.changed)
}

// Run keeps up with the database, and repeats and renews orders, until ctx ends.
func (d *Dispatcher) Run(ctx context.Context) {
	wake := make(chan struct{}, 1)
	var all sync.WaitGroup
	defer all.Wait()
	all.Go(func() {
		for ctx.Err() == nil {
			_ = config.ListenOrders(ctx, d.store, func(int64) {
				select {
				case wake <- struct{}{}:
				default:
				}
			})
			pause(ctx, retry)
		}
	})
	ticks := time.NewTicker(tick)
	defer ticks.Stop()
	asked := time.Time{}
	for {
		select {
		case <-ctx.Done():
			return
		case <-wake:
			asked = time.Time{}
		case <-ticks.C:
		}
		if time.Since(asked) >= lookEvery {
			asked = time.Now()
			d.refresh(ctx)
		}
		d.renew()
	}
}

func pause(ctx context.Context, long time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(long):
	}
}

// refresh reads what commits of any process have ordered and what devices have confirmed.
func (d *Dispatcher) refresh(ctx context.Context) {
	ctx, cancel := context.WithTimeout(ctx, freshFor)
	defer cancel()
	d.mu.Lock()
	since := d.newest
	d.mu.Unlock()
	found, err := config.OrdersSince(ctx, d.store, since)
	if err != nil {
		d.log.Debug("the orders for outputs cannot be read, will try again", "error", err)
		return
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if since >= 0 && found.ConfigNo != d.configNo { // outputs may have gone, or are others
		d.newest = -1
	}
	if since < 0 {
		here := map[int64]bool{}
		for _, o := range found.Outputs {
			here[o.ID] = true
		}
		maps.DeleteFunc(d.all, func(id int64, _ *told) bool { return !here[id] })
		d.configNo = found.ConfigNo
	}
	if since == d.newest {
		d.newest = found.Newest
	}
	d.apply(found.Outputs, time.Now())
	if away := d.now() - found.UpAt; away < workFor && away > -workFor {
		d.looked = time.Now()
	}
	if since < 0 || len(found.Outputs) > 0 || d.newest < 0 {
		d.publish()
	}
}

// renew tells again what is due.
func (d *Dispatcher) renew() {
	d.mu.Lock()
	defer d.mu.Unlock()
	now, due := time.Now(), false
	fresh := now.Sub(d.looked) < freshFor
	for _, one := range d.all {
		if !fresh || now.Sub(one.at) < one.wait {
			continue
		}
		due = true
		one.Round++
		renewal, repeat := one.Expiry()/renewShare, min(2*one.wait, repeatAtMost)
		if one.at, one.wait = now, renewal; !one.Mute && !one.Agrees(d.now()) {
			one.wait = min(repeat, renewal)
		}
	}
	if due || fresh != d.board.Load().fresh {
		d.publish()
	}
}
