// Package admission is what all ways in have in common: who comes, how much may they send, what became of
// it. A way in gives it a Visit; admission finds out who that is, bounds it, reads its body, hands it to
// the pipeline, and remembers what was last seen of each device.
package admission

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sync/semaphore"

	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/intake"
	"jauntylark/intake/gate"
	"jauntylark/intake/orders"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
)

// Door lets devices in. New makes one; Run makes it learn of changes.
type Control struct {
	Pipeline *pipeline.Pipeline
	Seal     *Seal
	Orders   *orders.Dispatcher
	store    *store.Store
	log      *slog.Logger
	rate     Rate

	directory atomic.Pointer[directory]
	mu        sync.Mutex
	limits    map[int64]*limit
	failures  *failures
	sightings sightings
	bodies    *semaphore.Weighted
	rooms     *gate.Shares[string] // by sender
	reloading sync.Mutex
	configNo  int64        // of what the directory knows
	reloaded  atomic.Int64 // when, in Unix nanoseconds
}

// directory is what is known here of devices and keys.
type directory struct {
	credential.Directory
	changed chan struct{} // closed when there is a newer one
}

// bodiesAtOnce bounds the memory for bodies that are being read.
const bodiesAtOnce = 256 << 20

// New makes the admission of a service. A zero Rate is the default.
func New(s *store.Store, p *pipeline.Pipeline, seal *Seal, rate Rate, log *slog.Logger) *Control {
	d := &Control{Pipeline: p, Seal: seal, Orders: orders.New(s, p.Now, log), store: s, log: log,
		rate:   rate.orDefault(),
		limits: map[int64]*limit{}, failures: newFailures(),
		bodies: semaphore.NewWeighted(bodiesAtOnce), rooms: gate.NewShares[string](roomInAll, OfOne)}
	d.sightings.init()
	d.directory.Store(&directory{Directory: credential.Directory{}, changed: make(chan struct{})})
	return d
}

// Run learns of changes and writes down what was seen, until ctx ends.
func (d *Control) Run(ctx context.Context) {
	var all sync.WaitGroup
	all.Go(func() { d.listen(ctx) })
	all.Go(func() { d.keepSightings(ctx) })
	all.Go(func() { d.Orders.Run(ctx) })
	all.Wait()
}

const (
	reloadAtMost  = 200 * time.Millisecond // between two reloads
	reloadAnyway  = time.Minute            // keys also end by time
	listenRetries = time.Second
)

func (d *Control) listen(ctx context.Context) {
	wake := make(chan struct{}, 1)
	var all sync.WaitGroup
	defer all.Wait()
	all.Go(func() {
		for ctx.Err() == nil {
			err := store.ListenConfig(ctx, d.store, func(int64) {
				select {
				case wake <- struct{}{}:
				default:
				}
			})
			if err != nil && ctx.Err() == nil {
				d.log.Debug("intake has lost the database, will try again", "error", err)
				pause(ctx, listenRetries)
			}
		}
	})
	for {
		select {
		case <-ctx.Done():
			return
		case <-wake:
		case <-time.After(reloadAnyway):
		}
		if err := d.Reload(ctx); err != nil && ctx.Err() == nil {
			d.log.Warn("intake cannot read the devices and keys", "error", err)
			pause(ctx, listenRetries)
			select {
			case wake <- struct{}{}:
			default:
			}
		}
		pause(ctx, reloadAtMost)
	}
}

func pause(ctx context.Context, long time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(long):
	}
}

// Reload takes in what has changed of devices and keys, and tells those who wait for changes.
func (d *Control) Reload(ctx context.Context) error {
	d.reloading.Lock()
	defer d.reloading.Unlock()
	look, err := d.store.Look(ctx)
	if err != nil {
		return err
	}
	defer look.Rollback()
	configNo, err := store.ConfigNo(ctx, look)
	if err != nil {
		return err
	}
	known, anew, err := credential.Follow(ctx, look, &d.directory.Load().Directory, d.configNo, configNo)
	if err != nil {
		return err
	}
	d.configNo = configNo
	if anew {
		old := d.directory.Swap(&directory{Directory: known, changed: make(chan struct{})})
		close(old.changed)
	}
	d.reloaded.Store(time.Now().UnixNano())
	d.forgetLimits()
	return nil
}

// stale tells whether the directory may be older than what another process has changed a moment ago.
func (d *Control) stale() bool { return time.Since(time.Unix(0, d.reloaded.Load())) > reloadAtMost }

// Look gives the devices and keys as they are known now, and a channel that is closed when they have
// changed.
func (d *Control) Look() (*credential.Directory, <-chan struct{}) {
	now := d.directory.Load()
	return &now.Directory, now.changed
}

// tooFastWaits is how long a device that is over its rate waits for being told so.
const tooFastWaits = 100 * time.Millisecond

// Visit is one thing that a sender brings.
type Visit struct {
	credential.Sender
	Known          *credential.Identity // of the sender, where the way in has found out; nil: admission does
	ContentType    string
	Body           []byte
	Frame          *FrameVisit      // the body is a thermal frame; nil: it is readings
	Samples        []measure.Sample // instead of a body
	Refused        []measure.Refusal
	IdempotencyKey string
	Fresh          bool        // the key is kept, but was not used before
	Patient        bool        // over its rate it waits instead of being refused
	Gone           func() bool // whether who brought it has gone meanwhile, and will bring it again; nil: never
}

// ErrShutOut says that an address has tried too many unknown keys.
type ErrShutOut struct{ For time.Duration }

// Error says for how long.
func (e *ErrShutOut) Error() string {
	return fmt.Sprintf("too many unknown keys came from this address; try again in %d s", seconds(e.For))
}

// ErrTooFast says that a device is over its rate.
type ErrTooFast struct {
	For  time.Duration
	What string
}

// Error says for how long and what the rate is.
func (e *ErrTooFast) Error() string {
	return fmt.Sprintf("this device sends more than %s; send the same again in %d s", e.What, seconds(e.For))
}

func seconds(d time.Duration) int { return int((d + time.Second - 1) / time.Second) }

// Who finds out who a sender is. A key that is not known is looked up in the database, since another
// process may have made it a moment ago; the tries of one address are slowed down and then shut out.
func (d *Control) Who(ctx context.Context, s credential.Sender) (credential.Identity, error) {
	now := d.Pipeline.Now()
	directory, _ := d.Look()
	who, err := directory.Identify(s, now)
	if err == nil || !errors.Is(err, credential.ErrKeyUnknown) {
		return who, err
	}
	if wait := d.failures.shutOut(s.Address, time.Now()); wait > 0 {
		return who, &ErrShutOut{wait}
	}
	kind, err := config.KeyKind(store.For(ctx, store.Pages), d.store, s.Key[:])
	switch {
	case err != nil:
		return who, fmt.Errorf("%w: %w", commit.ErrAway, err)
	case kind != "":
		if err := d.Reload(ctx); err != nil {
			return who, fmt.Errorf("%w: %w", commit.ErrAway, err)
		}
		directory, _ = d.Look()
		if who, err = directory.Identify(s, now); !errors.Is(err, credential.ErrKeyUnknown) {
			return who, err
		}
	}
	return who, d.unknown(ctx, s)
}

// Unknown counts a try with a key that nobody has, slows its sender down, and gives the error.
func (d *Control) unknown(ctx context.Context, s credential.Sender) error {
	now := d.Pipeline.Now()
	d.sightings.knocked(site.Knock{At: now, Protocol: s.Protocol, Address: s.Address, Name: clip(s.Name, 63)})
	pause(ctx, d.failures.failed(s.Address, time.Now()))
	return credential.ErrKeyUnknown
}

// clip makes text that somebody else has written fit for the records: PostgreSQL takes neither broken
// UTF-8 nor the character zero.
func clip(text string, length int) string {
	return strings.ReplaceAll(strings.ToValidUTF8(text[:min(len(text), length)], "\ufffd"), "\x00", "\ufffd")
}

// Pending is a visit on its way; Wait gives what became of it.
type Pending struct {
	control *Control
	visit   *Visit
	who     credential.Identity
	ticket  reading.Ticket
	started bool
	limit   *limit
	arrived measure.Instant
	frame   *reading.Frame
	result  reading.Outcome // what it refused goes by the field names of the body's own form
	err     error
}

// Receive takes a visit and waits for its commit.
func (d *Control) Receive(ctx context.Context, v *Visit) (reading.Outcome, error) {
	return d.Start(ctx, v).Wait(ctx)
}

// Start takes a visit up to the point where it waits for its commit. Visits that one goroutine starts
// are taken in that order.
func (d *Control) Start(ctx context.Context, v *Visit) *Pending {
	p := &Pending{control: d, visit: v, arrived: d.Pipeline.Now()}
	if v.Known != nil {
		p.who = *v.Known
	} else if v.Person == "" {
		if p.who, p.err = d.Who(ctx, v.Sender); p.err != nil {
			return p
		}
	}
	if p.err = p.read(ctx); p.err != nil || len(v.Samples) == 0 {
		return p
	}
	if p.who.Device != nil {
		p.limit = d.limitOf(p.who.Device.ID)
		if p.err = p.limit.admit(ctx, len(v.Samples), v.Patient, p.arrived.Time()); p.err != nil {
			p.limit = nil
			pause(ctx, tooFastWaits) // so that one who does not listen costs little
			return p
		}
	}
	if v.Gone != nil && v.Gone() { // the copy that comes again may be before it in the queue
		p.err = fmt.Errorf("its connection has ended: %w", commit.ErrAway)
		return p
	}
	p.ticket, p.err = d.Pipeline.Start(ctx, &reading.Pack{Sender: v.Sender, Arrived: p.arrived, Samples: v.Samples,
		Frame: p.frame, IdempotencyKey: v.IdempotencyKey, Fresh: v.Fresh})
	p.started = p.err == nil
	return p
}

// read reads the body.
func (p *Pending) read(ctx context.Context) error {
	v := p.visit
	p.result.Refused = v.Refused
	if v.Samples != nil || v.Refused != nil {
		return nil
	}
	weight := int64(len(v.Body)) * 8 // samples take more room than their text
	if err := p.control.bodies.Acquire(ctx, min(weight, bodiesAtOnce)); err != nil {
		return err
	}
	defer p.control.bodies.Release(min(weight, bodiesAtOnce))
	if v.Frame != nil {
		return p.readFrame()
	}
	samples, refused, err := intake.Decode(v.ContentType, v.Body, p.arrived)
	v.Samples, p.result.Refused, v.Body = samples, refused, nil
	return err
}

// Ready tells whether Wait returns at once.
func (p *Pending) Ready() bool { return !p.started || p.ticket.Ready() }

// Device is the device behind the visit; nil for an arrival and for one that may not send.
func (p *Pending) Device() *site.Device { return p.who.Device }

// Wait returns when what was taken of the visit is committed.
func (p *Pending) Wait(ctx context.Context) (reading.Outcome, error) {
	if p.started {
		p.started = false
		var out reading.Outcome
		out, p.err = p.ticket.Wait(ctx)
		unread := p.result.Refused
		p.result = out
		p.result.Refused = append(unread, intake.Name(p.visit.ContentType, slices.Clone(out.Refused))...)
	}
	if p.limit != nil {
		p.limit.done()
		p.limit = nil
	}
	p.control.note(p)
	p.control.Pipeline.Meter.Intake(p.visit.Protocol, outcomeOf(p.err), p.result.Accepted, len(p.result.Refused))
	return p.result, p.err
}

// Confirm takes what a device says that it runs, within its rate.
func (d *Control) Confirm(ctx context.Context, s credential.Sender, device string, r site.Report, patient bool) error {
	return d.say(ctx, s, patient, func() error { return configure.Confirm(ctx, d.Pipeline, s, device, r) })
}

// ConfirmOutput takes what a device says that one of its outputs does, within its rate.
func (d *Control) ConfirmOutput(ctx context.Context, s credential.Sender, device, output string, r drive.OutputReport,
	patient bool) error {
	return d.say(ctx, s, patient, func() error {
		return configure.ConfirmOutput(ctx, d.Pipeline, s, device, output, r)
	})
}

// say lets a device say something besides readings, within its rate.
func (d *Control) say(ctx context.Context, s credential.Sender, patient bool, do func() error) error {
	who, err := d.Who(ctx, s)
	switch {
	case err != nil:
		return err
	case who.Device == nil:
		return credential.ErrKeyUnknown
	}
	l := d.limitOf(who.Device.ID)
	if err := l.admit(ctx, 1, patient, time.Now()); err != nil {
		pause(ctx, tooFastWaits)
		return err
	}
	defer l.done()
	return do()
}

// Forget drops what was answered to an idempotency key, so that it can be used anew.
func (d *Control) Forget(ctx context.Context, s credential.Sender, key string) error {
	return store.ForgetOutcome(ctx, d.store, s.ID(), key)
}
