// Package notify carries notices from the outbox to people.
package notify

import (
	"context"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

// Carrier is a way to reach someone.
//
//   - Send makes one attempt and returns when the other side has answered or ctx has ended.
//   - It may be called many times at once, and twice for one notice: after a crash between an
//     attempt and its record, the notice is sent again with the same ID.
//   - It does not retry.
type Carrier interface {
	Send(ctx context.Context, n roster.Notice) Result
}

// Result is what became of one attempt.
type Result struct {
	OK     bool
	Answer string // the other side's own words
	Final  bool   // not OK, and trying again will not help
}

const (
	hands      = 4                // notices under way at once
	claimHold  = 30 * time.Second // after a crash, a notice that was on its way is tried again this much later
	attemptFor = 20 * time.Second // an attempt may take so long
	pollEvery  = time.Second      // for notices that other processes planned, and for retries
)

// waits are how long after each failed attempt the next one comes; the last one repeats until a
// notice is a day old.
var waits = []time.Duration{2 * time.Second, 5 * time.Second, 15 * time.Second, time.Minute, 5 * time.Minute, 15 * time.Minute}

const giveUpAfter = 24 * time.Hour

// Worker sends what waits in the outbox.
type Worker struct {
	store    *store.Store
	carriers map[string]Carrier
	log      *slog.Logger
	now      func() measure.Instant
	wake     chan struct{}
}

// NewWorker makes a worker with a carrier for each name.
func NewWorker(s *store.Store, carriers map[string]Carrier, log *slog.Logger, now func() measure.Instant) *Worker {
	return &Worker{store: s, carriers: carriers, log: log, now: now, wake: make(chan struct{}, hands)}
}

// Wake makes the worker look at once.
func (w *Worker) Wake() {
	for range hands {
		select {
		case w.wake <- struct{}{}:
		default:
			return
		}
	}
}

// Run sends until ctx ends. Several workers, of several processes, share one outbox.
func (w *Worker) Run(ctx context.Context) {
	var all sync.WaitGroup
	for range hands {
		all.Go(func() { w.hand(ctx) })
	}
	all.Wait()
}

// hand sends one notice after the other, so that one slow mail server holds up one hand alone.
func (w *Worker) hand(ctx context.Context) {
	poll := time.NewTicker(pollEvery)
	defer poll.Stop()
	for {
		for w.next(ctx) {
		}
		select {
		case <-ctx.Done():
			return
		case <-w.wake:
		case <-poll.C:
		}
	}
}

// next sends the next notice and tells whether there was one.
func (w *Worker) next(ctx context.Context) bool {
	notices, err := w.store.ClaimNotices(ctx, w.now(), claimHold, 1)
	if err != nil && ctx.Err() == nil {
		w.log.Debug("the outbox cannot be read, will try again", "error", err)
	}
	for _, n := range notices {
		w.attempt(ctx, n)
	}
	return len(notices) > 0
}

// attempt sends one notice and records how it went.
func (w *Worker) attempt(ctx context.Context, n roster.Notice) {
	limited, cancel := context.WithTimeout(ctx, attemptFor)
	defer cancel()
	result := Result{Answer: fmt.Sprintf("no carrier %s is switched on; give the service --smtp", n.Carrier)}
	if carrier := w.carriers[n.Carrier]; carrier != nil {
		result = carrier.Send(limited, n)
	}
	if ctx.Err() != nil && !result.OK {
		return // we are stopping; the claim runs out and the notice is tried again
	}
	now := w.now()
	state, again := roster.Sent, now
	if !result.OK {
		state, again = roster.Waiting, now.Add(waits[min(n.Attempts, len(waits))-1])
		if result.Final || now.Sub(n.CreatedAt) > giveUpAfter {
			state = roster.GivenUp
		}
		w.log.Warn("a notice was not delivered", "notice", n.ID, "to", n.Address, "attempt", n.Attempts, "answer", result.Answer, "state", state)
	}
	// What was sent is recorded even when we are just stopping.
	record, done := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer done()
	if err := w.store.RecordDelivery(record, roster.Delivery{NoticeID: n.ID, At: now, OK: result.OK, Answer: result.Answer}, state, again); err != nil {
		w.log.Error("a delivery could not be recorded; the notice will be sent again", "notice", n.ID, "error", err)
	}
}
