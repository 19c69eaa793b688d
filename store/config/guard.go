package config

import (
	"context"
	"encoding/json"
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/store"
)

const selectGuard = `

	select g.id, g.name, d.name || '/' || s.name as signal, g.when_text, g.deadband, g.on_delay, g.off_delay,
	    g.severity,
	       g.rungs, g.latch, g.armed, g.suppressed_while, to_jsonb(g.tell) as tell_json, g.advice, g.kit_guard,
	           g.out_of_service, g.shelved, g.made_at, g.least_gap, g.templates, g.clears,
	       case when s.helper then coalesce((select wd.name || '/' || ws.name from derived_input i
	           join signal ws on ws.id = i.input_id join device wd on wd.id = ws.device_id where i.derived_id = s.id
	           order by i.place limit 1), '') else '' end as watches
	from guard g join signal s on s.id = g.signal_id join device d on d.id = s.device_id`

// guardRow is a guard as its row gives it.
type guardRow struct {
	alarm.Guard
	WhenText string `db:"when_text"`
	Clears   string `db:"clears"`
	TellJSON []byte `db:"tell_json"`
}

func guards(rows []guardRow) ([]alarm.Guard, error) {
	out := make([]alarm.Guard, len(rows))
	for i := range rows {
		out[i] = rows[i].Guard
		if err := out[i].When.UnmarshalText([]byte(rows[i].WhenText)); err != nil {
			return nil, fmt.Errorf("guard %s: %w", rows[i].Name, err)
		}
		if err := out[i].Clears.UnmarshalText([]byte(rows[i].Clears)); err != nil {
			return nil, fmt.Errorf("guard %s: %w", rows[i].Name, err)
		}
		if err := json.Unmarshal(rows[i].TellJSON, &out[i].Tell); err != nil {
			return nil, fmt.Errorf("guard %s: %w", rows[i].Name, err)
		}
	}
	return out, nil
}

// Guards lists all guards, or those of some devices, by name.
func Guards(ctx context.Context, db store.Reader, devices ...int64) ([]alarm.Guard, error) {
	var rows []guardRow
	query, args := of(devices, selectGuard+` where true`, "s.device_id = any($devices)")
	if err := db.Select(ctx, &rows, query+` order by g.name`, args...); err != nil {
		return nil, err
	}
	return guards(rows)
}

// SaveGuard stores a guard of a signal, new when its ID is 0; ErrTaken when the name is in use.
func SaveGuard(ctx context.Context, db store.Writer, g *alarm.Guard, signal int64) error {
	var err error
	if g.ID == 0 {
		err = db.Get(ctx, &g.ID, `
			insert into guard (signal_id, name, when_text, deadband, on_delay, off_delay, severity, tell, advice,
			    kit_guard, rungs, latch, armed, suppressed_while, made_at, least_gap, templates, clears)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18) returning id`,
			signal, g.Name, g.When.String(), g.Deadband, g.OnDelay, g.OffDelay, g.Severity, g.Tell, g.Advice, g.FromKit,
			g.Rungs, g.Latch, g.Armed, g.Suppressed, g.MadeAt, g.LeastGap, g.Templates, g.Clears.String())
	} else {
		_, err = db.Exec(ctx, `
			update guard set signal_id = $2, name = $3, when_text = $4, deadband = $5, on_delay = $6, off_delay = $7,
			    severity = $8, tell = $9, advice = $10,
			       rungs = $11, latch = $12, armed = $13, suppressed_while = $14, made_at = $15, least_gap = $16,
			           templates = $17, clears = $18
			where id = $1`, g.ID, signal, g.Name, g.When.String(), g.Deadband, g.OnDelay, g.OffDelay, g.Severity,
			g.Tell, g.Advice, g.Rungs, g.Latch, g.Armed, g.Suppressed, g.MadeAt, g.LeastGap, g.Templates,
			g.Clears.String())
	}
	if store.Taken(err) {
		return fmt.Errorf("%s %w", g.Name, store.ErrTaken)
	}
	return err
}

// RenameGuard lets what a guard has raised and missed go by its new name.
func RenameGuard(ctx context.Context, db store.Writer, old, name string, commitNo int64) error {
	_, err := db.Exec(ctx,
		`update alarm set guard = $2, changed_in = case when cleared_at is null then $3 else changed_in end
			where guard = $1`, old, name, commitNo)
	if err == nil {
		_, err = db.Exec(ctx, `update missed set guard = $2 where guard = $1`, old, name)
	}
	return err
}

// RemoveGuard removes a guard and its state.
func RemoveGuard(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from guard where id = $1`, id)
	return err
}

// PauseGuard notes that a guard is out of service, or shelved, or no longer (nil).
func PauseGuard(ctx context.Context, db store.Writer, id int64, outOfUse, shelved *alarm.Pause) error {
	var until *measure.Instant
	if shelved != nil {
		until = shelved.Until
	}
	_, err := db.Exec(ctx, `update guard set out_of_service = $2, shelved = $3, shelved_until = $4 where id = $1`, id,
		outOfUse, shelved, until)
	return err
}

// GuardState is what must be kept of a guard's alarm.State, and the standing alarms.
type GuardState struct {
	Guard      int64            `db:"guard_id"`
	Kept       alarm.Kept       `db:"kept"`
	BegunAt    measure.Instant  `db:"begun_at"`
	DueAt      *measure.Instant `db:"due_at"`
	AlarmID    *int64           `db:"alarm_id"`     // of the high side
	LowAlarmID *int64           `db:"low_alarm_id"` // of the low side
}

// GuardStates gives the states that commits after since have changed, or all of some devices.
func GuardStates(ctx context.Context, db store.Reader, since int64, devices ...int64) (states []GuardState, err error) {
	query, args := statesOf(devices, since,
		`select guard_id, kept, begun_at, due_at, alarm_id, low_alarm_id from guard_state where`,
		`guard_id in (select id from guard where `+ofSignals+`)`)
	err = db.Select(ctx, &states, query, args...)
	return states, err
}

// SaveGuardStates writes the states, new or not.
func SaveGuardStates(ctx context.Context, db store.Writer, states []GuardState, commitNo int64) error {
	if len(states) == 0 {
		return nil
	}
	n := len(states)
	ids, kept, high, low, begun := make([]int64, n), make([][]byte, n), make([]float64, n), make([]float64, n),
		make([]int64, n)
	due, alarms, lows := make([]*int64, n), make([]*int64, n), make([]*int64, n)
	for i, s := range states {
		body, err := s.Kept.MarshalBinary()
		if err != nil {
			return err
		}
		ids[i], kept[i], high[i], low[i] = s.Guard, body, s.Kept.Sides[alarm.High].Extreme,
			s.Kept.Sides[alarm.Low].Extreme
		begun[i], due[i], alarms[i], lows[i] = int64(s.BegunAt), (*int64)(s.DueAt), s.AlarmID, s.LowAlarmID
	}
	_, err := db.Exec(ctx, `
		insert into guard_state as gs (guard_id, changed_in, kept, extreme, low_extreme, begun_at, due_at, alarm_id,
		    low_alarm_id)
		select n.id, $1, n.kept, n.high, n.low, n.begun, n.due, n.alarm, n.low_alarm
		from unnest($2::bigint[], $3::bytea[], $4::float8[], $5::float8[], $6::bigint[], $7::bigint[], $8::bigint[],
		    $9::bigint[])
		     as n(id, kept, high, low, begun, due, alarm, low_alarm)
		on conflict (guard_id) do update set changed_in = $1, kept = excluded.kept, extreme = excluded.extreme,
		    low_extreme = excluded.low_extreme,
		     begun_at = excluded.begun_at, due_at = excluded.due_at, alarm_id = excluded.alarm_id,
		         low_alarm_id = excluded.low_alarm_id`,
		commitNo, ids, kept, high, low, begun, due, alarms, lows)
	return err
}

// DueGuards gives the guards whose delays have ended by at, earliest first, limit at most.
func DueGuards(ctx context.Context, db store.Reader, at measure.Instant, limit int) (ids []int64, err error) {
	err = db.Select(ctx, &ids, `select guard_id from guard_state where due_at <= $1 order by due_at, guard_id limit $2`,
		at, limit)
	return ids, err
}

// ShelvesDue gives the guards whose shelving has ended by at.
func ShelvesDue(ctx context.Context, db store.Reader, at measure.Instant) (ids []int64, err error) {
	err = db.Select(ctx, &ids, `select id from guard where shelved_until <= $1 order by shelved_until, id`, at)
	return ids, err
}
