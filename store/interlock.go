package store

import (
	"context"
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
)

const selectInterlock = `
	select i.id, i.name, od.name || '/' || o.name as output, i.alarm, coalesce(sd.name || '/' || s.name, '') as signal, i.when_text, i.deadband, i.on_delay, i.off_delay,
	       i.bands, i.hours, i.formula, i.inputs, i.set_to, i.safety, i.latch, i.made_at, ` + interlockMemory + `
	from interlock i join output o on o.id = i.output_id join device od on od.id = o.device_id join interlock_state st on st.interlock_id = i.id
	left join signal s on s.id = i.signal_id left join device sd on sd.id = s.device_id`

const interlockMemory = `st.asks, st.asks_for, st.since, st.latched, st.waits, st.blind, st.why, st.band`

// Interlocks lists all interlocks by name.
func (s *Store) Interlocks(ctx context.Context) ([]drive.Interlock, error) {
	locks := []drive.Interlock{}
	err := s.db.SelectContext(ctx, &locks, selectInterlock+` order by i.name`)
	return locks, err
}

// Interlock gives one interlock; ErrNotFound.
func (s *Store) Interlock(ctx context.Context, name string) (drive.Interlock, error) {
	var i drive.Interlock
	err := s.db.GetContext(ctx, &i, selectInterlock+` where i.name = $1`, name)
	return i, found(err)
}

// Interlocks gives all interlocks.
func (t *Tx) Interlocks(ctx context.Context) (locks []drive.Interlock, err error) {
	err = t.SelectContext(ctx, &locks, selectInterlock+` order by i.id`)
	return locks, err
}

// SaveInterlock stores an interlock of an output, new when its ID is 0; ErrTaken when the name is in use. signal is that of its
// condition or bands; 0: none.
func (t *Tx) SaveInterlock(ctx context.Context, i *drive.Interlock, output, signal int64) error {
	var of *int64
	if signal != 0 {
		of = &signal
	}
	if i.ID == 0 {
		err := t.GetContext(ctx, &i.ID, `insert into interlock (output_id, name, made_at) values ($1, $2, $3) returning id`, output, i.Name, i.MadeAt)
		if taken(err) {
			return fmt.Errorf("%s %w", i.Name, ErrTaken)
		}
		if err != nil {
			return err
		}
	}
	_, err := t.ExecContext(ctx, `
		update interlock set output_id = $2, alarm = $3, signal_id = $4, when_text = $5, deadband = $6, on_delay = $7, off_delay = $8, bands = $9, hours = $10, formula = $11,
		       inputs = $12, set_to = $13, safety = $14, latch = $15, made_at = $16
		where id = $1`, i.ID, output, i.Alarm, of, i.When, i.Deadband, i.OnDelay, i.OffDelay, i.Bands, i.Hours, i.Formula, i.Of, i.Set, i.Safety, i.Latch, i.MadeAt)
	return err
}

// RemoveInterlock removes an interlock.
func (t *Tx) RemoveInterlock(ctx context.Context, id int64) error {
	_, err := t.ExecContext(ctx, `delete from interlock where id = $1`, id)
	return err
}

// InterlockState is what an interlock remembers, with the state of its condition.
type InterlockState struct {
	Interlock int64            `db:"interlock_id"`
	Condition alarm.Kept       `db:"condition"`
	BegunAt   measure.Instant  `db:"begun_at"` // readings at or before it are not stepped
	DueAt     *measure.Instant `db:"due_at"`
	drive.Memory
}

// InterlockStates gives the states that commits after since have changed.
func (t *Tx) InterlockStates(ctx context.Context, since int64) (states []InterlockState, err error) {
	err = t.SelectContext(ctx, &states, `select st.interlock_id, st.condition, st.begun_at, st.due_at, `+interlockMemory+` from interlock_state st where st.changed_in > $1`, since)
	return states, err
}

// SaveInterlockState writes what an interlock remembers, new or not.
func (t *Tx) SaveInterlockState(ctx context.Context, s InterlockState, commitNo int64) error {
	_, err := t.ExecContext(ctx, `
		insert into interlock_state (interlock_id, changed_in, condition, begun_at, due_at, asks, asks_for, since, latched, waits, blind, why, band)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
		on conflict (interlock_id) do update set changed_in = excluded.changed_in, condition = excluded.condition, begun_at = excluded.begun_at, due_at = excluded.due_at, asks = excluded.asks,
		     asks_for = excluded.asks_for, since = excluded.since, latched = excluded.latched, waits = excluded.waits, blind = excluded.blind, why = excluded.why, band = excluded.band`,
		s.Interlock, commitNo, s.Condition, s.BegunAt, s.DueAt, s.Asks, s.Memory.Value, s.Since, s.Latched, s.Waits, s.Blind, s.Why, s.Band)
	return err
}

// DueInterlocks gives the interlocks that must be looked at by an instant.
func (t *Tx) DueInterlocks(ctx context.Context, at measure.Instant) (ids []int64, err error) {
	err = t.SelectContext(ctx, &ids, `select interlock_id from interlock_state where due_at <= $1 order by due_at, interlock_id`, at)
	return ids, err
}

// Driving gives the alarms that may drive interlocks: those that stand, and those of drills that are to.
func (t *Tx) Driving(ctx context.Context) (alarms []alarm.Alarm, err error) {
	err = t.SelectContext(ctx, &alarms, selectAlarm+` where cleared_at is null and (not drill or exists (select from drill d where d.alarm_id = alarm.id and d.outputs and d.ended_at is null)) order by id`)
	return alarms, err
}
