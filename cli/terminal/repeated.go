package terminal

import (
	"context"
	"log/slog"
	"regexp"
	"sync"
	"time"
)

// RepeatedFor is how long the same warning is counted instead of being written again.
const RepeatedFor = 30 * time.Second

// countedAtMost is how many different lines are counted at once.
const countedAtMost = 1000

// repeated writes the first of warnings and errors that say the same, and counts those that follow: one line with the
// count comes when the time is over.
type repeated struct {
	slog.Handler
	lines *lines
}

type lines struct {
	mu    sync.Mutex
	count map[string]int // by what a line says; how often it came since it was written
}

// WithoutRepeats takes away what is said twice in a flag.
func WithoutRepeats(h slog.Handler) slog.Handler {
	return &repeated{h, &lines{count: map[string]int{}}}
}

var digits = regexp.MustCompile(`[0-9]+`)

// saying is what a line says, but for numbers: ports and times differ.
func saying(r slog.Record) string {
	text := r.Level.String() + r.Message
	r.Attrs(func(a slog.Attr) bool {
		if a.Key != "stack" {
			text += "\n" + a.Key + "=" + a.Value.String()
		}
		return true
	})
	return digits.ReplaceAllString(text, "#")
}

// Handle writes a record, or counts it.
func (h *repeated) Handle(ctx context.Context, r slog.Record) error {
	if r.Level < slog.LevelWarn {
		return h.Handler.Handle(ctx, r)
	}
	key := saying(r)
	h.lines.mu.Lock()
	_, known := h.lines.count[key]
	room := len(h.lines.count) < countedAtMost
	if known {
		h.lines.count[key]++
	} else if room {
		h.lines.count[key] = 0
	}
	h.lines.mu.Unlock()
	switch {
	case known:
		return nil
	case !room:
		return h.Handler.Handle(ctx, r)
	}
	time.AfterFunc(RepeatedFor, func() { h.sumUp(key, r.Clone()) })
	return h.Handler.Handle(ctx, r)
}

// sumUp writes how often a line came since it was written.
func (h *repeated) sumUp(key string, r slog.Record) {
	h.lines.mu.Lock()
	n := h.lines.count[key]
	delete(h.lines.count, key)
	h.lines.mu.Unlock()
	if n == 0 {
		return
	}
	r.Time = time.Now()
	r.AddAttrs(slog.Int("again", n))
	_ = h.Handler.Handle(context.Background(), r)
}

// WithAttrs keeps counting.
func (h *repeated) WithAttrs(attrs []slog.Attr) slog.Handler {
	return &repeated{h.Handler.WithAttrs(attrs), h.lines}
}

// WithGroup keeps counting.
func (h *repeated) WithGroup(name string) slog.Handler {
	return &repeated{h.Handler.WithGroup(name), h.lines}
}
