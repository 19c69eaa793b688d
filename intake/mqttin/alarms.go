package mqttin

import (
	"cmp"
	"context"
	"encoding/json"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/pipeline/credential"
	"jauntylark/store"
	"jauntylark/store/events"
)

// readerName is the user name of readers, each with its key; no device can be called so.
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
	about := cmp.Or(a.Signal, inTopic.Replace(a.About))
	return strings.TrimSuffix(alarmRoot+"/"+a.Kind+"/"+about, "/")
}

// inTopic puts what may not stand in a level of a topic (MQTT 5, section 4.7) into what may.
var inTopic = strings.NewReplacer(" ", "-", "/", "-", "+", "-", "#", "-")

// messagesOf gives what is to be published of alarms that changed, in order of their numbers, and of all that stand. What
// stands on the topics of guards that are gone is taken away.
func messagesOf(changed, standing []alarm.Alarm, gone map[string]bool) (out []retained) {
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
		if gone[a.Guard] {
			out = append(out, retained{topic: topicOf(a)})
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

// showAlarms keeps the alarm topics as they should be until ctx ends, and rings at each commit. After a break it tells what stands and what has
// changed since; telling twice does no harm.
func showAlarms(ctx context.Context, records *store.Store, commits *store.Bell, publish func(retained) error,
	log *slog.Logger) {
	wake := make(chan struct{}, 1)
	var listening sync.WaitGroup
	defer listening.Wait()
	listening.Go(func() {
		for ctx.Err() == nil {
			_ = store.Listen(ctx, records, func(int64) {
				commits.Ring()
				select {
				case wake <- struct{}{}:
				default:
				}
			})
			pause(ctx, alarmsAgain)
		}
	})
	last := int64(-1)
	removed := &removedGuards{config: -1, told: map[string]bool{}}
	for {
		select {
		case <-ctx.Done():
			return
		case <-wake:
		}
		commit, changed, standing, err := events.AlarmsChanged(ctx, records, last)
		var gone []retained
		if err == nil {
			gone, err = removed.look(ctx, records)
		}
		if err != nil {
			pause(ctx, alarmsAgain)
			continue
		}
		if last >= 0 && len(changed)+len(gone) == 0 {
			last = commit
			continue
		}
		failed := false
		for _, m := range slices.Concat(messagesOf(changed, standing, removed.told), gone) {
			if err := publish(m); err != nil {
				log.Debug("an alarm could not be published", "topic", m.topic, "error", err)
				failed = true
			}
		}
		if !failed {
			last = commit
		} else {
			clear(removed.told)
			removed.config = -1
		}
		pause(ctx, alarmsAtMost)
	}
}

// removedGuards are the guards that have raised alarms and are there no more.
type removedGuards struct {
	config int64 // the configuration that was looked at; -1: none
	told   map[string]bool
}

// look gives what is to be taken away since the last look.
func (r *removedGuards) look(ctx context.Context, records *store.Store) (gone []retained, err error) {
	config, err := store.ConfigNo(ctx, records)
	if err != nil || config == r.config {
		return nil, err
	}
	names, err := events.GuardsGone(ctx, records)
	if err != nil {
		return nil, err
	}
	r.config = config
	told := map[string]bool{}
	for _, name := range names {
		if told[name] = true; !r.told[name] {
			gone = append(gone, retained{topic: alarmRoot + "/" + name})
		}
	}
	r.told = told
	return gone, nil
}

func pause(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// isReader tells whether a sender has the key of a reader.
func isReader(d *credential.Directory, s credential.Sender) bool {
	return s.Name == readerName && d.Reader(s.Key[:]) != nil
}

// mayRead tells whether a reader may subscribe to a topic: to its feed, and to what stands of alarms, which are those of
// all devices.
func mayRead(r *feed.Reader, topic string) bool {
	return r != nil && (isFeed(topic) || len(r.Devices) == 0 && r.Hears(feed.Alarm))
}
