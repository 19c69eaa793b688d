package events

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// Runs is what a turn saw of the runs of one switch.
type SwitchRuns struct {
	Signal int64
	From   measure.Instant // of the newest run that began; 0: none did
	Until  measure.Instant // when the newest run ended; 0: it goes on
	Day    string
	Times  int // how many began on the day
}

// NoteRuns writes down what was seen of the runs of a switch.
func NoteRuns(ctx context.Context, db store.Writer, r SwitchRuns) error {
	if r.From == 0 {
		_, err := db.Exec(ctx, `update switch_run set ran_until = $2 where signal_id = $1 and ran_until is null`,
			r.Signal, r.Until)
		return err
	}
	var until *measure.Instant
	if r.Until != 0 {
		until = &r.Until
	}
	_, err := db.Exec(ctx, `
		insert into switch_run (signal_id, ran_from, ran_until, ran_on, ran_times) values ($1, $2, $3, $4, $5)
		on conflict (signal_id) do update set ran_from = excluded.ran_from, ran_until = excluded.ran_until,
		    ran_on = excluded.ran_on,
		       ran_times = case when switch_run.ran_on = excluded.ran_on then switch_run.ran_times + excluded.ran_times
		           else excluded.ran_times end`,
		r.Signal, r.From, until, r.Day, r.Times)
	return err
}

// RanOf gives the newest run of a switch.
func RanOf(ctx context.Context, db store.Reader, signal int64) (r site.Ran, err error) {
	var rows []site.Ran
	if err = db.Select(ctx, &rows, `select ran_from, ran_until, ran_on, ran_times from switch_run where signal_id = $1`,
		signal); err == nil && len(rows) > 0 {
		r = rows[0]
	}
	return r, err
}
