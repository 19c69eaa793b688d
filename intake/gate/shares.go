package gate

import (
	"context"
	"errors"
	"sync"

	"golang.org/x/sync/semaphore"
)

// Errors of Shares.Take, by what was not to be had in time.
var (
	ErrOwnShare = errors.New("one's own share is in use")
	ErrAll      = errors.New("all is in use")
)

// Shares shares out something of which there is so much in all, and so much for each who asks. Who waits for more than
// their share keeps nobody else waiting.
type Shares[K comparable] struct {
	all  *semaphore.Weighted
	each int64
	mu   sync.Mutex
	open map[K]*share
}

type share struct {
	*semaphore.Weighted
	users int // that have some or wait for it
}

// NewShares makes shares: so much in all, and so much for each.
func NewShares[K comparable](all, each int64) *Shares[K] {
	return &Shares[K]{all: semaphore.NewWeighted(all), each: each, open: map[K]*share{}}
}

// Take waits until so much can be had, and gives what gives it back, to be called once. When ctx ends before, it is
// ErrOwnShare or ErrAll.
func (s *Shares[K]) Take(ctx context.Context, who K, much int64) (giveBack func(), err error) {
	own := s.join(who)
	if own.Acquire(ctx, much) != nil {
		s.leave(who, own)
		return nil, ErrOwnShare
	}
	if s.all.Acquire(ctx, much) != nil {
		own.Release(much)
		s.leave(who, own)
		return nil, ErrAll
	}
	return func() {
		s.all.Release(much)
		own.Release(much)
		s.leave(who, own)
	}, nil
}

// Users is how many are remembered, since they have some or wait for it.
func (s *Shares[K]) Users() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.open)
}

func (s *Shares[K]) join(who K) *share {
	s.mu.Lock()
	defer s.mu.Unlock()
	own := s.open[who]
	if own == nil {
		own = &share{Weighted: semaphore.NewWeighted(s.each)}
		s.open[who] = own
	}
	own.users++
	return own
}

func (s *Shares[K]) leave(who K, own *share) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if own.users--; own.users == 0 {
		delete(s.open, who)
	}
}
