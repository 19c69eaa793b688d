package config

import (
	"context"
	"fmt"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/site"
	"jauntylark/store"
)

const selectSignal = `
	select s.id, d.name as device, d.title as device_title, s.name, s.title, s.quantity, s.kind, s.unit, s.span_low,
	    s.span_high, s.fails_to, s.step, s.warm_up, s.warm_gap, s.stuck_after, s.fault_after, s.made_of, s.helper,
	    s.faults,
	       s.bands, s.interval, s.keep_readings, s.keep_figures, exists (select from calibration c
	           where c.signal_id = s.id and c.retired_at is null) as calibrated,
	       nullif(st.at, 0) as at, case when st.at > 0 then st.value end as value, w.text, st.quality,
	           nullif(st.received_at, 0) as received_at,
	       nullif(st.silent_since, 0) as silent_since, run.ran_from, run.ran_until, coalesce(run.ran_on, '') as ran_on,
	           coalesce(run.ran_times, 0) as ran_times
	from signal s join device d on d.id = s.device_id join signal_state st on st.signal_id = s.id
	left join switch_run run on run.signal_id = s.id
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
func Signals(ctx context.Context, db store.Reader) ([]site.Signal, error) {
	signals := []site.Signal{}
	err := db.Select(ctx, &signals, selectSignal+` order by d.name, s.id`)
	return titled(signals), err
}

// SignalsSince gives the signals that commits after since have changed.
func SignalsSince(ctx context.Context, db store.Reader, since int64) ([]site.Signal, error) {
	signals := []site.Signal{}
	err := db.Select(ctx, &signals, selectSignal+` where st.changed_in > $1 order by s.id`, since)
	return titled(signals), err
}

// Signal gives one signal.
func Signal(ctx context.Context, db store.Reader, device, name string) (site.Signal, error) {
	signals := make([]site.Signal, 1)
	err := db.Get(ctx, &signals[0], selectSignal+` where d.name = $1 and s.name = $2`, device, name)
	return titled(signals)[0], store.Found(err)
}

// AddSignal stores a new signal that has no reading.
func AddSignal(ctx context.Context, db store.Writer, device int64, v *site.Signal, commitNo int64,
	at measure.Instant) error {
	return db.Get(ctx, &v.ID, `
		with new as (insert into signal (device_id, name, title, kind, unit, created_at, helper)
		    values ($1, $2, $3, $4, $5, $6, $8) returning id)
		insert into signal_state (signal_id, changed_in) select id, $7 from new returning signal_id`,
		device, v.Name, v.Title, v.Kind, v.Unit, at, commitNo, v.Helper)
}

// SaveSignal writes what can be said of a signal.
func SaveSignal(ctx context.Context, tx *store.Tx, v *site.Signal) error {
	_, err := tx.NamedExec(ctx, `
		update signal set title = :title, quantity = :quantity, kind = :kind, unit = :unit, span_low = :span_low,
		    span_high = :span_high, fails_to = :fails_to, step = :step,
		       warm_up = :warm_up, warm_gap = :warm_gap, stuck_after = :stuck_after, fault_after = :fault_after,
		           faults = :faults, bands = :bands, interval = :interval, keep_readings = :keep_readings,
		           keep_figures = :keep_figures
		where id = :id`, v)
	return err
}

// SignalState is what is newest of a signal.
type SignalState struct {
	Signal     int64           `db:"signal_id"`
	At         measure.Instant `db:"at"`
	Value      float64         `db:"value"` // corrected
	Raw        float64         `db:"raw"`
	Quality    measure.Quality `db:"quality"`
	ReceivedAt measure.Instant `db:"received_at"`
	HeldAt     measure.Instant `db:"held_at"`
	Held       float64         `db:"held"` // corrected
	HeldRaw    float64         `db:"held_raw"`
	SteppedAt  measure.Instant `db:"stepped_at"`
	ArrivedAt  measure.Instant `db:"arrived_at"`   // of the newest reading
	SilentAt   measure.Instant `db:"silent_since"` // 0: it is not silent
	BeyondAt   measure.Instant `db:"beyond_at"`    // newest reading beyond the span that guards may look at
	BeyondRaw  float64         `db:"beyond_raw"`
	FaultAlarm *int64          `db:"fault_alarm_id"`
	// how far its own time is known to lie ahead of ours; negative: our clock was set forward by so much since its newest reading
	Ahead     measure.Instant `db:"ahead"`
	LagBefore measure.Instant `db:"lag_before"` // how old its readings were on arrival before they were ahead
	// its newest stored reading; newer than At where its own time was taken back
	HighestAt measure.Instant `db:"highest_at"`
	// of a derived signal: the newest commit that changed what it was computed from
	TouchedIn int64 `db:"touched_in"`
	// and the commit in which the machine was made that gave the newest value
	MadeIn int64 `db:"made_in"`
	quality.State
}

// ClockSlack is what two clocks may differ by, in milliseconds, and still count as the same.
const ClockSlack measure.Instant = 1000

// Lag is how old the newest reading was on arrival: how far the signal's own time is behind ours; negative where it is
// ahead by more than the slack.
func (s *SignalState) Lag() measure.Instant {
	lag := s.ArrivedAt - s.At
	if s.At == 0 || lag < 0 && lag >= -ClockSlack {
		return 0
	}
	return lag
}

// Newest is the newest instant that is stored.
func (s *SignalState) Newest() measure.Instant { return max(s.At, s.HighestAt) }

// SignalRow is a signal as the pipeline knows it.
type SignalRow struct {
	site.Signal
	DeviceID int64 `db:"device_id"`
}

// SignalRows gives all signals, or those of some devices, with the raw titles and without readings.
func SignalRows(ctx context.Context, db store.Reader, devices ...int64) (signals []SignalRow, err error) {
	query, args := of(devices, `
		select s.id, s.device_id, d.name as device, d.title as device_title, s.name, s.title, s.quantity, s.kind,
		    s.unit, s.span_low, s.span_high, s.fails_to, s.step,
		       s.warm_up, s.warm_gap, s.stuck_after, s.fault_after, s.made_of, s.helper, s.faults, s.bands, s.interval,
		           s.keep_readings, s.keep_figures
		from signal s join device d on d.id = s.device_id where true`, "s.device_id = any($devices)")
	err = db.Select(ctx, &signals, query, args...)
	return signals, err
}

// SignalStates gives the states that commits after since have changed, or all of some devices.
func SignalStates(ctx context.Context, db store.Reader, since int64,
	devices ...int64) (states []SignalState, err error) {
	query, args := statesOf(devices, since, `select `+strings.Join(signalStateColumns, ", ")+` from signal_state where`,
		ofSignals)
	err = db.Select(ctx, &states, query, args...)
	return states, err
}

var signalStateColumns = []string{"signal_id", "at", "value", "raw", "quality", "received_at", "held_at", "held",
	"held_raw", "stepped_at", "arrived_at", "silent_since",
	"beyond_at", "beyond_raw", "fault_alarm_id", "judged_at", "judged_raw", "same_since", "warm_from", "fault_since",
	"touched_in", "made_in", "ahead", "lag_before", "highest_at"}

// SaveSignalStates writes the states.
func SaveSignalStates(ctx context.Context, db store.Writer, states []SignalState, commitNo int64) error {
	if len(states) == 0 {
		return nil
	}
	n := len(states)
	numbers := func(of func(s *SignalState) int64) []int64 {
		list := make([]int64, n)
		for i := range states {
			list[i] = of(&states[i])
		}
		return list
	}
	values := func(of func(s *SignalState) float64) []float64 {
		list := make([]float64, n)
		for i := range states {
			list[i] = of(&states[i])
		}
		return list
	}
	alarms := make([]*int64, n)
	for i := range states {
		alarms[i] = states[i].FaultAlarm
	}
	_, err := db.Exec(ctx, saveSignalStates, commitNo,
		numbers(func(s *SignalState) int64 { return s.Signal }),
		numbers(func(s *SignalState) int64 { return int64(s.At) }),
		values(func(s *SignalState) float64 { return s.Value }), values(func(s *SignalState) float64 { return s.Raw }),
		numbers(func(s *SignalState) int64 { return int64(s.Quality) }),
		numbers(func(s *SignalState) int64 { return int64(s.ReceivedAt) }),
		numbers(func(s *SignalState) int64 { return int64(s.HeldAt) }),
		values(func(s *SignalState) float64 { return s.Held }),
		values(func(s *SignalState) float64 { return s.HeldRaw }),
		numbers(func(s *SignalState) int64 { return int64(s.SteppedAt) }),
		numbers(func(s *SignalState) int64 { return int64(s.ArrivedAt) }),
		numbers(func(s *SignalState) int64 { return int64(s.SilentAt) }),
		numbers(func(s *SignalState) int64 { return int64(s.BeyondAt) }),
		values(func(s *SignalState) float64 { return s.BeyondRaw }), alarms,
		numbers(func(s *SignalState) int64 { return int64(s.State.At) }),
		values(func(s *SignalState) float64 { return s.State.Raw }),
		numbers(func(s *SignalState) int64 { return int64(s.State.SameSince) }),
		numbers(func(s *SignalState) int64 { return int64(s.State.WarmFrom) }),
		numbers(func(s *SignalState) int64 { return int64(s.State.FaultSince) }),
		numbers(func(s *SignalState) int64 { return s.TouchedIn }),
		numbers(func(s *SignalState) int64 { return s.MadeIn }),
		numbers(func(s *SignalState) int64 { return int64(s.Ahead) }),
		numbers(func(s *SignalState) int64 { return int64(s.LagBefore) }),
		numbers(func(s *SignalState) int64 { return int64(max(s.HighestAt, s.At)) }))
	return err
}

// saveSignalStates takes the columns in the order of signalStateColumns, as lists.
var saveSignalStates = func() string {
	types := map[string]string{"value": "float8", "raw": "float8", "held": "float8", "held_raw": "float8",
		"beyond_raw": "float8", "judged_raw": "float8"}
	var sets, lists []string
	for i, column := range signalStateColumns {
		kind := types[column]
		if kind == "" {
			kind = "bigint"
		}
		lists = append(lists, fmt.Sprintf("$%d::%s[]", i+2, kind))
		if i > 0 {
			sets = append(sets, column+" = n."+column)
		}
	}
	return "update signal_state st set changed_in = $1, " + strings.Join(sets, ", ") +
		" from unnest(" + strings.Join(lists, ", ") + ") as n(" + strings.Join(signalStateColumns, ", ") +
		") where st.signal_id = n.signal_id"
}()
