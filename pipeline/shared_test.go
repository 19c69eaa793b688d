package pipeline_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/pipeline/reading"
	"jauntylark/store/events"
)

// What a thousand devices do at once (a broker that is gone takes all their connections with it) is a few commits; one
// that cannot be done spoils no other.
func TestActsOfManyDevicesShareCommits(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	waiting, begun := make(chan bool), make(chan bool)
	go func() {
		_ = b.Do(ctx, func(*reading.Turn) error { close(begun); <-waiting; return nil })
	}()
	<-begun
	wrong := errors.New("wrong")
	var commits sync.Map
	var all sync.WaitGroup
	var done, failed atomic.Int32
	for i := range 1000 {
		all.Go(func() {
			err := b.DoWithOthers(ctx, func(t *reading.Turn) error {
				if i == 700 {
					return wrong
				}
				commits.Store(i, t.CommitNo)
				return t.Enter("device dropped", fmt.Sprintf("d%d", i), "", "dropped")
			})
			switch {
			case err == nil:
				done.Add(1)
			case errors.Is(err, wrong):
				failed.Add(1)
			default:
				t.Error(err)
			}
		})
	}
	for end := time.Now().Add(5 * time.Second); b.Waiting() < 1000 && time.Now().Before(end); {
		time.Sleep(time.Millisecond)
	}
	close(waiting)
	all.Wait()
	if done.Load() != 999 || failed.Load() != 1 {
		t.Errorf("%d done, %d failed", done.Load(), failed.Load())
	}
	distinct := map[int64]int{}
	commits.Range(func(_, no any) bool { distinct[no.(int64)]++; return true })
	if len(distinct) > 20 { // the half with the one that failed was halved again and again
		t.Errorf("%d commits", len(distinct))
	}
	entries, err := events.Journal(ctx, b.store, events.JournalQuery{Kind: "device dropped", Limit: 2000})
	if err != nil || len(entries) != 999 {
		t.Errorf("%d entries %v", len(entries), err)
	}
}
