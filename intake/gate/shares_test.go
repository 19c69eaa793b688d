package gate

import (
	"context"
	"errors"
	"testing"
	"time"
)

func TestSharesAreBoundedByWhoAsksAndInAll(t *testing.T) {
	s := NewShares[string](5, 3)
	take := func(who string, much int64) (func(), error) {
		ctx, cancel := context.WithTimeout(t.Context(), 10*time.Millisecond)
		defer cancel()
		return s.Take(ctx, who, much)
	}
	one, err := take("one", 3)
	if err != nil {
		t.Fatal(err)
	}
	waits := make(chan error)
	go func() {
		give, err := s.Take(t.Context(), "one", 1)
		if err == nil {
			give()
		}
		waits <- err
	}()
	for s.Users() == 1 && s.openOf("one") < 2 {
		time.Sleep(time.Millisecond)
	}
	if _, err := take("one", 1); !errors.Is(err, ErrOwnShare) {
		t.Errorf("more than one's own share: %v", err)
	}
	two, err := take("two", 2)
	if err != nil {
		t.Fatalf("who waits for more than a share keeps another waiting: %v", err)
	}
	if _, err := take("three", 1); !errors.Is(err, ErrAll) {
		t.Errorf("more than there is: %v", err)
	}
	one()
	if err := <-waits; err != nil {
		t.Errorf("who waited gets nothing when it is free: %v", err)
	}
	two()
	if n := s.Users(); n != 0 {
		t.Errorf("%d are remembered when all is given back", n)
	}
	if give, err := take("three", 3); err != nil {
		t.Error("all is free again:", err)
	} else {
		give()
	}
}

func (s *Shares[K]) openOf(who K) int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.open[who].users
}
