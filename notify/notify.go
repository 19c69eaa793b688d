// Package notify carries notices from the outbox to people and to other systems.
package notify

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"go.opentelemetry.io/otel/attribute"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/meter"
	"jauntylark/store"
	"jauntylark/store/events"
)

// Carrier is a way to reach someone.
//
//   - Send makes one attempt and returns when the other side has answered or ctx has ended.
//   - It may be called many times at once, and twice for one notice: after a crash between an
//     attempt and its record, the notice is sent again with the same ID, which the other side can
//     know it by.
//   - It does not retry.
type Carrier interface {
	Send(ctx context.Context, n roster.Notice) Result
}

// Result is what became of one attempt.
type Result struct {
	OK     bool
	Answer string        // the other side's own words
	Final  bool          // not OK, and trying again will not help
	ID     string        // under which the other side knows the message; empty: it did not say
	Again  time.Duration // not OK, and the other side asks not to be tried before so long
}

const (
	hands      = 16               // notices of one carrier under way at once
	claimHold  = 30 * time.Second // after a crash, a notice that was on its way is tried again this much later
	attemptFor = 20 * time.Second // an attempt may take so long
	pollEvery  = time.Second      // for notices that other processes planned, and for retries
	judgeEvery = 5 * time.Second  // between two looks at whether carriers work
	probeEvery = 15 * time.Second // at a carrier that fails, and seldomer the longer it does
	probeLast  = 2 * time.Minute
	recordMost = 256       // attempts that are written down at once
	againMost  = time.Hour // the longest that another side can ask for
)

// waits are how long after each failed attempt the next one comes; the last one repeats until a
// notice is a day old.
var waits = []time.Duration{2 * time.Second, 5 * time.Second, 15 * time.Second, time.Minute, 5 * time.Minute,
	15 * time.Minute}

const giveUpAfter = 24 * time.Hour

// Options say what a worker works with besides its store.
type Options struct {
	Meter    *meter.Meter // counts attempts; nil: nothing is counted
	Carriers map[string]Carrier
	Log      *slog.Logger
	Now      func() measure.Instant
	// the same, with the leaps that it has taken; nil: it takes none
	Moment func() events.Moment
	// called for notices that cannot be delivered, once for each; nil: nobody is
	Failed func(context.Context, []roster.Notice) error
	// called when a carrier keeps failing, or works again; nil: nobody is
	Judge func(context.Context) error
}

// Worker sends what waits in the outbox.
type Worker struct {
	Options
	store *store.Store
	wake  map[string]chan struct{}
	done  chan attempt
}

// attempt is one that was made.
type attempt struct {
	notice roster.Notice
	events.Attempt
}

// NewWorker makes a worker; Run makes it work.
func NewWorker(s *store.Store, o Options) *Worker {
	w := &Worker{Options: o, store: s, wake: map[string]chan struct{}{}, done: make(chan attempt, recordMost)}
	for _, carrier := range roster.Carriers {
		w.wake[carrier] = make(chan struct{}, 1)
	}
	return w
}

// Wake makes the worker look at once.
func (w *Worker) Wake() {
	for _, wake := range w.wake {
		select {
		case wake <- struct{}{}:
		default:
		}
	}
}

// Run sends until ctx ends. Several workers, of several processes, share one outbox. Each carrier has hands of its own,
// so one that is slow or away holds up no other.
func (w *Worker) Run(ctx context.Context) {
	var senders, recorder sync.WaitGroup
	for _, carrier := range roster.Carriers {
		senders.Go(func() { w.serve(ctx, carrier) })
	}
	recorder.Go(w.record)
	senders.Go(func() { w.judge(ctx) })
	senders.Wait()
	close(w.done)
	recorder.Wait()
}

// serve sends the notices of one carrier.
func (w *Worker) serve(ctx context.Context, carrier string) {
	poll := time.NewTicker(pollEvery)
	defer poll.Stop()
	slots := make(chan struct{}, hands)
	var under sync.WaitGroup
	defer under.Wait()
	for {
		free := w.claim(ctx, slots)
		if free == 0 {
			return
		}
		notices, err := events.ClaimNotices(ctx, w.store, carrier, w.Now(), claimHold, free)
		if err != nil && ctx.Err() == nil {
			w.Log.Debug("the outbox cannot be read, will try again", "error", err)
		}
		for range free - len(notices) {
			<-slots
		}
		slices.SortFunc(notices, func(a, b roster.Notice) int {
			return cmp.Or(b.Severity.Compare(a.Severity), cmp.Compare(a.ID, b.ID))
		})
		for _, group := range byReader(notices) {
			under.Go(func() { w.sendInOrder(ctx, group, slots) })
		}
		if len(notices) > 0 {
			continue
		}
		select {
		case <-ctx.Done():
			return
		case <-w.wake[carrier]:
		case <-poll.C:
		}
	}
}

// byReader groups notices by their address, in order; those of another system go by themselves.
func byReader(notices []roster.Notice) (groups [][]roster.Notice) {
	of := map[string]int{}
	for _, n := range notices {
		at, known := of[n.Address]
		if !known || n.Carrier == roster.Webhook {
			of[n.Address] = len(groups)
			groups = append(groups, []roster.Notice{n})
			continue
		}
		groups[at] = append(groups[at], n)
	}
	return groups
}

// stopGrace is how long an attempt may go on when we stop.
const stopGrace = time.Second

// lead is how long after the attempt at a notice the next one to the same reader begins at the latest. All of a claim
// begin well before it runs out.
const lead = 500 * time.Millisecond

// sendInOrder sends notices to one reader one after the other, as long as the other side is quick. Each frees a hand
// when it is done.
func (w *Worker) sendInOrder(ctx context.Context, notices []roster.Notice, slots <-chan struct{}) {
	var under sync.WaitGroup
	defer under.Wait()
	for _, n := range notices {
		done := make(chan struct{})
		under.Go(func() {
			defer func() { <-slots; close(done) }()
			w.attempt(ctx, n)
		})
		select {
		case <-done:
		case <-time.After(lead):
		}
	}
}

// claim takes all hands that are free, one at least; 0: ctx has ended.
func (w *Worker) claim(ctx context.Context, slots chan struct{}) (free int) {
	select {
	case slots <- struct{}{}:
		free = 1
	case <-ctx.Done():
		return 0
	}
	for free < hands {
		select {
		case slots <- struct{}{}:
			free++
		default:
			return free
		}
	}
	return free
}

// attempt sends one notice and hands in how it went.
func (w *Worker) attempt(ctx context.Context, n roster.Notice) {
	// What is being sent when we stop may be finished for a moment: cut off, it would be sent again.
	limited, cancel := context.WithTimeout(context.WithoutCancel(ctx), attemptFor)
	defer cancel()
	defer context.AfterFunc(ctx, func() { time.AfterFunc(stopGrace, cancel) })()
	limited, end := meter.Follow(limited, "notice", attribute.String("carrier", n.Carrier),
		attribute.Int64("notice", n.ID))
	result := Result{Answer: fmt.Sprintf("no carrier %s is switched on; %s", n.Carrier, switchOn(n.Carrier))}
	if carrier := w.Carriers[n.Carrier]; carrier != nil {
		result = carrier.Send(limited, n)
	}
	if result.OK {
		end(nil)
	} else {
		end(errors.New(result.Answer))
	}
	if ctx.Err() != nil && !result.OK {
		return // we are stopping; the claim runs out and the notice is tried again
	}
	moment := events.Moment{At: w.Now()}
	if w.Moment != nil {
		moment = w.Moment()
	}
	now := moment.At
	a := events.Attempt{Leapt: moment.Leapt, Delivery: roster.Delivery{NoticeID: n.ID, At: now, OK: result.OK,
		Answer: clip(result.Answer)}, State: roster.Sent, DueAgain: now,
		GatewayID: result.ID, Carrier: n.Carrier, Final: result.Final}
	if !result.OK {
		wait := max(waits[min(n.Attempts, len(waits))-1], min(result.Again, againMost))
		a.State, a.DueAgain = roster.Waiting, now.Add(wait)
		if result.Final || now.Sub(n.CreatedAt) > giveUpAfter {
			a.State = roster.GivenUp
		}
		w.Log.Warn("a notice was not delivered", "notice", n.ID, "carrier", n.Carrier, "attempt", n.Attempts, "answer",
			a.Answer, "state", a.State)
	}
	w.Meter.Notice(n.Carrier, map[string]string{roster.Sent: meter.Sent, roster.Waiting: meter.Failed,
		roster.GivenUp: meter.GivenUp}[a.State])
	w.done <- attempt{n, a}
}

// switchOn says how a carrier is switched on.
func switchOn(carrier string) string {
	if c, _ := roster.CarrierOf(carrier); c.Needs != "" {
		return "give the service " + c.Needs
	}
	return "describe its gateway in the file that the service's --carriers names"
}

// clip keeps an answer at a length that people read.
func clip(answer string) string {
	if runes := []rune(answer); len(runes) > 500 {
		return string(runes[:500]) + "…"
	}
	return answer
}

// record writes down what was sent, also what was sent while we are stopping.
func (w *Worker) record() {
	for first := range w.done {
		batch := []attempt{first}
		for more := true; more && len(batch) < recordMost; {
			select {
			case a, open := <-w.done:
				if more = open; open {
					batch = append(batch, a)
				}
			default:
				more = false
			}
		}
		w.writeDown(batch)
		w.Wake() // what waited for these
	}
}

func (w *Worker) writeDown(batch []attempt) {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	attempts := make([]events.Attempt, len(batch))
	var failed []roster.Notice
	for i, a := range batch {
		attempts[i] = a.Attempt
		final := a.State == roster.GivenUp && a.notice.Attempts < events.TriesOfStep
		if !a.OK && (final || a.notice.Attempts == events.TriesOfStep) {
			failed = append(failed, a.notice)
		}
	}
	if err := events.RecordAttempts(ctx, w.store, attempts); err != nil {
		w.Log.Error("deliveries could not be recorded; the notices will be sent again", "notices", len(batch), "error",
			err)
		return
	}
	if len(failed) > 0 && w.Failed != nil {
		if err := w.Failed(ctx, failed); err != nil {
			w.Log.Error("the next steps of rosters could not be brought forward", "error", err)
		}
	}
}

// probeAfter gives how long after the last attempt a carrier is tried that has failed for so long.
func probeAfter(failing time.Duration) time.Duration {
	return min(max(probeEvery, failing/10), probeLast)
}

// judge looks now and then whether carriers work.
func (w *Worker) judge(ctx context.Context) {
	tick := time.NewTicker(judgeEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		carriers, err := events.Carriers(ctx, w.store)
		if err != nil {
			continue
		}
		for _, c := range carriers {
			if now := w.Now(); c.FailingSince != nil && now.Sub(*c.FailedAt) >= probeAfter(now.Sub(*c.FailingSince)) {
				if err := events.Probe(ctx, w.store, c.Name, now); err != nil && ctx.Err() == nil {
					w.Log.Warn("a carrier that fails could not be tried, will try again", "carrier", c.Name, "error",
						err)
				}
			}
		}
		if w.Judge == nil {
			continue
		}
		if slices.ContainsFunc(carriers,
			func(c roster.CarrierState) bool { return (c.FailingSince != nil) != (c.AlarmID != nil) }) {
			if err := w.Judge(ctx); err != nil && ctx.Err() == nil {
				w.Log.Warn("carriers could not be judged, will try again", "error", err)
			}
		}
	}
}
