package web

import (
	"context"
	"testing"
)

// What was on its way when a client was told all that it missed is not told after it: a stream never goes back.
func TestAStreamNeverGoesBack(t *testing.T) {
	h := newHub(nil, nil)
	changes := h.join()
	for _, commit := range []int64{4, 6, 0, 7} {
		h.broadcast(wire{commit: commit})
	}
	told := int64(6)
	for _, want := range []int64{0, 7} {
		next, open := h.next(context.Background(), changes, told, nil)
		if next.commit != want || !open {
			t.Fatalf("after commit %d it tells of commit %d, open: %v", told, next.commit, open)
		}
	}
	h.leave(changes)
	slow := h.join()
	for commit := range int64(backlog + 1) {
		h.broadcast(wire{commit: commit + 1})
	}
	for commit := range int64(backlog) {
		if next, open := h.next(context.Background(), slow, commit, nil); next.commit != commit+1 || !open {
			t.Fatalf("commit %d came as %d", commit+1, next.commit)
		}
	}
	if _, open := h.next(context.Background(), slow, backlog, nil); open {
		t.Error("a client that is too slow is not cut off")
	}
	again := h.join()
	h.close()
	if _, open := h.next(context.Background(), again, 0, nil); open {
		t.Error("a stream outlasts its service")
	}
}
