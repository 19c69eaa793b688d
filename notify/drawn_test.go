package notify

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"
)

// Mails share one chart; one that is given up while it draws takes no other with it.
func TestMailsShareAChartAndNoFailure(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var times atomic.Int32
		chart := SharedChart(func(ctx context.Context, _ int64) ([]byte, error) {
			times.Add(1)
			select {
			case <-ctx.Done():
				return nil, ctx.Err()
			case <-time.After(time.Second):
				return []byte("chart"), nil
			}
		})
		hasty, giveUp := context.WithTimeout(t.Context(), 100*time.Millisecond)
		defer giveUp()
		var all sync.WaitGroup
		all.Go(func() {
			if _, err := chart(hasty, 7); !errors.Is(err, context.DeadlineExceeded) {
				t.Error("the hasty one:", err)
			}
		})
		synctest.Wait()
		for range 5 {
			all.Go(func() {
				if picture, err := chart(t.Context(), 7); err != nil || string(picture) != "chart" {
					t.Error("one of the others:", picture, err)
				}
			})
		}
		all.Wait()
		if n := times.Load(); n != 1 {
			t.Errorf("drawn %d times, where the first was shared", n)
		}
		if _, err := chart(t.Context(), 7); err != nil || times.Load() != 1 {
			t.Error("a moment later it is drawn again")
		}
		failing := errors.New("no readings")
		broken := SharedChart(func(context.Context, int64) ([]byte, error) { times.Add(1); return nil, failing })
		for range 2 {
			if _, err := broken(t.Context(), 7); err != failing {
				t.Error(err)
			}
		}
		if n := times.Load(); n != 3 {
			t.Error("a failure was kept")
		}
	})
}
