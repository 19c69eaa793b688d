package notify

import (
	"context"
	"errors"
	"sync"
	"time"
)

// drawn keeps the newest charts for a moment, so that the mails of one call share one.
type drawn struct {
	mu     sync.Mutex
	charts map[int64]*drawing
}

type drawing struct {
	at      time.Time
	done    chan struct{} // closed when it is drawn, or could not be
	picture []byte
	err     error
}

// drawnFor is how long a chart is good.
const drawnFor = 10 * time.Second

// SharedChart lets the mails that go out within some seconds share the chart of an alarm. A mail whose time is over, or whose
// attempt is given up, while it draws for all takes no other with it: the next one draws.
func SharedChart(draw func(ctx context.Context, alarmID int64) ([]byte, error)) func(context.Context, int64) ([]byte, error) {
	d := &drawn{charts: map[int64]*drawing{}}
	return func(ctx context.Context, alarmID int64) ([]byte, error) {
		for {
			one, mine := d.of(alarmID, time.Now())
			if mine {
				picture, err := draw(ctx, alarmID)
				d.settle(alarmID, one, picture, err)
				return picture, err
			}
			select {
			case <-one.done:
			case <-ctx.Done():
				return nil, ctx.Err()
			}
			if !errors.Is(one.err, context.Canceled) && !errors.Is(one.err, context.DeadlineExceeded) {
				return one.picture, one.err
			}
		}
	}
}

// of gives the drawing of an alarm, and whether the caller is the one who draws it.
func (d *drawn) of(alarmID int64, now time.Time) (one *drawing, mine bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	for id, one := range d.charts {
		if now.Sub(one.at) > drawnFor {
			delete(d.charts, id)
		}
	}
	if one = d.charts[alarmID]; one != nil {
		return one, false
	}
	one = &drawing{at: now, done: make(chan struct{})}
	d.charts[alarmID] = one
	return one, true
}

// settle notes what came of a drawing. One that failed is not kept.
func (d *drawn) settle(alarmID int64, one *drawing, picture []byte, err error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if one.picture, one.err = picture, err; err != nil && d.charts[alarmID] == one {
		delete(d.charts, alarmID)
	}
	close(one.done)
}
