package config

import (
	"context"

	"jauntylark/core/calibrate"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/store"
)

const selectCalibration = `select id, from_at, method, pairs, curve, note, who, made_at,
	retired_at is not null as retired from calibration`

// Calibrations lists a signal's calibrations, the newest made first, those that were taken back too.
func Calibrations(ctx context.Context, db store.Reader, signal int64) ([]calibrate.Calibration, error) {
	list := []calibrate.Calibration{}
	err := db.Select(ctx, &list, selectCalibration+` where signal_id = $1 order by id desc`, signal)
	return list, err
}

// SignalCalibration is a calibration with the signal that it is of.
type SignalCalibration struct {
	Signal int64 `db:"signal_id"`
	calibrate.Calibration
}

const selectCalibrations = `select signal_id, id, from_at, method, pairs, curve, note, who, made_at, false as retired
	from calibration where retired_at is null`

// AllCalibrations gives the calibrations of all signals, or of those of some devices, that are in force at some time.
func AllCalibrations(ctx context.Context, db store.Reader, devices ...int64) (all []SignalCalibration, err error) {
	query, args := of(devices, selectCalibrations, ofSignals)
	err = db.Select(ctx, &all, query, args...)
	return all, err
}

// CalibrationsOf is AllCalibrations of some signals.
func CalibrationsOf(ctx context.Context, db store.Reader, signals []int64) (all []SignalCalibration, err error) {
	err = db.Select(ctx, &all, selectCalibrations+` and signal_id = any($1)`, signals)
	return all, err
}

// AddCalibration stores a calibration.
func AddCalibration(ctx context.Context, db store.Writer, signal int64, c *calibrate.Calibration) error {
	return db.Get(ctx, &c.ID, `
		insert into calibration (signal_id, from_at, method, pairs, curve, note, who, made_at)
		    values ($1, $2, $3, $4, $5, $6, $7, $8) returning id`,
		signal, c.From, c.Method, c.Pairs, c.Curve, c.Note, c.Who, c.MadeAt)
}

// RetireCalibration takes a calibration back.
func RetireCalibration(ctx context.Context, db store.Writer, id int64, now measure.Instant) error {
	_, err := db.Exec(ctx, `update calibration set retired_at = $2 where id = $1`, id, now)
	return err
}

// UnretireCalibration puts a calibration of a signal in force again that was taken back at since or later; ErrNotFound.
func UnretireCalibration(ctx context.Context, db store.Writer, signal, id int64,
	since measure.Instant) (c calibrate.Calibration, err error) {
	err = store.Found(db.Get(ctx, &c, `
		update calibration set retired_at = null where signal_id = $1 and id = $2 and retired_at >= $3
		returning id, from_at, method, pairs, curve, note, who, made_at, false as retired`, signal, id, since))
	return c, err
}

// MarkCorrected marks the alarms of a signal, and of all that is derived from it, that stood in a stretch which
// was corrected, and tells how many.
func MarkCorrected(ctx context.Context, db store.Writer, signal int64, from, until, now measure.Instant,
	commitNo int64) (n int, err error) {
	err = db.Get(ctx, &n, `
		with recursive touched(id) as (select $1::bigint union select i.derived_id from derived_input i
		    join touched t on t.id = i.input_id),
		marked as (
		    update alarm set corrected_at = $4, changed_in = $5 where kind = 'guard' and raised_at <= $3
		        and coalesce(cleared_at, $3) >= $2
		    and signal in (select d.name || '/' || s.name from touched t join signal s on s.id = t.id
		        join device d on d.id = s.device_id) returning id)
		select count(*) from marked`, signal, from, until, now, commitNo)
	return n, err
}

// Verifications lists a signal's verifications, newest first.
func Verifications(ctx context.Context, db store.Reader, signal int64) ([]calibrate.Verification, error) {
	list := []calibrate.Verification{}
	err := db.Select(ctx, &list, `
		select id, at, shown, reference, tolerance, error, passed, unit, note, who from verification
		    where signal_id = $1 order by at desc, id desc`, signal)
	return list, err
}

// NewestVerifications gives the newest verification of each of some signals that has one, the latest first.
func NewestVerifications(ctx context.Context, db store.Reader, signals []string) ([]calibrate.Verified, error) {
	list := []calibrate.Verified{}
	err := db.Select(ctx, &list, `
		select * from (
		    select distinct on (v.signal_id) d.name || '/' || s.name as signal, v.id, v.at, v.shown, v.reference,
		        v.tolerance, v.error, v.passed, v.unit, v.note, v.who
		    from verification v join signal s on s.id = v.signal_id join device d on d.id = s.device_id
		    where d.name || '/' || s.name = any($1) order by v.signal_id, v.at desc, v.id desc) newest
		order by at desc`, signals)
	return list, err
}

// AddVerification stores a verification.
func AddVerification(ctx context.Context, db store.Writer, signal int64, v *calibrate.Verification) error {
	return db.Get(ctx, &v.ID, `
		insert into verification (signal_id, at, shown, reference, tolerance, error, passed, unit, note, who)
		    values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) returning id`,
		signal, v.At, v.Shown, v.Reference, v.Tolerance, v.Error, v.Passed, v.Unit, v.Note, v.Who)
}

// Duty is a signal that is to be verified now and then.
type Duty struct {
	Signal int64           `db:"id"`
	Every  calibrate.Every `db:"verify_every"`
	Last   measure.Instant `db:"last_at"` // when it last was, or when it was said that it is to be
	Alarm  *int64          `db:"due_alarm_id"`
}

// Duties gives the signals that are to be verified now and then, and those whose alarm about it stands.
func Duties(ctx context.Context, db store.Reader) (all []Duty, err error) {
	err = db.Select(ctx, &all, `
		select s.id, s.verify_every, greatest(s.verify_from,
		    coalesce((select max(at) from verification where signal_id = s.id), 0)) as last_at, s.due_alarm_id
		from signal s where s.verify_every <> '' or s.due_alarm_id is not null order by s.id`)
	return all, err
}

// SetVerifyEvery says how often a signal is to be verified.
func SetVerifyEvery(ctx context.Context, db store.Writer, signal int64, every calibrate.Every,
	now measure.Instant) error {
	_, err := db.Exec(ctx, `update signal set verify_every = $2, verify_from = $3 where id = $1`, signal, every, now)
	return err
}

// SetDueAlarm notes which alarm of a verification that is due stands.
func SetDueAlarm(ctx context.Context, db store.Writer, signal int64, alarm *int64) error {
	_, err := db.Exec(ctx, `update signal set due_alarm_id = $2 where id = $1`, signal, alarm)
	return err
}

// DueAlarm gives the standing alarm of a verification that is due; nil for none.
func DueAlarm(ctx context.Context, db store.Reader, signal int64) (alarm *int64, err error) {
	err = db.Get(ctx, &alarm, `select due_alarm_id from signal where id = $1`, signal)
	return alarm, err
}

// Duty tells how often a signal is to be verified, and when it last was.
func DutyOf(ctx context.Context, db store.Reader, signal int64) (d Duty, err error) {
	err = db.Get(ctx, &d, `
		select s.id, s.verify_every, greatest(s.verify_from,
		    coalesce((select max(at) from verification where signal_id = s.id), 0)) as last_at, s.due_alarm_id
		from signal s where s.id = $1`, signal)
	return d, store.Found(err)
}

// SilenceOf is for how long a signal's value holds: its silence limit in milliseconds, or a day.
func SilenceOf(ctx context.Context, db store.Reader, signal int64) (measure.Instant, error) {
	var interval measure.Duration
	err := db.Get(ctx, &interval, `select interval_of($1)`, signal)
	return derive.Hold(interval), err
}
