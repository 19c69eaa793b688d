package clock

import (
	"sync"
	"time"

	"jauntylark/core/measure"
)

// Hands is a clock that a test moves by hand.
type Hands struct {
	*Clock
	mu      sync.Mutex
	running bool
	wall    measure.Instant // without what runs
	elapsed time.Duration
}

// Held makes hands that stand at an instant until they are moved.
func Held(at measure.Instant) *Hands {
	h := &Hands{wall: at, elapsed: time.Duration(at) * time.Millisecond}
	h.Clock = Of(h.Read)
	return h
}

// Running makes hands that begin with the time of this machine and run with it.
func Running() *Hands {
	h := &Hands{running: true}
	h.Clock = Of(h.Read)
	return h
}

// Read gives what the hands show: a Source for another clock that goes by them.
func (h *Hands) Read() (measure.Instant, time.Duration) {
	h.mu.Lock()
	defer h.mu.Unlock()
	wall, elapsed := h.wall, h.elapsed
	if h.running {
		_, passed := machine()
		began, then := start()
		wall, elapsed = began.Add(passed-then)+wall, passed+elapsed
	}
	return wall, elapsed
}

// start is when the machine's clocks were first read.
var start = sync.OnceValues(machine)

// Pass lets time pass.
func (h *Hands) Pass(long time.Duration) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.wall, h.elapsed = h.wall.Add(long), h.elapsed+long
}

// Leap moves the time of day alone.
func (h *Hands) Leap(by time.Duration) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.wall = h.wall.Add(by)
}
