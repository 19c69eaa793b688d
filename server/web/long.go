package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/intake/gate"
	"jauntylark/store"
)

// Answers that take long share the connections of their part of the store. What is computed whole and then written (a
// chart's lines) holds one while it is computed; a file is written as it is read, so a reader who is slow holds one for
// as long as it reads. They are bounded apart, so that files never hold up charts.
const (
	looksAtOnce = 4
	filesAtOnce = 4 // with looksAtOnce as many as the store's part has connections

	looksOfPerson = 3
	filesOfPerson = 2

	picturesAtOnce   = 3
	picturesOfPerson = 1

	longWaits = 10 * time.Second // for its turn
	opLasts   = time.Minute      // an operation is ended after that
)

// turns lets so many at once in, and so many of one person.
type turns struct {
	what     string
	ofPerson int64
	*gate.Shares[int64]
}

func newTurns(what string, atOnce, ofPerson int64) *turns {
	return &turns{what, ofPerson, gate.NewShares[int64](atOnce, ofPerson)}
}

// acquire waits for a person's turn, and gives what ends it.
func (t *turns) acquire(ctx context.Context, person int64) (done func(), err error) {
	ctx, cancel := context.WithTimeout(ctx, longWaits)
	defer cancel()
	done, err = t.Take(ctx, person, 1)
	switch {
	case errors.Is(err, gate.ErrOwnShare):
		return nil, later(http.StatusTooManyRequests,
			fmt.Sprintf("You have %d %s under way already. Try again when one of them has ended.", t.ofPerson, t.what))
	case err != nil:
		return nil, later(http.StatusServiceUnavailable,
			fmt.Sprintf("The service has as many %s under way as it can. Try again in a moment.", t.what))
	}
	return done, nil
}

// Live streams stay open, so nobody waits for a turn: one too many is refused. A browser has one stream for all its
// tabs.
const (
	streamsAtMost = 2000
	streamsOfOne  = 30
)

// streams counts the live streams that are open.
type streams struct {
	mu   sync.Mutex
	all  int
	open map[int64]int // by person
}

// enter opens a stream for a person, and gives what ends it.
func (s *streams) enter(person int64) (done func(), err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch {
	case s.open[person] >= streamsOfOne:
		return nil, later(http.StatusTooManyRequests, fmt.Sprintf("You have %d live streams open already.",
			streamsOfOne))
	case s.all >= streamsAtMost:
		return nil, later(http.StatusServiceUnavailable, "As many live streams are open as the service can have.")
	}
	s.all++
	s.open[person]++
	return func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.all--
		if s.open[person]--; s.open[person] == 0 {
			delete(s.open, person)
		}
	}, nil
}

// later is a problem that may be over in some seconds.
func later(status int, detail string) error {
	return huma.ErrorWithHeaders(huma.NewError(status, detail), http.Header{"Retry-After": {"5"}})
}

// pages lets what people ask for use connections of its own.
func pages(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		next.ServeHTTP(w, r.WithContext(store.For(r.Context(), store.Pages)))
	})
}

// headersOf gives the headers that go with a problem.
func headersOf(err error) http.Header {
	var with huma.HeadersError
	if errors.As(err, &with) {
		return with.GetHeaders()
	}
	return nil
}

// operate runs an operation within its time, and in its turn.
func (v *Server) operate(h huma.Context, person site.Person, next func(huma.Context)) {
	ctx, done, err := v.turn(h.Context(), operationOf(h), person)
	if err != nil {
		v.refuse(h, err)
		return
	}
	defer done()
	next(huma.WithContext(h, ctx))
}

// turn waits for a person's turn at an operation: it gives the context in which it runs, within its time and on the
// connections of its part, and what ends it.
func (v *Server) turn(ctx context.Context, op *api.Operation,
	person site.Person) (within context.Context, done func(), err error) {
	switch op.Takes {
	case api.TakesOpen:
		return ctx, func() {}, nil
	case api.TakesStream: // as long as its reader reads
		done, err = v.files.acquire(ctx, person.ID)
		return store.For(ctx, store.Long), done, err
	}
	ctx, end := context.WithTimeout(ctx, opLasts)
	give := func() {}
	switch op.Takes {
	case api.TakesLong:
		give, err = v.looks.acquire(ctx, person.ID)
		ctx = store.For(ctx, store.Long)
	case api.TakesPicture:
		give, err = v.pictures.acquire(ctx, person.ID)
	}
	if err != nil {
		end()
		return ctx, nil, err
	}
	return ctx, func() { give(); end() }, nil
}

// refuse answers an operation that was not begun.
func (v *Server) refuse(h huma.Context, err error) {
	err = v.problem(err)
	var status huma.StatusError
	if !errors.As(err, &status) {
		return
	}
	for name, values := range headersOf(err) {
		h.SetHeader(name, strings.Join(values, ", "))
	}
	h.SetHeader("Content-Type", api.ProblemType)
	h.SetStatus(status.GetStatus())
	_ = json.NewEncoder(h.BodyWriter()).Encode(problemIn(err))
}
