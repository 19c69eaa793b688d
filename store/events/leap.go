package events

import (
	"context"
	"fmt"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

// elapsing is what a table keeps that runs by elapsed time: its instants move with the clock when that leaps.
type elapsing struct {
	table   string
	columns string // each 0 or null where there is none
	where   string
	also    string // what else to set
}

// byElapsedTime are all instants that run. What stands nowhere here either tells of the past, goes by a signal's own
// time, or by the wall (docs/semantics.md, "Time that leaps").
var byElapsedTime = []elapsing{
	{table: "alarm", columns: "raised_at", where: "cleared_at is null and guard = '' and kind <> '" +
		string(alarm.BySensor) + "'"},
	{table: "broker_share", columns: "until"},
	{table: "carrier", columns: "failing_since failed_at worked_at"},
	{table: "device_contact", columns: "at online_until refused_at"},
	{table: "device_state",
		columns: "silent_since counted_from late_since catching_since due_at absent_from absent_until"},
	{table: "drill", columns: "started_at", where: "ended_at is null"},
	{table: "escalation", columns: "since due_at"},
	{table: "guard", columns: "shelved_until"},
	{table: "guard_state", columns: "due_at"},
	{table: "idempotency", columns: "at"},
	{table: "interlock_state", columns: "since due_at"},
	{table: "late_stretch", columns: "noted_at"},
	{table: "notice", columns: "due_at", where: "state in ('waiting', 'held') and held_why <> '" + roster.HeldQuiet +
		"'"},
	{table: "notice", columns: "created_at claimed_until", where: "created_at > $2"},
	{table: "output_state", columns: "ordered_at turned_at confirmed_at differs_since due_at"},
	{table: "reader", columns: "due_at failing_since"},
	{table: "signal_state", columns: "received_at arrived_at silent_since", where: "received_at > 0",
		also: "ahead = ahead - $1, lag_before = case when ahead = 0 then greatest(0, arrived_at - at) else " +
			"lag_before end"},
	{table: "stale", columns: "noted_at"},
	{table: "way_in", columns: "up_since beat_at down_from heart_at heart_ok"},
}

func (e *elapsing) statement() string {
	var sets []string
	for column := range strings.FieldsSeq(e.columns) {
		sets = append(sets, fmt.Sprintf("%[1]s = case when %[1]s > 0 then %[1]s + $1 else %[1]s end", column))
	}
	if e.also != "" {
		sets = append(sets, e.also)
	}
	where := e.where
	if where == "" {
		where = "true"
	}
	return "update " + e.table + " set " + strings.Join(sets, ", ") + " where " + where +
		" and ($1::bigint, $2::bigint) is not null"
}

// Leap moves all that runs by elapsed time with a clock that leapt, so that it ends when it would have ended, and adds
// to the sum of the leaps. before is what the clock showed.
func Leap(ctx context.Context, db store.Writer, by time.Duration, before measure.Instant) error {
	for _, e := range byElapsedTime {
		if _, err := db.Exec(ctx, e.statement(), by.Milliseconds(), before.Add(-gapLook)); err != nil {
			return fmt.Errorf("moving %s: %w", e.table, err)
		}
	}
	if err := leapOutputs(ctx, db, by); err != nil {
		return err
	}
	if err := leapShelves(ctx, db, by); err != nil {
		return err
	}
	_, err := db.Exec(ctx, `update ledger set leapt = leapt + $1`, by.Milliseconds())
	return err
}

// leapOutputs moves what outputs keep besides columns.
func leapOutputs(ctx context.Context, db store.Writer, by time.Duration) error {
	var rows []struct {
		Output  int64          `db:"output_id"`
		Hand    *drive.Hand    `db:"hand"`
		Waiting *drive.Wait    `db:"waiting"`
		Started drive.Instants `db:"started"`
	}
	if err := db.Select(ctx, &rows, `select output_id, hand, waiting, started from output_state`); err != nil {
		return err
	}
	for _, r := range rows {
		if r.Hand != nil {
			r.Hand.At, r.Hand.Until = r.Hand.At.Add(by), r.Hand.Until.Add(by)
		}
		if r.Waiting != nil {
			r.Waiting.Until = r.Waiting.Until.Add(by)
		}
		for i := range r.Started {
			r.Started[i] = r.Started[i].Add(by)
		}
		if _, err := db.Exec(ctx, `update output_state set hand = $2, waiting = $3, started = $4 where output_id = $1`,
			r.Output, r.Hand, r.Waiting, r.Started); err != nil {
			return err
		}
	}
	return nil
}

// leapShelves moves until when guards are shelved.
func leapShelves(ctx context.Context, db store.Writer, by time.Duration) error {
	var rows []struct {
		Guard   int64       `db:"id"`
		Shelved alarm.Pause `db:"shelved"`
	}
	if err := db.Select(ctx, &rows, `select id, shelved from guard where shelved is not null`); err != nil {
		return err
	}
	for _, r := range rows {
		if r.Shelved.Until != nil {
			until := r.Shelved.Until.Add(by)
			r.Shelved.Until = &until
		}
		if _, err := db.Exec(ctx, `update guard set shelved = $2 where id = $1`, r.Guard, r.Shelved); err != nil {
			return err
		}
	}
	return nil
}

// MoveStanding moves, with the own time of a signal, when its standing alarms were raised, and since when it is on.
func MoveStanding(ctx context.Context, db store.Writer, signal int64, alarms []int64, by time.Duration) error {
	_, err := db.Exec(ctx, `
		with raised as (update alarm set raised_at = raised_at + $3 where id = any($2) and cleared_at is null)
		update switch_run set ran_from = ran_from + $3 where signal_id = $1 and ran_until is null`, signal, alarms,
		by.Milliseconds())
	return err
}
