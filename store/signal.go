package store

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

const selectSignal = `
	select s.id, d.name as device, d.title as device_title, s.name, s.title, s.quantity, s.kind, s.unit, s.span_low, s.span_high, s.step, s.bands, s.interval, s.keep_readings, s.keep_figures,
	       nullif(st.at, 0) as at, case when st.at > 0 then st.value end as value, w.text, st.quality, nullif(st.received_at, 0) as received_at,
	       nullif(st.silent_since, 0) as silent_since
	from signal s join device d on d.id = s.device_id join signal_state st on st.signal_id = s.id
	left join word w on s.kind in ('text', 'data') and st.at > 0 and w.id = st.value::bigint`

// titled fills in what people call the signal and its device.
func titled(signals []site.Signal) []site.Signal {
	for i := range signals {
		signals[i].DeviceTitle = site.Title(signals[i].DeviceTitle, signals[i].Device)
		signals[i].Title = site.Title(signals[i].Title, signals[i].Name)
	}
	return signals
}

// Signals lists all signals with their newest readings, by device and name.
func (s *Store) Signals(ctx context.Context) ([]site.Signal, error) {
	signals := []site.Signal{}
	err := s.db.SelectContext(ctx, &signals, selectSignal+` order by d.name, s.id`)
	return titled(signals), err
}

// Signal gives one signal.
func (s *Store) Signal(ctx context.Context, device, name string) (site.Signal, error) {
	signals := make([]site.Signal, 1)
	err := s.db.GetContext(ctx, &signals[0], selectSignal+` where d.name = $1 and s.name = $2`, device, name)
	return titled(signals)[0], found(err)
}

// AddSignal stores a new signal that has no reading.
func (t *Tx) AddSignal(ctx context.Context, device int64, v *site.Signal, commitNo int64, at measure.Instant) error {
	return t.GetContext(ctx, &v.ID, `
		with new as (insert into signal (device_id, name, title, kind, unit, created_at) values ($1, $2, $3, $4, $5, $6) returning id)
		insert into signal_state (signal_id, changed_in) select id, $7 from new returning signal_id`,
		device, v.Name, v.Title, v.Kind, v.Unit, at, commitNo)
}

// SaveSignal writes what can be said of a signal.
func (t *Tx) SaveSignal(ctx context.Context, v *site.Signal) error {
	_, err := t.NamedExecContext(ctx, `
		update signal set title = :title, quantity = :quantity, kind = :kind, unit = :unit, span_low = :span_low, span_high = :span_high, step = :step,
		       bands = :bands, interval = :interval, keep_readings = :keep_readings, keep_figures = :keep_figures
		where id = :id`, v)
	return err
}

// SignalState is what is newest of a signal.
type SignalState struct {
	Signal     int64           `db:"signal_id"`
	At         measure.Instant `db:"at"`
	Value      float64         `db:"value"`
	Quality    measure.Quality `db:"quality"`
	ReceivedAt measure.Instant `db:"received_at"`
	HeldAt     measure.Instant `db:"held_at"`
	Held       float64         `db:"held"`
	SteppedAt  measure.Instant `db:"stepped_at"`
	ArrivedAt  measure.Instant `db:"arrived_at"`   // of the newest reading
	SilentAt   measure.Instant `db:"silent_since"` // 0: it is not silent
}

// Lag is how old the newest reading was on arrival: how far the signal's own time is behind ours.
func (s *SignalState) Lag() measure.Instant { return max(0, s.ArrivedAt-s.At) }

// SignalRow is a signal as the pipeline knows it.
type SignalRow struct {
	site.Signal
	DeviceID int64 `db:"device_id"`
}

// SignalRows gives all signals with the raw titles and without readings.
func (t *Tx) SignalRows(ctx context.Context) (signals []SignalRow, err error) {
	err = t.SelectContext(ctx, &signals, `
		select s.id, s.device_id, d.name as device, d.title as device_title, s.name, s.title, s.quantity, s.kind, s.unit, s.span_low, s.span_high, s.step,
		       s.bands, s.interval, s.keep_readings, s.keep_figures
		from signal s join device d on d.id = s.device_id`)
	return signals, err
}

// SignalStates gives the states that commits after since have changed.
func (t *Tx) SignalStates(ctx context.Context, since int64) (states []SignalState, err error) {
	err = t.SelectContext(ctx, &states, `
		select signal_id, at, value, quality, received_at, held_at, held, stepped_at, arrived_at, silent_since from signal_state where changed_in > $1`, since)
	return states, err
}

// SaveSignalStates writes the states.
func (t *Tx) SaveSignalStates(ctx context.Context, states []SignalState, commitNo int64) error {
	if len(states) == 0 {
		return nil
	}
	n := len(states)
	ids, ats, values, qualities := make([]int64, n), make([]int64, n), make([]float64, n), make([]int16, n)
	received, heldAts, helds, stepped := make([]int64, n), make([]int64, n), make([]float64, n), make([]int64, n)
	arrived, silent := make([]int64, n), make([]int64, n)
	for i, s := range states {
		ids[i], ats[i], values[i], qualities[i] = s.Signal, int64(s.At), s.Value, int16(s.Quality)
		received[i], heldAts[i], helds[i], stepped[i] = int64(s.ReceivedAt), int64(s.HeldAt), s.Held, int64(s.SteppedAt)
		arrived[i], silent[i] = int64(s.ArrivedAt), int64(s.SilentAt)
	}
	_, err := t.ExecContext(ctx, `
		update signal_state st set changed_in = $1, at = n.at, value = n.value, quality = n.quality, received_at = n.received_at,
		       held_at = n.held_at, held = n.held, stepped_at = n.stepped_at, arrived_at = n.arrived_at, silent_since = n.silent_since
		from unnest($2::bigint[], $3::bigint[], $4::float8[], $5::smallint[], $6::bigint[], $7::bigint[], $8::float8[], $9::bigint[], $10::bigint[], $11::bigint[])
		     as n(id, at, value, quality, received_at, held_at, held, stepped_at, arrived_at, silent_since)
		where st.signal_id = n.id`, commitNo, ids, ats, values, qualities, received, heldAts, helds, stepped, arrived, silent)
	return err
}
