package web

import (
	"net/http"
	"sync"
	"time"
)

// stopGrace is how long what runs may take to finish when the service stops.
const stopGrace = time.Second

// counted knows when all requests have ended: a server that is closed does not wait for them.
type counted struct {
	next http.Handler
	mu   sync.Mutex
	open int
	idle chan struct{} // closed when none is open, once somebody waits
}

// ServeHTTP counts a request.
func (c *counted) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	c.mu.Lock()
	c.open++
	c.mu.Unlock()
	defer func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		if c.open--; c.open == 0 && c.idle != nil {
			close(c.idle)
			c.idle = nil
		}
	}()
	c.next.ServeHTTP(w, r)
}

// wait waits until no request is open, for so long at most.
func (c *counted) wait(long time.Duration) {
	c.mu.Lock()
	idle := make(chan struct{})
	if c.open == 0 {
		close(idle)
	} else {
		c.idle = idle
	}
	c.mu.Unlock()
	select {
	case <-idle:
	case <-time.After(long):
	}
}
