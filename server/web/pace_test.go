package web

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"testing"
	"testing/synctest"
	"time"
)

// slowly notes each write with the deadline that was set for it.
type slowly struct {
	*httptest.ResponseRecorder
	deadline time.Time
	steps    []int
	late     int // writes whose deadline is not that of a step
}

func (w *slowly) SetWriteDeadline(t time.Time) error {
	w.deadline = t
	return nil
}

func (w *slowly) Write(p []byte) (int, error) {
	w.steps = append(w.steps, len(p))
	if time.Until(w.deadline) != stepWithin {
		w.late++
	}
	time.Sleep(time.Second)
	return w.ResponseRecorder.Write(p)
}

// An answer is written in steps, each of which has its own deadline.
func TestAnswersArePaced(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		body := bytes.Repeat([]byte("lark"), stepBytes) // four steps
		w := &slowly{ResponseRecorder: httptest.NewRecorder(), deadline: time.Now().Add(-time.Hour)}
		Paced(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			if n, err := w.Write(body); n != len(body) || err != nil {
				t.Error(n, err)
			}
		})).ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/", nil))
		if len(w.steps) != 4 || w.steps[0] != stepBytes || w.late != 0 {
			t.Errorf("steps of %v bytes, %d of them without a deadline of their own", w.steps, w.late)
		}
		if !bytes.Equal(w.Body.Bytes(), body) {
			t.Error("what was written is not what was to be written")
		}
		if time.Until(w.deadline) != stepWithin {
			t.Error("what is still to be flushed has no deadline")
		}
	})
}

// Who stops waits for what runs, and not longer.
func TestRequestsThatRunAreWaitedFor(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		c := &counted{next: http.HandlerFunc(func(http.ResponseWriter,
			*http.Request) {
			time.Sleep(300 * time.Millisecond)
		})}
		waited := func() time.Duration {
			begun := time.Now()
			c.wait(time.Second)
			return time.Since(begun)
		}
		if long := waited(); long != 0 {
			t.Errorf("waited %v though nothing ran", long)
		}
		for range 2 {
			go c.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodGet, "/", nil))
		}
		synctest.Wait()
		if long := waited(); long != 300*time.Millisecond {
			t.Errorf("waited %v for what ran for 300 ms", long)
		}
		c.next = http.HandlerFunc(func(http.ResponseWriter, *http.Request) { time.Sleep(time.Hour) })
		go c.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodGet, "/", nil))
		synctest.Wait()
		if long := waited(); long != time.Second {
			t.Errorf("waited %v for what hangs", long)
		}
		time.Sleep(time.Hour)
	})
}
