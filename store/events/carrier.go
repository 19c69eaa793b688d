package events

import (
	"context"
	"maps"
	"slices"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

const selectCarrier = `select name, failing_since, failures, failed_at, worked_at, answer, alarm_id from carrier`

// Carriers tells of each carrier that was ever used whether it works.
func Carriers(ctx context.Context, db store.Reader) ([]roster.CarrierState, error) {
	carriers := []roster.CarrierState{}
	err := db.Select(ctx, &carriers, selectCarrier+` order by name`)
	return carriers, err
}

// SetCarrierAlarm notes the standing alarm of a carrier; nil: there is none.
func SetCarrierAlarm(ctx context.Context, db store.Writer, name string, alarmID *int64) error {
	_, err := db.Exec(ctx, `update carrier set alarm_id = $2 where name = $1`, name, alarmID)
	return err
}

// noteCarriers notes whether the carriers of attempts work. An address that was refused for good says nothing of its
// carrier.
func noteCarriers(ctx context.Context, tx *store.Tx, attempts []Attempt) error {
	of := map[string]*roster.CarrierState{}
	for _, a := range attempts {
		c := of[a.Carrier]
		if c == nil {
			c = &roster.CarrierState{Name: a.Carrier}
			of[a.Carrier] = c
		}
		switch at := a.At; {
		case a.OK:
			c.WorkedAt, c.FailingSince, c.Failures = &at, nil, 0
		case a.Final:
		default:
			c.FailedAt, c.Answer = &at, a.Answer
			if c.Failures++; c.FailingSince == nil {
				c.FailingSince = &at
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(of)) {
		if worked := of[name].WorkedAt; worked != nil {
			if err := goOn(ctx, tx, name, *worked); err != nil {
				return err
			}
		}
		if _, err := tx.NamedExec(ctx, `
			insert into carrier (name, failing_since, failures, failed_at, worked_at, answer)
			    values (:name, :failing_since, :failures, :failed_at, :worked_at, :answer)
			on conflict (name) do update set
				failures = case when excluded.worked_at is null then carrier.failures + excluded.failures
				    else excluded.failures end,
				failing_since = case when excluded.worked_at is null
				    then coalesce(carrier.failing_since, excluded.failing_since) else excluded.failing_since end,
				failed_at = coalesce(excluded.failed_at, carrier.failed_at),
				    worked_at = coalesce(excluded.worked_at, carrier.worked_at),
				answer = case when excluded.answer <> '' then excluded.answer else carrier.answer end`,
			of[name]); err != nil {
			return err
		}
	}
	return nil
}

// From so many failures, over so long, on, a carrier counts as one that keeps failing, and as back when it works again.
const (
	BackAfter = 3
	BackOver  = 20 * time.Second
)

// goOn lets all that waits for a carrier that is back be tried now, not when its own next attempt would be.
func goOn(ctx context.Context, db store.Writer, name string, now measure.Instant) error {
	_, err := db.Exec(ctx, `
		update notice set due_at = $2 where state = 'waiting' and carrier = $1 and due_at > $2
		and exists (select from carrier where name = $1 and failing_since <= $3 and failures >= $4)`, name, now,
		now.Add(-BackOver), BackAfter)
	return err
}

// Waiting counts the notices that wait for each carrier.
func Waiting(ctx context.Context, db store.Reader) (map[string]int, error) {
	var rows []struct {
		Carrier string `db:"carrier"`
		N       int    `db:"n"`
	}
	err := db.Select(ctx, &rows, `select carrier, count(*) as n from notice where state = 'waiting' group by carrier`)
	of := map[string]int{}
	for _, r := range rows {
		of[r.Carrier] = r.N
	}
	return of, err
}
