package respond

import (
	"context"
	"maps"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// A program that is not there for a while loses nothing: only one that stays away is told of.
const readerAwayFor = 5 * time.Minute

const postsChanges = "post changes to the reader "

// JudgeReaders raises an alarm for each reader whose address keeps failing, and ends those of readers that take what is
// posted again, or to which nothing is posted any more.
func JudgeReaders(ctx context.Context, p *pipeline.Pipeline) error {
	away, over, err := readersToJudge(ctx, p.Store, p.Now())
	if err != nil || len(away)+len(over) == 0 {
		return err
	}
	return p.Do(ctx, func(t *reading.Turn) error {
		// another process may have told of it meanwhile
		away, over, err := readersToJudge(t.Ctx, t.Tx, t.Now)
		if err != nil {
			return err
		}
		for _, r := range away {
			if _, err := t.RaiseServiceAlarm(postsChanges+r.Name, alarm.Warning, *r.FailingSince,
				ClipText(r.Failing, 160), "What changes waits for it for a week. See why: jaunty reader list"); err != nil {
				return err
			}
		}
		for _, id := range over {
			if err := t.EndServiceAlarm(id); err != nil {
				return err
			}
		}
		return nil
	})
}

// readersToJudge gives the readers that are away and are no alarm yet, and the alarms that are over.
func readersToJudge(ctx context.Context, db store.Reader, now measure.Instant) (away []config.ReaderKey, over []int64,
	err error) {
	standing, err := events.ServiceAlarms(ctx, db, "cannot "+postsChanges)
	if err != nil {
		return nil, nil, err
	}
	readers, err := config.Readers(ctx, db)
	for _, r := range readers {
		if r.URL == "" || r.FailingSince == nil {
			continue
		}
		what := "cannot " + postsChanges + r.Name
		if standing[what] == 0 && r.Failures >= events.BackAfter && now.Sub(*r.FailingSince) >= readerAwayFor {
			away = append(away, r)
		}
		delete(standing, what)
	}
	return away, slices.Sorted(maps.Values(standing)), err
}
