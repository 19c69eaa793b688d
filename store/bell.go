package store

import "sync"

// Bell tells all who wait that something has happened. The zero Bell is ready.
type Bell struct {
	mu   sync.Mutex
	rung chan struct{}
}

// Next is closed when the bell rings next. Who asks for it before looking misses nothing.
func (b *Bell) Next() <-chan struct{} {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.rung == nil {
		b.rung = make(chan struct{})
	}
	return b.rung
}

// Ring tells all who wait.
func (b *Bell) Ring() {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.rung != nil {
		close(b.rung)
		b.rung = nil
	}
}
