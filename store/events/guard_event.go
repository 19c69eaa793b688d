package events

import (
	"context"
	"encoding/json"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// GuardEvent is one thing that happened to a guard besides readings. Readings of its signal up to SignalStepped came
// before it, later ones after it.
type GuardEvent struct {
	Guard         int64
	Event         alarm.Event
	SignalStepped measure.Instant
	Version       *alarm.Guard // of a guard that began or was changed
}

// AddGuardEvents writes events down, in order.
func AddGuardEvents(ctx context.Context, db store.Writer, events []GuardEvent) error {
	if len(events) == 0 {
		return nil
	}
	n := len(events)
	ids, kinds, ats, values, sides, offs, stepped, sinces := make([]int64, n), make([]int16, n), make([]int64, n),
		make([]float64, n), make([]int16, n), make([]int16, n), make([]int64, n), make([]int64, n)
	versions := make([]*string, n)
	for i, e := range events {
		ids[i], kinds[i], ats[i], values[i], sides[i], offs[i] = e.Guard, int16(e.Event.Kind), int64(e.Event.At),
			e.Event.Value, int16(e.Event.Side), int16(e.Event.Off)
		stepped[i], sinces[i] = int64(e.SignalStepped), int64(e.Event.Since)
		if e.Version != nil {
			text, err := json.Marshal(e.Version)
			if err != nil {
				return err
			}
			version := string(text)
			versions[i] = &version
		}
	}
	_, err := db.Exec(ctx, `
		insert into guard_event (guard_id, kind, at, value, side, off, signal_stepped, version, since)
		select n.guard, n.kind, n.at, n.value, n.side, n.off, n.stepped, n.version::jsonb, n.since
		from unnest($1::bigint[], $2::smallint[], $3::bigint[], $4::float8[], $5::smallint[], $6::smallint[],
		    $7::bigint[], $8::text[], $9::bigint[])
		     with ordinality as n(guard, kind, at, value, side, off, stepped, version, since, place)
		where exists (select from guard g where g.id = n.guard) order by place`, ids, kinds, ats, values, sides, offs,
		stepped, versions, sinces)
	return err
}

// GuardEvents gives what happened to a guard, in the order in which it happened.
func GuardEvents(ctx context.Context, db store.Reader, guard int64) ([]GuardEvent, error) {
	var rows []struct {
		Kind    alarm.EventKind `db:"kind"`
		At      measure.Instant `db:"at"`
		Value   float64         `db:"value"`
		Side    alarm.Side      `db:"side"`
		Off     alarm.Off       `db:"off"`
		Stepped measure.Instant `db:"signal_stepped"`
		Version []byte          `db:"version"`
		Since   measure.Instant `db:"since"`
	}
	if err := db.Select(ctx, &rows,
		`select kind, at, value, side, off, signal_stepped, version, since from guard_event where guard_id = $1
			order by id`, guard); err != nil {
		return nil, err
	}
	events := make([]GuardEvent, len(rows))
	for i, r := range rows {
		events[i] = GuardEvent{Guard: guard, Event: alarm.Event{Kind: r.Kind, At: r.At, Value: r.Value, Side: r.Side,
			Off: r.Off, Since: r.Since}, SignalStepped: r.Stepped}
		if r.Version != nil {
			events[i].Version = &alarm.Guard{}
			if err := json.Unmarshal(r.Version, events[i].Version); err != nil {
				return nil, err
			}
		}
	}
	return events, nil
}

// LateStretch is where late readings of a signal came that its guards did not step.
type LateStretch struct {
	Signal  int64           `db:"signal_id"`
	From    measure.Instant `db:"from_at"`
	Until   measure.Instant `db:"until_at"`
	NotedAt measure.Instant `db:"noted_at"`
}

// NoteLate notes a stretch, joined with what was noted of the signal before.
func NoteLate(ctx context.Context, db store.Writer, s LateStretch) error {
	_, err := db.Exec(ctx, `
		insert into late_stretch as l (signal_id, from_at, until_at, noted_at) values ($1, $2, $3, $4)
		on conflict (signal_id) do update set from_at = least(l.from_at, $2), until_at = greatest(l.until_at, $3),
		    noted_at = $4`, s.Signal, s.From, s.Until, s.NotedAt)
	return err
}

// LateStretches gives the stretches to which nothing was added since an instant.
func LateStretches(ctx context.Context, db store.Reader, since measure.Instant) (stretches []LateStretch, err error) {
	err = db.Select(ctx, &stretches,
		`select signal_id, from_at, until_at, noted_at from late_stretch where noted_at <= $1 order by noted_at
			limit 100`, since)
	return stretches, err
}

// TakeLate takes a stretch off the list; false when something was added to it meanwhile, or another process took it.
func TakeLate(ctx context.Context, db store.Writer, s LateStretch) (taken bool, err error) {
	result, err := db.Exec(ctx, `delete from late_stretch where signal_id = $1 and noted_at = $2`, s.Signal, s.NotedAt)
	if err != nil {
		return false, err
	}
	n, err := result.RowsAffected()
	return n > 0, err
}

// AlarmsWithin gives the alarms of a guard that stood at some instant of a stretch.
func AlarmsWithin(ctx context.Context, db store.Reader, guard string, from,
	until measure.Instant) ([]alarm.Alarm, error) {
	alarms := []alarm.Alarm{}
	err := db.Select(ctx, &alarms, selectAlarm+
		` where guard = $1 and not drill and alarm.raised_at <= $3 and coalesce(cleared_at, $3) >= $2
			order by alarm.raised_at`, guard, from, until)
	return alarms, err
}
