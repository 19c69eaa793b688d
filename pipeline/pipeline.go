// Package pipeline turns what happens (packs of readings, delays that end, acts of people) into
// committed transactions.
//
// One goroutine commits. What gathers while one commit runs is the next commit, so a lone reading
// waits for nothing and a storm shares its fsyncs. A commit takes the ledger's row first: over all
// processes commits stand in one line, and each works on the state that the one before it left. What
// follows from a reading (changed guards, alarms, journal, planned notices) is in its transaction.
// Submit and Do return after that transaction is committed, never before.
package pipeline

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync/atomic"
	"time"

	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/store"
)

const (
	gatherReadings = 8192             // at most so many readings share a commit
	queueLength    = 4096             // packs and acts that wait for a commit
	turnTimeout    = 30 * time.Second // a database that takes longer counts as away
)

// ErrAway says that the database is away, so that nothing was taken; the same again may work later.
var ErrAway = errors.New("the database is away")

// ErrNoRoom says that the disk has no room for more readings.
var ErrNoRoom = fmt.Errorf("%w: its disk is full", ErrAway)

// ErrNotNow says that something cannot be done as things stand.
var ErrNotNow = errors.New("that cannot be done now")

// ErrFailed says that a pack could not be stored for a reason that is ours; nothing of it was taken.
var ErrFailed = errors.New("the service could not store this; its log says why")

// Options say what a pipeline works with besides its store.
type Options struct {
	Log      *slog.Logger
	Now      func() measure.Instant                         // the service's clock
	Link     func(alarm int64) string                       // address of an alarm in the console; nil: messages carry no links
	TakeLink func(notice int64, now measure.Instant) string // address of the page with the button "I have it"; nil: messages carry none
	OnNotice func()                                         // called after a commit that planned notices
	OnOrder  func([]drive.Output)                           // called after a commit that ordered outputs something else, with these
}

// Pipeline commits for one process.
type Pipeline struct {
	store *store.Store
	Options
	queue   chan *job
	stopped chan struct{}
	full    atomic.Bool
	live    *live        // the committer's alone; nil when it must be loaded anew
	unsure  atomic.Bool  // whether the service was away lately has to be asked
	upAt    atomic.Int64 // when this process last committed, or noted that it is up
	seen    atomic.Int64 // the same by the machine's clock
}

// job is one pack or one act on its way.
type job struct {
	pack    *Pack
	act     func(*Turn) error
	twin    *job // an earlier pack with the same idempotency key
	outcome Outcome
	err     error
	done    chan struct{}
	state   atomic.Int32 // of an act: who has it
}

// Who has an act: it waits in the queue, the committer has begun it, or its caller has taken it back.
const (
	actWaits = iota
	actBegun
	actWithdrawn
)

// New makes a pipeline; Run makes it work.
func New(s *store.Store, o Options) *Pipeline {
	if o.Now == nil {
		o.Now = func() measure.Instant { return measure.InstantOf(time.Now()) }
	}
	if o.OnNotice == nil {
		o.OnNotice = func() {}
	}
	if o.OnOrder == nil {
		o.OnOrder = func([]drive.Output) {}
	}
	p := &Pipeline{store: s, Options: o, queue: make(chan *job, queueLength), stopped: make(chan struct{})}
	p.unsure.Store(true)
	return p
}

// Refuse has readings refused, or no longer: the disk is full, or no longer. People's acts still go on.
func (p *Pipeline) Refuse(full bool) { p.full.Store(full) }

// Run commits until ctx ends.
func (p *Pipeline) Run(ctx context.Context) {
	defer close(p.stopped)
	go p.beatEvery(ctx)
	go p.sweepEvery(ctx, sweepInterval)
	go p.lateEvery(ctx)
	var next *job
	for {
		first := next
		if next = nil; first == nil {
			select {
			case first = <-p.queue:
			case <-ctx.Done():
				return
			}
		}
		batch := []*job{first}
		if first.pack != nil {
			batch, next = p.gather(batch)
		} else if !first.state.CompareAndSwap(actWaits, actBegun) {
			continue
		}
		p.commit(batch)
		for _, j := range batch {
			close(j.done)
		}
	}
}

// gather adds the packs that wait to batch. An act ends the batch and comes next.
func (p *Pipeline) gather(batch []*job) ([]*job, *job) {
	for n := len(batch[0].pack.Samples); n < gatherReadings; {
		select {
		case j := <-p.queue:
			if j.pack == nil {
				return batch, j
			}
			batch, n = append(batch, j), n+len(j.pack.Samples)
		default:
			return batch, nil
		}
	}
	return batch, nil
}

// commit makes one transaction of the batch. When it fails for another reason than an absent
// database, each pack has a transaction of its own, so that a bad one harms no other.
func (p *Pipeline) commit(batch []*job) {
	if batch[0].pack != nil && p.full.Load() {
		for _, j := range batch {
			j.outcome, j.err = Outcome{}, ErrNoRoom
		}
		return
	}
	err := p.turn(batch)
	switch {
	case err == nil:
		return
	case len(batch) > 1 && !store.Away(err):
		p.Log.Error("a commit of several packs failed; trying them one by one", "error", err)
		for _, j := range batch {
			p.commit([]*job{j})
		}
		return
	case store.Away(err):
		p.unsure.Store(true)
		p.Log.Warn("the database is away", "error", err)
		err = fmt.Errorf("%w: %w", ErrAway, err)
	case batch[0].pack != nil:
		p.Log.Error("a pack could not be stored", "protocol", batch[0].pack.Sender.Protocol, "from", batch[0].pack.Sender.Address, "error", err)
		err = ErrFailed
	}
	for _, j := range batch {
		j.outcome, j.err = Outcome{}, err
	}
}

// turn runs the batch in one transaction.
func (p *Pipeline) turn(batch []*job) (err error) {
	defer func() { // a pack that trips over a mistake of ours must not stop all others
		if r := recover(); r != nil {
			p.live, err = nil, fmt.Errorf("panic in a commit: %v", r)
			p.Log.Error("panic in a commit", "panic", r, "stack", string(debug.Stack()))
		}
	}()
	ctx, cancel := context.WithTimeout(context.Background(), turnTimeout)
	defer cancel()
	for _, j := range batch { // what an attempt that failed has left
		j.outcome, j.err, j.twin = Outcome{}, nil, nil
	}
	tx, err := p.store.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	t := &Turn{Tx: tx, Now: p.Now(), p: p, ctx: ctx}
	defer func() {
		if err != nil && (t.touched || t.live == nil) || t.configChanged {
			p.live = nil
		}
	}()
	if err = t.begin(); err != nil {
		p.live = nil
		return err
	}
	if batch[0].act != nil {
		err = batch[0].act(t)
	} else {
		err = t.takePacks(batch)
	}
	if err == nil {
		err = t.finish()
	}
	if err == nil {
		err = tx.Commit()
	}
	if err != nil {
		return err
	}
	t.live.commitNo = t.CommitNo
	if t.asked {
		p.unsure.Store(false)
	}
	p.isUp(p.Now())
	if len(t.orders) > 0 {
		p.OnOrder(t.orders)
	}
	if t.noticed {
		p.OnNotice()
	}
	return nil
}

// Ticket is a pack that waits for its commit.
type Ticket struct {
	p *Pipeline
	j *job
}

// Start hands a pack to the committer and returns at once, or as soon as there is room. Packs that one
// goroutine starts are taken in that order.
func (p *Pipeline) Start(ctx context.Context, pack *Pack) (Ticket, error) {
	return p.enqueue(ctx, &job{pack: pack})
}

func (p *Pipeline) enqueue(ctx context.Context, j *job) (Ticket, error) {
	j.done = make(chan struct{})
	select {
	case p.queue <- j:
		return Ticket{p, j}, nil
	case <-p.stopped:
		return Ticket{}, ErrAway
	case <-ctx.Done():
		return Ticket{}, ctx.Err()
	}
}

// Ready tells whether Wait returns at once.
func (t Ticket) Ready() bool {
	select {
	case <-t.j.done:
		return true
	default:
		return false
	}
}

// Wait returns when what was taken of the pack is committed; the outcome tells which records were
// refused. When ctx ends first, the pack may still be committed.
func (t Ticket) Wait(ctx context.Context) (Outcome, error) {
	select {
	case <-t.j.done:
		return t.j.outcome, t.j.err
	case <-t.p.stopped:
		select {
		case <-t.j.done:
			return t.j.outcome, t.j.err
		default:
			return Outcome{}, ErrAway
		}
	case <-ctx.Done():
		return Outcome{}, ctx.Err()
	}
}

// Submit is Start and Wait.
func (p *Pipeline) Submit(ctx context.Context, pack *Pack) (Outcome, error) {
	t, err := p.Start(ctx, pack)
	if err != nil {
		return Outcome{}, err
	}
	return t.Wait(ctx)
}

// Do runs act in a commit of its own. When act fails, nothing of it is kept. When ctx ends first, act is taken back from the
// queue and never runs; one that has begun is waited for, so that what it writes down for its caller is whole, and the answer
// says what truly became of it.
func (p *Pipeline) Do(ctx context.Context, act func(*Turn) error) error {
	t, err := p.enqueue(ctx, &job{act: act})
	if err != nil {
		return err
	}
	select {
	case <-t.j.done:
		return t.j.err
	case <-ctx.Done():
	case <-p.stopped:
	}
	if t.j.state.CompareAndSwap(actWaits, actWithdrawn) {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return ErrAway
	}
	<-t.j.done // the committer has it, and closes this whatever comes
	return t.j.err
}
