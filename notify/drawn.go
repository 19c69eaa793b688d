package notify

import (
	"context"
	"strconv"
	"sync"
	"time"

	"golang.org/x/sync/singleflight"
)

const (
	drawnFor   = 10 * time.Second // a chart is good for so long
	drawWithin = 20 * time.Second // drawing one takes no longer, or is given up
)

// drawn keeps the newest charts for a moment, so that the mails of one call share one.
type drawn struct {
	drawing singleflight.Group
	mu      sync.Mutex
	charts  map[int64]picture
}

type picture struct {
	at    time.Time
	bytes []byte
}

// SharedChart lets the mails that go out within some seconds share the chart of an alarm. It is drawn for all: a mail
// whose time is over, or whose attempt is given up, waits no longer, and takes no other with it. A drawing that failed
// is not kept.
func SharedChart(draw func(ctx context.Context, alarmID int64) ([]byte, error)) func(context.Context,
	int64) ([]byte, error) {
	d := &drawn{charts: map[int64]picture{}}
	return func(ctx context.Context, alarmID int64) ([]byte, error) {
		if known := d.kept(alarmID, time.Now()); known != nil {
			return known, nil
		}
		answer := d.drawing.DoChan(strconv.FormatInt(alarmID, 10), func() (any, error) {
			ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), drawWithin)
			defer cancel()
			begun := time.Now()
			drawn, err := draw(ctx, alarmID)
			if err == nil {
				d.keep(alarmID, picture{begun, drawn})
			}
			return drawn, err
		})
		select {
		case one := <-answer:
			shared, _ := one.Val.([]byte)
			return shared, one.Err
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// kept gives the chart of an alarm while it is good.
func (d *drawn) kept(alarmID int64, now time.Time) []byte {
	d.mu.Lock()
	defer d.mu.Unlock()
	for id, one := range d.charts {
		if now.Sub(one.at) > drawnFor {
			delete(d.charts, id)
		}
	}
	return d.charts[alarmID].bytes
}

func (d *drawn) keep(alarmID int64, p picture) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.charts[alarmID] = p
}
