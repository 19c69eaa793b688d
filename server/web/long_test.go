package web

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"
)

// shortly is a context that ends before a turn that is taken becomes free.
func shortly(t *testing.T) context.Context {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Millisecond)
	t.Cleanup(cancel)
	return ctx
}

func statusOf(err error) int {
	var status huma.StatusError
	if errors.As(err, &status) {
		return status.GetStatus()
	}
	return 0
}

func TestTurnsAreBoundedByPersonAndInAll(t *testing.T) {
	queue := newTurns("files", 3, 2)
	var ends []func()
	take := func(person int64) int {
		done, err := queue.acquire(shortly(t), person)
		if err == nil {
			ends = append(ends, done)
			return http.StatusOK
		}
		if headersOf(err).Get("Retry-After") == "" {
			t.Errorf("%v does not say when to come again", err)
		}
		return statusOf(err)
	}
	for i, c := range []struct {
		person int64
		want   int
	}{{1, 200}, {1, 200}, {1, 429}, {2, 200}, {2, 503}, {3, 503}, {1, 429}} {
		if got := take(c.person); got != c.want {
			t.Errorf("turn %d, of person %d: %d, not %d", i+1, c.person, got, c.want)
		}
	}
	for _, end := range ends {
		end()
	}
	if n := queue.Users(); n != 0 {
		t.Errorf("%d people are remembered", n)
	}
	if got := take(3); got != http.StatusOK {
		t.Errorf("all is free again, and person 3 is told %d", got)
	}
}

func TestATurnIsWaitedFor(t *testing.T) {
	queue := newTurns("charts", 2, 2)
	var now, most atomic.Int64
	var all sync.WaitGroup
	for person := range int64(20) {
		all.Go(func() {
			done, err := queue.acquire(context.Background(), person)
			if err != nil {
				t.Error(err)
				return
			}
			defer done()
			for n := now.Add(1); ; {
				if m := most.Load(); n <= m || most.CompareAndSwap(m, n) {
					break
				}
			}
			time.Sleep(2 * time.Millisecond)
			now.Add(-1)
		})
	}
	all.Wait()
	if most.Load() != 2 {
		t.Errorf("%d had a turn at once", most.Load())
	}
}

func TestStreamsAreBoundedByPersonAndInAll(t *testing.T) {
	s := &streams{open: map[int64]int{}}
	var ends []func()
	for range streamsOfOne {
		done, err := s.enter(1)
		if err != nil {
			t.Fatal(err)
		}
		ends = append(ends, done)
	}
	if _, err := s.enter(1); statusOf(err) != http.StatusTooManyRequests {
		t.Errorf("one too many: %v", err)
	}
	for person := int64(2); s.all < streamsAtMost; person++ {
		if _, err := s.enter(person); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.enter(1_000_000); statusOf(err) != http.StatusServiceUnavailable {
		t.Errorf("more than there are in all: %v", err)
	}
	ends[0]()
	if _, err := s.enter(1); err != nil {
		t.Errorf("one has ended: %v", err)
	}
}

// deadlines writes down when each step must be done.
type deadlines struct {
	*httptest.ResponseRecorder
	steps []int
	until []time.Time
}

func (d *deadlines) Write(p []byte) (int, error) {
	d.steps = append(d.steps, len(p))
	return d.ResponseRecorder.Write(p)
}

func (d *deadlines) SetWriteDeadline(at time.Time) error {
	d.until = append(d.until, at)
	return nil
}

func TestAnAnswerIsWrittenInShortSteps(t *testing.T) {
	d := &deadlines{ResponseRecorder: httptest.NewRecorder()}
	Paced(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		if n, err := w.Write(make([]byte, 3*stepBytes+1)); n != 3*stepBytes+1 || err != nil {
			t.Errorf("%d bytes, %v", n, err)
		}
	})).ServeHTTP(d, httptest.NewRequest(http.MethodGet, "/", nil))
	if len(d.steps) != 4 || d.steps[0] != stepBytes || d.steps[3] != 1 || d.Body.Len() != 3*stepBytes+1 {
		t.Errorf("steps of %v, %d bytes", d.steps, d.Body.Len())
	}
	if len(d.until) != 6 || !d.until[0].IsZero() {
		t.Fatalf("%d deadlines: one taken away, one for each step, one for the end", len(d.until))
	}
	for _, at := range d.until[1:] {
		if left := time.Until(at); left > stepWithin || left < stepWithin-5*time.Second {
			t.Errorf("a step must be done in %v", left)
		}
	}
}
