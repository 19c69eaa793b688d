package events

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

// Escalation is how far a roster has come with an alarm.
type Escalation struct {
	Alarm  int64 `db:"alarm_id"`
	Roster int64 `db:"roster_id"`
	roster.Progress
	DueAt *measure.Instant `db:"due_at"` // of the next call; nil: there is none
}

// SaveEscalation writes how far a roster has come.
func SaveEscalation(ctx context.Context, tx *store.Tx, e Escalation) error {
	_, err := tx.NamedExec(ctx, `
		insert into escalation (alarm_id, roster_id, since, spoken, rounds, due_at)
		    values (:alarm_id, :roster_id, :since, :spoken, :rounds, :due_at)
		on conflict (alarm_id, roster_id) do update set since = excluded.since, spoken = excluded.spoken,
		    rounds = excluded.rounds, due_at = excluded.due_at`, e)
	return err
}

// Escalations gives how far rosters have come with an alarm.
func Escalations(ctx context.Context, db store.Reader, alarmID int64) (all []Escalation, err error) {
	err = db.Select(ctx, &all,
		`select alarm_id, roster_id, since, spoken, rounds, due_at from escalation where alarm_id = $1
			order by roster_id`, alarmID)
	return all, err
}

// EscalationsDue gives those whose next call is due.
func EscalationsDue(ctx context.Context, db store.Reader, now measure.Instant,
	limit int) (all []Escalation, err error) {
	err = db.Select(ctx, &all, `
		select alarm_id, roster_id, since, spoken, rounds, due_at from escalation where due_at <= $1
		    order by due_at, alarm_id, roster_id limit $2`, now, limit)
	return all, err
}

// ReplanEscalations lets all rosters that are under way look again at when their next calls are.
func ReplanEscalations(ctx context.Context, db store.Writer, now measure.Instant) error {
	_, err := db.Exec(ctx, `update escalation set due_at = $1`, now)
	return err
}

// EndEscalation ends what rosters do about an alarm.
func EndEscalation(ctx context.Context, db store.Writer, alarmID int64) error {
	_, err := db.Exec(ctx, `delete from escalation where alarm_id = $1`, alarmID)
	return err
}
