package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/events"
)

// liveOperations has the operations of this file answered.
func liveOperations(v *Server) {
	AnswerFile(v, api.WatchLive.Operation, (*Server).serveLive)
}

// hub tells all open consoles what commits change, whichever process made them. What is told is the
// state as it is now, so telling twice does no harm, and a console that was away asks by the number
// of the last commit that it saw.
type hub struct {
	store *store.Store
	log   *slog.Logger
	wake  chan int64
	away  atomic.Bool // the database does not tell of commits

	mu      sync.Mutex
	clients map[chan wire]struct{}
	commits store.Bell // rings at each commit
	closed  chan struct{}
	once    sync.Once
}

// wire is an event as it goes over the wire, written once for all clients.
type wire struct {
	commit int64 // that it tells of, 0: of none
	text   []byte
}

// event writes an event; the commit's number is its id, so that a client can resume after it.
func event(name string, commit int64, data any) (wire, error) {
	body, err := json.Marshal(data)
	if err != nil {
		return wire{}, err
	}
	text := fmt.Appendf(nil, "event: %s\ndata: %s\n\n", name, body)
	if commit > 0 {
		text = append(fmt.Appendf(nil, "id: %d\n", commit), text...)
	}
	return wire{commit, text}, nil
}

const (
	toldAtMost = 250 * time.Millisecond // between two changes
	heartbeat  = 5 * time.Second
	backlog    = 16 // changes that a slow client may be behind before it is cut off
)

func newHub(s *store.Store, log *slog.Logger) *hub {
	return &hub{store: s, log: log, wake: make(chan int64, 1), clients: map[chan wire]struct{}{},
		closed: make(chan struct{})}
}

// run listens for commits and tells the clients until ctx ends.
func (h *hub) run(ctx context.Context) {
	ctx = store.For(ctx, store.Pages)
	var telling sync.WaitGroup
	defer telling.Wait()
	telling.Go(func() { h.tell(ctx) })
	for ctx.Err() == nil {
		err := store.Listen(ctx, h.store, func(n int64) {
			h.away.Store(false)
			h.commits.Ring()
			select {
			case <-h.wake: // the older number is told with the newer
			default:
			}
			h.wake <- n
		})
		if err != nil && ctx.Err() == nil {
			h.away.Store(true)
			h.log.Debug("the live stream has lost the database, will try again", "error", err)
			pause(ctx, time.Second)
		}
	}
}

func (h *hub) tell(ctx context.Context) {
	last, n := int64(-1), int64(0)
	for {
		select {
		case <-ctx.Done():
			return
		case n = <-h.wake:
			if last < 0 || h.count() == 0 {
				last = n
				continue
			}
		}
		change, err := events.ChangesSince(ctx, h.store, last)
		if err != nil {
			pause(ctx, time.Second)
			select {
			case h.wake <- n: // nothing newer waits
			default:
			}
			continue
		}
		last = change.CommitNo
		if told, err := event("change", change.CommitNo, change); err == nil {
			h.broadcast(told)
		}
		pause(ctx, toldAtMost)
	}
}

func pause(ctx context.Context, long time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(long):
	}
}

func (h *hub) count() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.clients)
}

func (h *hub) broadcast(told wire) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for c := range h.clients {
		select {
		case c <- told:
		default: // too slow: it is cut off, and comes back with the number it has
			delete(h.clients, c)
			close(c)
		}
	}
}

// recheck lets every open stream look again whether its session still lasts.
func (h *hub) recheck() { h.broadcast(wire{}) }

func (h *hub) join() chan wire {
	c := make(chan wire, backlog)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.clients[c] = struct{}{}
	return c
}

func (h *hub) leave(c chan wire) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.clients, c)
}

func (h *hub) close() { h.once.Do(func() { close(h.closed) }) }

// next waits for a change after the commit that a client was told of last, or for the time to look at its session,
// which is a wire of no commit. It is false when the stream ends. A change that was on its way when the client asked
// for all that it missed may be older than what it was told then: that one is passed over, for it would bring back what
// was.
func (h *hub) next(ctx context.Context, changes chan wire, told int64, beat <-chan time.Time) (wire, bool) {
	for {
		select {
		case <-ctx.Done():
			return wire{}, false
		case <-h.closed:
			return wire{}, false
		case next, open := <-changes:
			if next.commit == 0 || next.commit > told {
				return next, open
			}
		case <-beat:
			return wire{}, true
		}
	}
}

// ended is the last thing that a stream tells whose session is over.
var ended = wire{text: []byte("event: ended\ndata: {}\n\n")}

// resumeAfter is the number of the last commit that a client was told of; -1: it begins anew. A browser that opens a
// stream anew cannot say it in the header.
func resumeAfter(r *http.Request) int64 {
	for _, text := range []string{r.Header.Get("Last-Event-ID"), r.URL.Query().Get("since")} {
		if n, err := strconv.ParseInt(text, 10, 64); err == nil && n >= 0 {
			return n
		}
	}
	return -1
}

// serveLive streams changes as server-sent events: "change" with a site.Update and the commit's number as its id,
// "beat" with the time at least every five seconds, "ended" when the session has ended, as the last one.
func (v *Server) serveLive(c *echo.Context) error {
	person := PersonOf(c.Request().Context())
	done, err := v.streams.enter(person.ID)
	if err != nil {
		return err
	}
	defer done()
	since := resumeAfter(c.Request())
	changes := v.hub.join()
	defer v.hub.leave(changes)
	_ = http.NewResponseController(c.Response()).SetReadDeadline(time.Time{}) // it stays open
	missed, err := events.ChangesSince(c.Request().Context(), v.Store, since)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-store")
	h.Set("X-Accel-Buffering", "no")
	c.Response().WriteHeader(http.StatusOK)
	out := http.NewResponseController(c.Response())
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	write := func(next wire) error {
		_, err := c.Response().Write(next.text)
		return errors.Join(err, out.Flush())
	}
	next, err := event("change", missed.CommitNo, missed)
	for told, open := missed.CommitNo, true; err == nil && write(next) == nil; told = max(told, next.commit) {
		if next, open = v.hub.next(c.Request().Context(), changes, told, beat.C); !open {
			return nil
		}
		if next.commit > 0 {
			continue
		}
		if v.sessionEnded(c.Request()) {
			_ = write(ended)
			return nil
		}
		next, err = event("beat", 0, api.Beat{Now: v.Pipeline.Now(), Away: v.hub.away.Load()})
	}
	return nil // the client has gone
}

// sessionEnded tells whether the session of a request that still runs is over. While the database is away nobody knows.
func (v *Server) sessionEnded(r *http.Request) bool {
	_, err := v.whoMay(r.Context(), tokenOf(r), site.Viewer)
	var status huma.StatusError
	return errors.As(err, &status) && status.GetStatus() == http.StatusUnauthorized
}

// answerProblem writes a problem document outside of an operation.
func (v *Server) answerProblem(c *echo.Context, err error) error {
	var status huma.StatusError
	if !errors.As(err, &status) {
		return err
	}
	maps.Copy(c.Response().Header(), headersOf(err))
	return sendProblem(c, problemIn(err))
}

// RecheckStreams has all live streams see whether their sessions still hold.
func (v *Server) RecheckStreams() { v.hub.recheck() }

// Streams is how many live streams are open.
func (v *Server) Streams() int { return v.hub.count() }
