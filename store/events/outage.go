package events

import (
	"context"
	"time"

	"jauntylark/core/measure"
	"jauntylark/store"
)

// Outage is the last stretch in which no process of the service was up.
type Outage struct {
	From  measure.Instant `db:"down_from"`
	Until measure.Instant `db:"up_since"`
	Told  bool            `db:"blind_told"`
}

// Outage gives the last stretch in which no process of the service was up.
func LastOutage(ctx context.Context, db store.Reader) (o Outage, err error) {
	err = db.Get(ctx, &o, `select down_from, up_since, blind_told from way_in`)
	return o, err
}

// OutageTold notes that people were told of the last outage.
func OutageTold(ctx context.Context, db store.Writer) error {
	_, err := db.Exec(ctx, `update way_in set blind_told = true`)
	return err
}

// OutageUntold tells whether people are still to be told of an outage.
func OutageUntold(ctx context.Context, db store.Reader) (untold bool, err error) {
	err = db.Get(ctx, &untold, `select not blind_told from way_in`)
	return untold, err
}

// Moment is what the service's clock showed, and the sum of the leaps that it had taken by then, in milliseconds: what
// was moved since is added by the database. A process that has made no commit knows no sum: nil.
type Moment struct {
	At    measure.Instant
	Leapt *int64
}

// Beat notes that the ways in are up at now, and gives what the database's clock shows. A pause longer
// than gap milliseconds means that they were down. One that comes late, after that of another process, changes nothing.
func Beat(ctx context.Context, db store.Writer, now Moment, gap int64) (clock measure.Instant, err error) {
	err = db.Get(ctx, &clock, `
		update way_in set up_since = case when now - beat_at > $2 then now else up_since end,
		       down_from = case when now - beat_at > $3 and beat_at > 0 then beat_at else down_from end,
		       blind_told = blind_told and not (now - beat_at > $3 and beat_at > 0), beat_at = greatest(beat_at, now)
		from (select $1 + leapt - coalesce($4::bigint, leapt) as now from ledger) as l returning `+
		store.ClockOfDatabase, now.At, gap, BlindFrom.Milliseconds(), now.Leapt)
	return clock, err
}

// BlindFrom is how long an outage must be for people to hear of it.
const BlindFrom = time.Minute

// LastBeat tells when it was last noted that the ways in are up, 0 for never, and whether another process of the
// service is connected now.
func LastBeat(ctx context.Context, db store.Reader) (at measure.Instant, others bool, err error) {
	var row struct {
		At     measure.Instant `db:"beat_at"`
		Others bool            `db:"others"`
	}
	err = db.Get(ctx, &row, `
		select beat_at, exists (select from pg_stat_activity where datname = current_database()
		    and usename = current_user
		                        and application_name like $1 || '%'
		                            and application_name <> current_setting('application_name')) as others from way_in`,
		store.ServiceName)
	return row.At, row.Others, err
}

// NoteReturn notes that the ways in are up again, however short they were down.
func NoteReturn(ctx context.Context, db store.Writer, now measure.Instant) error {
	_, err := db.Exec(ctx, `
		update way_in set up_since = $1, down_from = case when $1 - beat_at > $2 then beat_at else down_from end,
		       blind_told = blind_told and $1 - beat_at <= $2, beat_at = $1`, now, BlindFrom.Milliseconds())
	return err
}

// UpSince tells since when the ways in have been up.
func UpSince(ctx context.Context, db store.Reader) (at measure.Instant, err error) {
	err = db.Get(ctx, &at, `select up_since from way_in`)
	return at, err
}
