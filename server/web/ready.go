package web

import (
	"context"
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"jauntylark/store"
)

// Readiness tells whether the service takes readings, and what is wrong when it does not.
type Readiness struct {
	Ready    bool      `json:"ready"`
	Problems []Problem `json:"problems" nullable:"false" doc:"what is wrong; none when it is ready"`
}

// Problem is one thing that keeps the service from taking readings.
type Problem struct {
	Of   string `json:"of" doc:"database or disk"`
	Says string `json:"says"`
}

const readyWithin = 3 * time.Second

const readyFor = time.Second // an answer is good; strangers who ask share it

// readyNow keeps the newest answer.
type readyNow struct {
	mu     sync.Mutex
	at     time.Time
	answer Readiness
}

// plainly says what keeps the database away.
func plainly(err error) string {
	switch {
	case store.ReadOnly(err):
		return "it is read-only."
	case store.TookTooLong(err):
		return "it does not answer."
	}
	return "it cannot be reached."
}

// Readiness tells what is wrong. It asks by the connections that intake has, for what pages may wait for says nothing
// of that; so many as ask at once, it asks once.
func (v *Server) Readiness() Readiness {
	n := &v.ready
	n.mu.Lock()
	defer n.mu.Unlock()
	if time.Since(n.at) > readyFor {
		n.answer, n.at = v.checkReady(), time.Now()
	}
	return n.answer
}

func (v *Server) checkReady() Readiness {
	ctx, cancel := context.WithTimeout(context.Background(), readyWithin)
	defer cancel()
	r := Readiness{Problems: []Problem{}}
	if err := v.Store.Ready(ctx); err != nil {
		r.Problems = append(r.Problems, Problem{"database", "The database is away: " + plainly(err)})
	}
	if v.Pipeline.Full() {
		r.Problems = append(r.Problems, Problem{"disk", "The disk is full: readings are refused until there is room."})
	}
	r.Ready = len(r.Problems) == 0
	return r
}

// serveReady answers 200 when readings are taken, and else 503 with what is wrong. It asks for no sign-in, so it names
// no address.
func (v *Server) serveReady(c *echo.Context) error {
	r := v.Readiness()
	if r.Ready {
		return c.JSON(http.StatusOK, r)
	}
	c.Response().Header().Set("Retry-After", "2")
	return c.JSON(http.StatusServiceUnavailable, r)
}
