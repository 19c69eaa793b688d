package store

import (
	"context"
	"encoding/json"
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

const selectGuard = `
	select g.id, g.name, d.name || '/' || s.name as signal, g.when_text, g.deadband, g.on_delay, g.off_delay, g.severity,
	       to_jsonb(g.tell) as tell_json, g.advice, g.kit_guard
	from guard g join signal s on s.id = g.signal_id join device d on d.id = s.device_id`

// guardRow is a guard as its row gives it.
type guardRow struct {
	alarm.Guard
	WhenText string `db:"when_text"`
	TellJSON []byte `db:"tell_json"`
}

func guards(rows []guardRow) ([]alarm.Guard, error) {
	out := make([]alarm.Guard, len(rows))
	for i := range rows {
		out[i] = rows[i].Guard
		if err := out[i].When.UnmarshalText([]byte(rows[i].WhenText)); err != nil {
			return nil, fmt.Errorf("guard %s: %w", rows[i].Name, err)
		}
		if err := json.Unmarshal(rows[i].TellJSON, &out[i].Tell); err != nil {
			return nil, fmt.Errorf("guard %s: %w", rows[i].Name, err)
		}
	}
	return out, nil
}

// Guards lists all guards by name.
func (s *Store) Guards(ctx context.Context) ([]alarm.Guard, error) {
	var rows []guardRow
	if err := s.db.SelectContext(ctx, &rows, selectGuard+` order by g.name`); err != nil {
		return nil, err
	}
	return guards(rows)
}

// Guards gives all guards.
func (t *Tx) Guards(ctx context.Context) ([]alarm.Guard, error) {
	var rows []guardRow
	if err := t.SelectContext(ctx, &rows, selectGuard); err != nil {
		return nil, err
	}
	return guards(rows)
}

// SaveGuard stores a guard of a signal, new when its ID is 0; ErrTaken when the name is in use.
func (t *Tx) SaveGuard(ctx context.Context, g *alarm.Guard, signal int64) error {
	var err error
	if g.ID == 0 {
		err = t.GetContext(ctx, &g.ID, `
			insert into guard (signal_id, name, when_text, deadband, on_delay, off_delay, severity, tell, advice, kit_guard)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) returning id`,
			signal, g.Name, g.When.String(), g.Deadband, g.OnDelay, g.OffDelay, g.Severity, g.Tell, g.Advice, g.FromKit)
	} else {
		_, err = t.ExecContext(ctx, `
			update guard set signal_id = $2, name = $3, when_text = $4, deadband = $5, on_delay = $6, off_delay = $7, severity = $8, tell = $9, advice = $10
			where id = $1`, g.ID, signal, g.Name, g.When.String(), g.Deadband, g.OnDelay, g.OffDelay, g.Severity, g.Tell, g.Advice)
	}
	if taken(err) {
		return fmt.Errorf("%s %w", g.Name, ErrTaken)
	}
	return err
}

// RemoveGuard removes a guard and its state.
func (t *Tx) RemoveGuard(ctx context.Context, id int64) error {
	_, err := t.ExecContext(ctx, `delete from guard where id = $1`, id)
	return err
}

// GuardState is what must be kept of a guard's alarm.State, and the standing alarm.
type GuardState struct {
	Guard        int64            `db:"guard_id"`
	Phase        alarm.Phase      `db:"phase"`
	Acknowledged bool             `db:"acknowledged"`
	Since        measure.Instant  `db:"since"`
	RaisedAt     measure.Instant  `db:"raised_at"`
	Extreme      float64          `db:"extreme"`
	BegunAt      measure.Instant  `db:"begun_at"`
	DueAt        *measure.Instant `db:"due_at"`
	AlarmID      *int64           `db:"alarm_id"`
	SilentSince  measure.Instant  `db:"silent_since"`
}

// GuardStates gives the states that commits after since have changed.
func (t *Tx) GuardStates(ctx context.Context, since int64) (states []GuardState, err error) {
	err = t.SelectContext(ctx, &states, `
		select guard_id, phase, acknowledged, since, raised_at, extreme, begun_at, due_at, alarm_id, silent_since from guard_state where changed_in > $1`, since)
	return states, err
}

// SaveGuardStates writes the states, new or not.
func (t *Tx) SaveGuardStates(ctx context.Context, states []GuardState, commitNo int64) error {
	if len(states) == 0 {
		return nil
	}
	n := len(states)
	ids, phases, acked, since, raised := make([]int64, n), make([]int16, n), make([]bool, n), make([]int64, n), make([]int64, n)
	extreme, begun, due, alarms, silent := make([]float64, n), make([]int64, n), make([]*int64, n), make([]*int64, n), make([]int64, n)
	for i, s := range states {
		ids[i], phases[i], acked[i], since[i], raised[i] = s.Guard, int16(s.Phase), s.Acknowledged, int64(s.Since), int64(s.RaisedAt)
		extreme[i], begun[i], due[i], alarms[i], silent[i] = s.Extreme, int64(s.BegunAt), (*int64)(s.DueAt), s.AlarmID, int64(s.SilentSince)
	}
	_, err := t.ExecContext(ctx, `
		insert into guard_state as gs (guard_id, changed_in, phase, acknowledged, since, raised_at, extreme, begun_at, due_at, alarm_id, silent_since)
		select n.id, $1, n.phase, n.acked, n.since, n.raised, n.extreme, n.begun, n.due, n.alarm, n.silent
		from unnest($2::bigint[], $3::smallint[], $4::boolean[], $5::bigint[], $6::bigint[], $7::float8[], $8::bigint[], $9::bigint[], $10::bigint[], $11::bigint[])
		     as n(id, phase, acked, since, raised, extreme, begun, due, alarm, silent)
		on conflict (guard_id) do update set changed_in = $1, phase = excluded.phase, acknowledged = excluded.acknowledged, since = excluded.since,
		     raised_at = excluded.raised_at, extreme = excluded.extreme, begun_at = excluded.begun_at, due_at = excluded.due_at, alarm_id = excluded.alarm_id, silent_since = excluded.silent_since`,
		commitNo, ids, phases, acked, since, raised, extreme, begun, due, alarms, silent)
	return err
}

// AnyDue tells whether by at a guard's delay has ended, a device must be looked at, or a notice that
// was held back is due.
func (s *Store) AnyDue(ctx context.Context, at measure.Instant) (due bool, err error) {
	err = s.db.GetContext(ctx, &due, `
		select exists (select from guard_state where due_at <= $1) or exists (select from device_state where due_at <= $1)
		    or exists (select from notice where state = 'held' and due_at <= $1)`, at)
	return due, err
}

// DueGuards gives the guards whose delays have ended by at, earliest first, limit at most.
func (t *Tx) DueGuards(ctx context.Context, at measure.Instant, limit int) (ids []int64, err error) {
	err = t.SelectContext(ctx, &ids, `select guard_id from guard_state where due_at <= $1 order by due_at, guard_id limit $2`, at, limit)
	return ids, err
}
