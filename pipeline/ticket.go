package pipeline

import "context"

// Ticket is a pack that waits for its commit.
type Ticket struct {
	p *Pipeline
	j *job
}

// Start hands a pack to the committer and returns at once, or as soon as there is room. Packs that one
// goroutine starts are taken in that order.
func (p *Pipeline) Start(ctx context.Context, pack *Pack) (Ticket, error) {
	return p.enqueue(ctx, &job{pack: pack, arrived: pack.Arrived, leapt: p.Clock.Leapt()})
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
	return p.do(ctx, &job{act: act})
}

// DoWithOthers is Do for what many devices do at once: such acts share commits. One may run again, when another one of its commit
// fails.
func (p *Pipeline) DoWithOthers(ctx context.Context, act func(*Turn) error) error {
	return p.do(ctx, &job{act: act, shares: true})
}

func (p *Pipeline) do(ctx context.Context, j *job) error {
	t, err := p.enqueue(ctx, j)
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
