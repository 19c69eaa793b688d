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
	"sync"
	"sync/atomic"
	"time"

	"go.opentelemetry.io/otel/attribute"

	"jauntylark/clock"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/meter"
	"jauntylark/store"
)

const (
	gatherReadings = 8192             // at most so many readings share a commit
	gatherActs     = 512              // and so many acts that may
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
	Clock    *clock.Clock                                   // nil: this machine's
	Link     func(alarm int64) string                       // address of an alarm in the console; nil: messages carry no links
	TakeLink func(notice int64, now measure.Instant) string // address of the page with the button "I have it"; nil: messages carry none
	OnNotice func()                                         // called after a commit that planned notices
	Meter    *meter.Meter                                   // counts; nil: nothing is counted
	OnOrder  func([]drive.Output)                           // called after a commit that ordered outputs something else, with these
}

// Pipeline commits for one process.
type Pipeline struct {
	store *store.Store
	Options
	queue   chan *job
	stopped chan struct{}
	full    atomic.Bool
	noRoom  atomic.Bool
	live    *live                        // the committer's alone; nil when it must be loaded anew
	unsure  atomic.Bool                  // whether the service was away lately has to be asked
	upAt    atomic.Pointer[store.Moment] // when this process last committed, or noted that it is up
	seen    atomic.Int64                 // the same in elapsed time, in milliseconds
	before  atomic.Pointer[int64]        // the sum of leaps that were taken before this process began, in milliseconds; nil: it has made no commit
	leapt   *int64                       // the sum of leaps that the newest commit knew; the committer's alone; nil: it has made none
}

// job is one pack or one act on its way.
type job struct {
	pack    *Pack
	arrived measure.Instant // when the pack did, by the clock as it was then
	leapt   time.Duration   // how far the clock had leapt by then
	act     func(*Turn) error
	shares  bool // the act may have its commit with others
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
	if o.Clock == nil {
		o.Clock = clock.New()
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

// Now is what the service's clock shows.
func (p *Pipeline) Now() measure.Instant { return p.Clock.Now() }

// Moment is what the service's clock shows, and the sum of the leaps of all processes that it has taken.
func (p *Pipeline) Moment() store.Moment {
	now, leapt := p.Clock.Show()
	before := p.before.Load()
	if before == nil {
		return store.Moment{At: now}
	}
	sum := *before + leapt.Milliseconds()
	return store.Moment{At: now, Leapt: &sum}
}

// Refuse has readings refused, or no longer: the disk is full, or no longer. People's acts still go on.
func (p *Pipeline) Refuse(full bool) { p.full.Store(full) }

// Waiting is how many packs and acts wait for a commit.
func (p *Pipeline) Waiting() int { return len(p.queue) }

// Full tells whether readings are refused for want of room: by Refuse, or because the database had none when it was last tried.
func (p *Pipeline) Full() bool { return p.full.Load() || p.noRoom.Load() }

// Run commits until ctx ends.
func (p *Pipeline) Run(ctx context.Context) {
	var beside sync.WaitGroup
	defer beside.Wait()
	defer close(p.stopped)
	beside.Go(func() { p.beatEvery(ctx) })
	beside.Go(func() { p.sweepEvery(ctx, sweepInterval) })
	beside.Go(func() { p.lateEvery(ctx) })
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
		switch {
		case first.pack != nil:
			batch, next = p.gather(batch)
		case !first.state.CompareAndSwap(actWaits, actBegun):
			continue
		case first.shares:
			batch, next = p.gatherActs(batch)
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

// gatherActs adds the acts that wait and may share a commit.
func (p *Pipeline) gatherActs(batch []*job) ([]*job, *job) {
	for len(batch) < gatherActs {
		select {
		case j := <-p.queue:
			if !j.shares {
				return batch, j
			}
			if j.state.CompareAndSwap(actWaits, actBegun) {
				batch = append(batch, j)
			}
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
	begun := time.Now()
	err := p.turn(batch)
	p.Meter.Commit(commitOutcome(err), len(batch), time.Since(begun))
	if batch[0].pack != nil {
		p.noRoom.Store(store.NoRoom(err))
	}
	switch {
	case err == nil:
		return
	case len(batch) > 1 && !store.Away(err):
		if batch[0].act != nil { // halves, so that one that cannot be done costs few commits
			p.commit(batch[:len(batch)/2])
			p.commit(batch[len(batch)/2:])
			return
		}
		p.Log.Error("a commit of several packs failed; trying them one by one", "error", err)
		for _, j := range batch {
			p.commit([]*job{j})
		}
		return
	case store.NoRoom(err):
		p.Log.Error("the database's disk is full", "error", err)
		err = fmt.Errorf("%w: %w", ErrNoRoom, err)
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

func commitOutcome(err error) string {
	switch {
	case err == nil:
		return meter.Taken
	case store.Away(err):
		return meter.Away
	}
	return meter.Failed
}

// turn runs the batch in one transaction.
func (p *Pipeline) turn(batch []*job) (err error) {
	defer func() { // a pack that trips over a mistake of ours must not stop all others
		if r := recover(); r != nil {
			p.live, err = nil, fmt.Errorf("panic in a commit: %v", r)
			p.Log.Error("panic in a commit", "panic", r, "stack", string(debug.Stack()))
		}
	}()
	ctx, cancel := context.WithTimeout(store.For(context.Background(), store.Commits), turnTimeout)
	defer cancel()
	ctx, end := meter.Follow(ctx, "commit", attribute.Int("jobs", len(batch)), attribute.Bool("packs", batch[0].pack != nil))
	defer func() { end(err) }()
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
		for _, j := range batch {
			if err = j.act(t); err != nil { // each is tried by itself then
				break
			}
		}
	} else {
		t.tellArrivals(batch)
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
	p.took(t.leap, t.leapt)
	t.live.commitNo = t.CommitNo
	if t.asked {
		p.unsure.Store(false)
	}
	p.isUp(p.Moment())
	if len(t.orders) > 0 {
		p.OnOrder(t.orders)
	}
	if t.noticed {
		p.OnNotice()
	}
	return nil
}
