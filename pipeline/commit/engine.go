package commit

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
	"jauntylark/core/measure"
	"jauntylark/meter"
	"jauntylark/store"
	"jauntylark/store/events"
)

const (
	gatherWeight = 8192             // at most so much of what came shares a commit
	gatherActs   = 512              // and so many acts that may
	queueLength  = 4096             // jobs that wait for a commit
	turnTimeout  = 30 * time.Second // a database that takes longer counts as away
)

// ErrAway says that the database is away, so that nothing was taken; the same again may work later.
var ErrAway = errors.New("the database is away")

// ErrNoRoom says that the disk has no room for more readings.
var ErrNoRoom = fmt.Errorf("%w: its disk is full", ErrAway)

// ErrNotNow says that something cannot be done as things stand.
var ErrNotNow = errors.New("that cannot be done now")

// ErrFailed says that what came could not be stored for a reason that is ours; nothing of it was taken.
var ErrFailed = errors.New("the service could not store this; its log says why")

// Work is what is done in commits. A turn, T, is one commit in the making.
type Work[T, In, Out any] interface {
	// Weigh says how much one thing that came adds to a commit.
	Weigh(In) int
	// Begin makes a turn: what is in memory is as the commit before has left it.
	Begin(*Turn) (T, error)
	// Take takes what came, in the order in which it came.
	Take(T, []*Job[T, In, Out]) error
	// Finish writes down what the turn has gathered.
	Finish(T) error
	// Ended is called after each turn, also where it did not get far: with nil where Begin failed.
	Ended(t *T, committed bool)
}

// Options say what an engine works with besides its store.
type Options struct {
	Log   *slog.Logger
	Clock *clock.Clock // nil: this machine's
	Meter *meter.Meter // counts; nil: nothing is counted
}

// Engine commits for one process.
type Engine[T, In, Out any] struct {
	Options
	Store   *store.Store
	work    Work[T, In, Out]
	queue   chan *Job[T, In, Out]
	stopped chan struct{}
	full    atomic.Bool
	noRoom  atomic.Bool
	unsure  atomic.Bool                   // whether the service was away lately has to be asked
	upAt    atomic.Pointer[events.Moment] // when this process last committed, or noted that it is up
	seen    atomic.Int64                  // the same in elapsed time, in milliseconds
	// the sum of leaps that were taken before this process began, in milliseconds; nil: it has made no commit
	before atomic.Pointer[int64]
	// the sum of leaps that the newest commit knew; the committer's alone; nil: it has made none
	leapt *int64
}

// New makes an engine; Run makes it work.
func New[T, In, Out any](s *store.Store, work Work[T, In, Out], o Options) *Engine[T, In, Out] {
	if o.Clock == nil {
		o.Clock = clock.New()
	}
	e := &Engine[T, In, Out]{Options: o, Store: s, work: work, queue: make(chan *Job[T, In, Out], queueLength),
		stopped: make(chan struct{})}
	e.unsure.Store(true)
	return e
}

// Now is what the service's clock shows.
func (e *Engine[T, In, Out]) Now() measure.Instant { return e.Clock.Now() }

// Refuse has what comes refused, or no longer: the disk is full, or no longer. People's acts still go on.
func (e *Engine[T, In, Out]) Refuse(full bool) { e.full.Store(full) }

// Waiting is how many jobs wait for a commit.
func (e *Engine[T, In, Out]) Waiting() int { return len(e.queue) }

// Full tells whether what comes is refused for want of room: by Refuse, or because the database had none when it was
// last tried.
func (e *Engine[T, In, Out]) Full() bool { return e.full.Load() || e.noRoom.Load() }

// Run commits until ctx ends.
func (e *Engine[T, In, Out]) Run(ctx context.Context) {
	var beside sync.WaitGroup
	defer beside.Wait()
	defer close(e.stopped)
	beside.Go(func() { e.beatEvery(ctx) })
	var next *Job[T, In, Out]
	for {
		first := next
		if next = nil; first == nil {
			select {
			case first = <-e.queue:
			case <-ctx.Done():
				return
			}
		}
		batch := []*Job[T, In, Out]{first}
		switch {
		case first.act == nil:
			batch, next = e.gather(batch)
		case !first.state.CompareAndSwap(waits, begun):
			continue
		case first.shares:
			batch, next = e.gatherActs(batch)
		}
		e.commit(batch)
		for _, j := range batch {
			close(j.done)
		}
	}
}

// gather adds to a batch what has come and waits. An act ends the batch and comes next.
func (e *Engine[T, In, Out]) gather(batch []*Job[T, In, Out]) ([]*Job[T, In, Out], *Job[T, In, Out]) {
	for n := e.work.Weigh(batch[0].In); n < gatherWeight; {
		select {
		case j := <-e.queue:
			if j.act != nil {
				return batch, j
			}
			batch, n = append(batch, j), n+e.work.Weigh(j.In)
		default:
			return batch, nil
		}
	}
	return batch, nil
}

// gatherActs adds the acts that wait and may share a commit.
func (e *Engine[T, In, Out]) gatherActs(batch []*Job[T, In, Out]) ([]*Job[T, In, Out], *Job[T, In, Out]) {
	for len(batch) < gatherActs {
		select {
		case j := <-e.queue:
			if !j.shares {
				return batch, j
			}
			if j.state.CompareAndSwap(waits, begun) {
				batch = append(batch, j)
			}
		default:
			return batch, nil
		}
	}
	return batch, nil
}

// commit makes one transaction of the batch. When it fails for another reason than an absent database, each thing has a
// transaction of its own, so that a bad one harms no other.
func (e *Engine[T, In, Out]) commit(batch []*Job[T, In, Out]) {
	came := batch[0].act == nil
	if came && e.full.Load() {
		settle(batch, ErrNoRoom)
		return
	}
	from := time.Now()
	err := e.turn(batch)
	e.Meter.Commit(outcome(err), len(batch), time.Since(from))
	if came {
		e.noRoom.Store(store.NoRoom(err))
	}
	switch {
	case err == nil:
	case len(batch) > 1 && !store.Away(err):
		e.commitEach(batch, err)
	case store.NoRoom(err):
		e.Log.Error("the database's disk is full", "error", err)
		settle(batch, fmt.Errorf("%w: %w", ErrNoRoom, err))
	case store.Away(err):
		e.unsure.Store(true)
		e.Log.Warn("the database is away", "error", err)
		settle(batch, fmt.Errorf("%w: %w", ErrAway, err))
	case came:
		e.Log.Error("what came could not be stored", "what", batch[0].In, "error", err)
		settle(batch, ErrFailed)
	default:
		settle(batch, err)
	}
}

// commitEach tries in smaller commits what failed together: acts by halves, so that one that cannot be done costs few
// commits.
func (e *Engine[T, In, Out]) commitEach(batch []*Job[T, In, Out], err error) {
	if batch[0].act != nil {
		e.commit(batch[:len(batch)/2])
		e.commit(batch[len(batch)/2:])
		return
	}
	e.Log.Error("a commit of several things that came failed; trying them one by one", "error", err)
	for _, j := range batch {
		e.commit([]*Job[T, In, Out]{j})
	}
}

// settle lets all of a batch fail alike.
func settle[T, In, Out any](batch []*Job[T, In, Out], err error) {
	for _, j := range batch {
		j.begin()
		j.Err = err
	}
}

func outcome(err error) string {
	switch {
	case err == nil:
		return meter.Taken
	case store.Away(err):
		return meter.Away
	}
	return meter.Failed
}

// turn runs the batch in one transaction.
func (e *Engine[T, In, Out]) turn(batch []*Job[T, In, Out]) (err error) {
	ctx, cancel := context.WithTimeout(store.For(context.Background(), store.Commits), turnTimeout)
	defer cancel()
	ctx, end := meter.Follow(ctx, "commit", attribute.Int("jobs", len(batch)),
		attribute.Bool("packs", batch[0].act == nil))
	defer func() { end(err) }()
	for _, j := range batch { // what an attempt that failed has left
		j.begin()
	}
	tx, err := e.Store.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	t := &Turn{Tx: tx, Now: e.Now(), Store: e.Store, Ctx: ctx}
	return e.inTurn(t, batch)
}

// inTurn does the work of a batch and commits it.
func (e *Engine[T, In, Out]) inTurn(t *Turn, batch []*Job[T, In, Out]) (err error) {
	var made *T
	defer func() { // what came and trips over a mistake of ours must not stop all others
		if r := recover(); r != nil {
			err = fmt.Errorf("panic in a commit: %v", r)
			e.Log.Error("panic in a commit", "panic", r, "stack", string(debug.Stack()))
			made = nil
		}
		if err != nil {
			e.work.Ended(made, false)
		}
	}()
	if err := e.begin(t); err != nil {
		return err
	}
	work, err := e.work.Begin(t)
	if err != nil {
		return err
	}
	made = &work
	if err := e.do(t, work, batch); err != nil {
		return err
	}
	if err := e.work.Finish(work); err != nil {
		return err
	}
	if err := t.Tx.Commit(); err != nil {
		return err
	}
	e.took(t)
	if t.MayHaveBeenAway {
		e.unsure.Store(false)
	}
	e.isUp(e.Moment())
	e.work.Ended(made, true)
	return nil
}

func (e *Engine[T, In, Out]) do(t *Turn, work T, batch []*Job[T, In, Out]) error {
	if batch[0].act == nil {
		return e.work.Take(work, batch)
	}
	for _, j := range batch {
		if !j.meant.is(t.ConfigNo) {
			return ErrMoved
		}
		if err := j.act(work); err != nil { // each is tried by itself then
			return err
		}
	}
	return nil
}
