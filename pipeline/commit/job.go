package commit

import (
	"context"
	"sync/atomic"
	"time"
)

// Job is one thing that came, or one act, on its way.
type Job[T, In, Out any] struct {
	In    In            // what came
	Out   Out           // what became of it
	Err   error         // why nothing was taken of it; nil: something was
	Leapt time.Duration // how far the clock had leapt when it came

	act    func(T) error
	meant  *meant // of an act that is meant for one state of the configuration; nil: it is for any
	shares bool   // the act may have its commit with others
	done   chan struct{}
	state  atomic.Int32 // of an act: who has it
}

// Who has an act: it waits in the queue, the committer has begun it, or its caller has taken it back.
const (
	waits = iota
	begun
	withdrawn
)

// begin forgets what an attempt that failed has left.
func (j *Job[T, In, Out]) begin() {
	var none Out
	j.Out, j.Err = none, nil
}

// Ticket is something that waits for its commit.
type Ticket[T, In, Out any] struct {
	e *Engine[T, In, Out]
	j *Job[T, In, Out]
}

// Start hands what came to the committer and returns at once, or as soon as there is room. What one goroutine starts is
// taken in that order.
func (e *Engine[T, In, Out]) Start(ctx context.Context, in In) (Ticket[T, In, Out], error) {
	return e.enqueue(ctx, &Job[T, In, Out]{In: in, Leapt: e.Clock.Leapt()})
}

func (e *Engine[T, In, Out]) enqueue(ctx context.Context, j *Job[T, In, Out]) (Ticket[T, In, Out], error) {
	j.done = make(chan struct{})
	select {
	case e.queue <- j:
		return Ticket[T, In, Out]{e, j}, nil
	case <-e.stopped:
		return Ticket[T, In, Out]{}, ErrAway
	case <-ctx.Done():
		return Ticket[T, In, Out]{}, ctx.Err()
	}
}

// Ready tells whether Wait returns at once.
func (t Ticket[T, In, Out]) Ready() bool {
	select {
	case <-t.j.done:
		return true
	default:
		return false
	}
}

// Wait returns when what was taken is committed. When ctx ends first, it may still be committed.
func (t Ticket[T, In, Out]) Wait(ctx context.Context) (out Out, err error) {
	select {
	case <-t.j.done:
		return t.j.Out, t.j.Err
	case <-t.e.stopped:
		select {
		case <-t.j.done:
			return t.j.Out, t.j.Err
		default:
			return out, ErrAway
		}
	case <-ctx.Done():
		return out, ctx.Err()
	}
}

// Submit is Start and Wait.
func (e *Engine[T, In, Out]) Submit(ctx context.Context, in In) (out Out, err error) {
	t, err := e.Start(ctx, in)
	if err != nil {
		return out, err
	}
	return t.Wait(ctx)
}

// Do runs act in a commit of its own. When act fails, nothing of it is kept. When ctx ends first, act is taken back
// from the queue and never runs; one that has begun is waited for, so that what it writes down for its caller is whole,
// and the answer says what truly became of it.
func (e *Engine[T, In, Out]) Do(ctx context.Context, act func(T) error) error {
	return e.perform(ctx, &Job[T, In, Out]{act: act, meant: meantOf(ctx)})
}

// DoWithOthers is Do for what many devices do at once: such acts share commits. One may run again, when another one of
// its commit fails.
func (e *Engine[T, In, Out]) DoWithOthers(ctx context.Context, act func(T) error) error {
	return e.perform(ctx, &Job[T, In, Out]{act: act, shares: true})
}

func (e *Engine[T, In, Out]) perform(ctx context.Context, j *Job[T, In, Out]) error {
	t, err := e.enqueue(ctx, j)
	if err != nil {
		return err
	}
	select {
	case <-t.j.done:
		return t.j.Err
	case <-ctx.Done():
	case <-e.stopped:
	}
	if t.j.state.CompareAndSwap(waits, withdrawn) {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return ErrAway
	}
	<-t.j.done // the committer has it, and closes this whatever comes
	return t.j.Err
}
