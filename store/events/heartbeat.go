package events

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

// Heart tells how the heartbeat went.
func Heart(ctx context.Context, db store.Reader) (h roster.Heart, err error) {
	err = db.Get(ctx, &h, `select heart_ok, heart_bad from way_in`)
	return h, err
}

// TakeHeartbeat takes the heartbeat that is due, so that one process sends it; false: none is due.
func TakeHeartbeat(ctx context.Context, db store.Writer, now, next measure.Instant) (due bool, err error) {
	result, err := db.Exec(ctx,
		`update way_in set heart_at = $2 where (heart_at <= $1 or heart_at > $2) and beat_at > $1 - 15000`, now, next)
	if err != nil {
		return false, err
	}
	n, err := result.RowsAffected()
	return n > 0, err
}

// NoteHeartbeat notes how a heartbeat went: bad is empty when it was taken.
func NoteHeartbeat(ctx context.Context, db store.Writer, now measure.Instant, bad string) error {
	_, err := db.Exec(ctx, `update way_in set heart_ok = case when $2 = '' then $1 else heart_ok end, heart_bad = $2`,
		now, bad)
	return err
}

// TakeQuietWord takes the word of a day, so that it is told once; false: it was told.
func TakeQuietWord(ctx context.Context, db store.Writer, day string) (first bool, err error) {
	result, err := db.Exec(ctx, `update way_in set quiet_on = $1 where quiet_on <> $1`, day)
	if err != nil {
		return false, err
	}
	n, err := result.RowsAffected()
	return n > 0, err
}

// QuietOn gives the day on which the word was last told; empty: never.
func QuietOn(ctx context.Context, db store.Reader) (day string, err error) {
	err = db.Get(ctx, &day, `select quiet_on from way_in`)
	return day, err
}
