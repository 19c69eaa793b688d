package config

import (
	"context"
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/store"
)

const selectInterlock = `

	select i.id, i.name, od.name || '/' || o.name as output, i.alarm, coalesce(sd.name || '/' || s.name, '') as signal,
	    i.when_text, i.deadband, i.on_delay, i.off_delay,
	       i.bands, i.hours, i.formula, i.inputs, i.set_to, i.safety, i.latch, i.made_at, ` + interlockMemory + `
	from interlock i join output o on o.id = i.output_id join device od on od.id = o.device_id
	    join interlock_state st on st.interlock_id = i.id
	left join signal s on s.id = i.signal_id left join device sd on sd.id = s.device_id`

const interlockMemory = `st.asks, st.asks_for, st.since, st.latched, st.waits, st.blind, st.why, st.band`

// Interlocks lists all interlocks, or those that drive outputs of some devices, by name.
func Interlocks(ctx context.Context, db store.Reader, devices ...int64) ([]drive.Interlock, error) {
	locks := []drive.Interlock{}
	query, args := of(devices, selectInterlock+` where true`, "o.device_id = any($devices)")
	err := db.Select(ctx, &locks, query+` order by i.name`, args...)
	return locks, err
}

// Interlock gives one interlock; ErrNotFound.
func Interlock(ctx context.Context, db store.Reader, name string) (drive.Interlock, error) {
	var i drive.Interlock
	err := db.Get(ctx, &i, selectInterlock+` where i.name = $1`, name)
	return i, store.Found(err)
}

// SaveInterlock stores an interlock of an output, new when its ID is 0; ErrTaken when the name is in use. signal is
// that of its condition or bands; 0: none.
func SaveInterlock(ctx context.Context, db store.Writer, i *drive.Interlock, output, signal int64) error {
	var of *int64
	if signal != 0 {
		of = &signal
	}
	if i.ID == 0 {
		err := db.Get(ctx, &i.ID, `insert into interlock (output_id, name, made_at) values ($1, $2, $3) returning id`,
			output, i.Name, i.MadeAt)
		if store.Taken(err) {
			return fmt.Errorf("%s %w", i.Name, store.ErrTaken)
		}
		if err != nil {
			return err
		}
	}
	_, err := db.Exec(ctx, `
		update interlock set output_id = $2, alarm = $3, signal_id = $4, when_text = $5, deadband = $6, on_delay = $7,
		    off_delay = $8, bands = $9, hours = $10, formula = $11,
		       inputs = $12, set_to = $13, safety = $14, latch = $15, made_at = $16
		where id = $1`, i.ID, output, i.Alarm, of, i.When, i.Deadband, i.OnDelay, i.OffDelay, i.Bands, i.Hours,
		i.Formula, i.Of, i.Set, i.Safety, i.Latch, i.MadeAt)
	return err
}

// RemoveInterlock removes an interlock.
func RemoveInterlock(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from interlock where id = $1`, id)
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

// InterlockStates gives the states that commits after since have changed, or all that drive outputs of some devices.
func InterlockStates(ctx context.Context, db store.Reader, since int64,
	devices ...int64) (states []InterlockState, err error) {
	query, args := statesOf(devices, since, `select st.interlock_id, st.condition, st.begun_at, st.due_at, `+
		interlockMemory+` from interlock_state st where`, `interlock_id in (select id from interlock where `+ofOutputs+
		`)`)
	err = db.Select(ctx, &states, query, args...)
	return states, err
}

// SaveInterlockState writes what an interlock remembers, new or not.
func SaveInterlockState(ctx context.Context, db store.Writer, s InterlockState, commitNo int64) error {
	_, err := db.Exec(ctx, `
		insert into interlock_state (interlock_id, changed_in, condition, begun_at, due_at, asks, asks_for, since,
		    latched, waits, blind, why, band)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
		on conflict (interlock_id) do update set changed_in = excluded.changed_in, condition = excluded.condition,
		    begun_at = excluded.begun_at, due_at = excluded.due_at, asks = excluded.asks,
		     asks_for = excluded.asks_for, since = excluded.since, latched = excluded.latched, waits = excluded.waits,
		         blind = excluded.blind, why = excluded.why, band = excluded.band`,
		s.Interlock, commitNo, s.Condition, s.BegunAt, s.DueAt, s.Asks, s.Memory.Value, s.Since, s.Latched, s.Waits,
		s.Blind, s.Why, s.Band)
	return err
}

// DueInterlocks gives the interlocks that must be looked at by an instant.
func DueInterlocks(ctx context.Context, db store.Reader, at measure.Instant) (ids []int64, err error) {
	err = db.Select(ctx, &ids,
		`select interlock_id from interlock_state where due_at <= $1 order by due_at, interlock_id`, at)
	return ids, err
}
