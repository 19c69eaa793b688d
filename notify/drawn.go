package notify

import (
	"context"
	"sync"
	"time"
)

// drawn keeps the newest charts for a moment, so that the mails of one call share one.
type drawn struct {
	mu     sync.Mutex
	charts map[int64]*drawing
}

type drawing struct {
	once    sync.Once
	at      time.Time
	picture []byte
	err     error
}

// drawnFor is how long a chart is good.
const drawnFor = 10 * time.Second

// SharedChart lets the mails that go out within some seconds share the chart of an alarm.
func SharedChart(draw func(ctx context.Context, alarmID int64) ([]byte, error)) func(context.Context, int64) ([]byte, error) {
	d := &drawn{charts: map[int64]*drawing{}}
	return func(ctx context.Context, alarmID int64) ([]byte, error) {
		one := d.of(alarmID, time.Now())
		one.once.Do(func() { one.picture, one.err = draw(ctx, alarmID) })
		return one.picture, one.err
	}
}

func (d *drawn) of(alarmID int64, now time.Time) *drawing {
	d.mu.Lock()
	defer d.mu.Unlock()
	for id, one := range d.charts {
		if now.Sub(one.at) > drawnFor {
			delete(d.charts, id)
		}
	}
	if d.charts[alarmID] == nil {
		d.charts[alarmID] = &drawing{at: now}
	}
	return d.charts[alarmID]
}
