package mqttin

import (
	"context"
	"crypto/subtle"
	"encoding/json"
	"log/slog"
	"strings"
	"sync"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline/credential"
	"jauntylark/store"
	"jauntylark/store/events"
)

// readerName is the user name of who reads the site's alarms, with the reader key; no device can be called so.
const readerName = "-"

// alarmRoot is where the site's alarms stand, retained: each on jaunty/-/alarms/NAME, all of them in one on
// jaunty/-/alarms.
const alarmRoot = root + readerName + "/alarms"

// shownAlarm is what stands on the topic of an alarm.
type shownAlarm struct {
	Alarm        int64            `json:"alarm"`
	State        string           `json:"state"` // raised or over
	Severity     alarm.Severity   `json:"severity"`
	Sentence     string           `json:"sentence"`
	Signal       string           `json:"signal"`
	Guard        string           `json:"guard,omitempty"`
	RaisedAt     measure.Instant  `json:"raised_at"`
	ClearedAt    *measure.Instant `json:"cleared_at,omitempty"`
	Acknowledged string           `json:"acknowledged_by,omitempty"`
	Latched      bool             `json:"latched,omitempty"`
}

// shownAll is what stands on jaunty/-/alarms: enough for a lamp.
type shownAll struct {
	Raised int            `json:"raised"`
	Untook int            `json:"not_acknowledged"`
	Worst  alarm.Severity `json:"worst"` // of those that stand; empty: none does
}

// topicOf gives where an alarm stands: under its guard's name, or under what it is and what it is about.
func topicOf(a alarm.Alarm) string {
	if a.Guard != "" {
		return alarmRoot + "/" + a.Guard
	}
	return strings.TrimSuffix(alarmRoot+"/"+a.Kind+"/"+a.Signal, "/")
}

// messagesOf gives what is to be published of alarms that changed, in order of their numbers, and of all that stand.
func messagesOf(changed, standing []alarm.Alarm) (out []retained) {
	add := func(topic string, v any) {
		if payload, err := json.Marshal(v); err == nil {
			out = append(out, retained{topic: topic, payload: payload})
		}
	}
	all := shownAll{}
	stands := map[string]int64{}
	for _, a := range standing {
		if all.Raised++; a.AcknowledgedAt == nil {
			all.Untook++
		}
		if a.Severity.Above(all.Worst) {
			all.Worst = a.Severity
		}
		stands[topicOf(a)] = a.ID
	}
	for _, a := range changed {
		// the other side of the guard stands
		if other := stands[topicOf(a)]; other != 0 && other != a.ID && a.State == alarm.StateOver {
			continue
		}
		add(topicOf(a), shownAlarm{a.ID, a.State, a.Severity, a.Sentence, a.Signal, a.Guard, a.RaisedAt, a.ClearedAt,
			a.AcknowledgedBy, a.Latched})
	}
	add(alarmRoot, all)
	return out
}

const (
	alarmsAtMost = 100 * time.Millisecond // between two looks at what changed
	alarmsAgain  = time.Second            // after the database was away
)

// showAlarms keeps the alarm topics as they should be until ctx ends. After a break it tells what stands and what has
// changed since; telling twice does no harm.
func showAlarms(ctx context.Context, records *store.Store, publish func(retained) error, log *slog.Logger) {
	wake := make(chan struct{}, 1)
	var listening sync.WaitGroup
	defer listening.Wait()
	listening.Go(func() {
		for ctx.Err() == nil {
			_ = store.Listen(ctx, records, func(int64) {
				select {
				case wake <- struct{}{}:
				default:
				}
			})
			pause(ctx, alarmsAgain)
		}
	})
	last := int64(-1)
	for {
		select {
		case <-ctx.Done():
			return
		case <-wake:
		}
		commit, changed, standing, err := events.AlarmsChanged(ctx, records, last)
		if err != nil {
			pause(ctx, alarmsAgain)
			continue
		}
		if last >= 0 && len(changed) == 0 {
			last = commit
			continue
		}
		failed := false
		for _, m := range messagesOf(changed, standing) {
			if err := publish(m); err != nil {
				log.Debug("an alarm could not be published", "topic", m.topic, "error", err)
				failed = true
			}
		}
		if !failed {
			last = commit
		}
		pause(ctx, alarmsAtMost)
	}
}

func pause(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// isReader tells whether a sender has the reader key.
func isReader(d *credential.Directory, s credential.Sender) bool {
	return s.Name == readerName && len(d.Enrolment.Reader) > 0 && subtle.ConstantTimeCompare(d.Enrolment.Reader,
		s.Key[:]) == 1
}
