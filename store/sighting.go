package store

import (
	"context"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Sighting is what was last seen of a device.
type Sighting struct {
	Device      int64           `db:"device_id"`
	At          measure.Instant `db:"at"`
	Protocol    string          `db:"protocol"`
	Address     string          `db:"address"`
	OnlineUntil measure.Instant `db:"online_until"` // it holds a connection, as far as is known until then
	ClockBehind *int64          `db:"clock_behind"` // milliseconds
	PerMinute   float64         `db:"per_minute"`
	RefusedAt   measure.Instant `db:"refused_at"`
	Refused     string          `db:"refused"`
}

// SaveSightings writes what was seen of devices, and when keys were used. Devices and keys that are
// gone are passed over.
func (s *Store) SaveSightings(ctx context.Context, sightings []Sighting, uses []KeyUse, knocks []site.Knock) error {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	for _, c := range sightings {
		if _, err := tx.NamedExecContext(ctx, `
			insert into device_contact (device_id, at, protocol, address, online_until, clock_behind, per_minute, refused_at, refused)
			select id, :at, :protocol, :address, :online_until, :clock_behind, :per_minute, :refused_at, :refused from device where id = :device_id
			on conflict (device_id) do update set at = excluded.at, protocol = excluded.protocol, address = excluded.address, online_until = excluded.online_until,
			       clock_behind = coalesce(excluded.clock_behind, device_contact.clock_behind), per_minute = excluded.per_minute,
			       refused_at = greatest(excluded.refused_at, device_contact.refused_at),
			       refused = case when excluded.refused_at > 0 then excluded.refused else device_contact.refused end`, c); err != nil {
			return err
		}
	}
	for _, u := range uses {
		if _, err := tx.ExecContext(ctx, `update device_key set last_used_at = $2, last_used_from = $3, last_used_by = $4 where id = $1 and last_used_at < $2`, u.Key, u.At, u.From, u.By); err != nil {
			return err
		}
	}
	for _, k := range knocks {
		if _, err := tx.NamedExecContext(ctx, `insert into knock (at, protocol, address, name) values (:at, :protocol, :address, :name)`, k); err != nil {
			return err
		}
	}
	if len(knocks) > 0 {
		if _, err := tx.ExecContext(ctx, `delete from knock where at < (select at from knock order by at desc offset $1 limit 1)`, keptKnocks); err != nil {
			return err
		}
	}
	return tx.Commit()
}

const keptKnocks = 200

// KeyUse is one use of a device's key.
type KeyUse struct {
	Key  int64
	At   measure.Instant
	From string
	By   string
}

// Knocks gives the tries with unknown keys since an instant, newest first.
func (s *Store) Knocks(ctx context.Context, since measure.Instant, limit int) ([]site.Knock, error) {
	knocks := []site.Knock{}
	err := s.db.SelectContext(ctx, &knocks, `select at, protocol, address, name from knock where at >= $1 order by at desc limit $2`, since, limit)
	return knocks, err
}

// Moment is what the service's clock showed, and the sum of the leaps that it had taken by then, in milliseconds: what was moved since
// is added by the database. A process that has made no commit knows no sum: nil.
type Moment struct {
	At    measure.Instant
	Leapt *int64
}

// Beat notes that the ways in are up at now, and gives what the database's clock shows. A pause longer
// than gap milliseconds means that they were down. One that comes late, after that of another process, changes nothing.
func (s *Store) Beat(ctx context.Context, now Moment, gap int64) (clock measure.Instant, err error) {
	err = s.db.GetContext(ctx, &clock, `
		update way_in set up_since = case when now - beat_at > $2 then now else up_since end,
		       down_from = case when now - beat_at > $3 and beat_at > 0 then beat_at else down_from end,
		       blind_told = blind_told and not (now - beat_at > $3 and beat_at > 0), beat_at = greatest(beat_at, now)
		from (select $1 + leapt - coalesce($4::bigint, leapt) as now from ledger) as l returning `+clockOfDatabase, now.At, gap, BlindFrom.Milliseconds(), now.Leapt)
	return clock, err
}

// BlindFrom is how long an outage must be for people to hear of it.
const BlindFrom = time.Minute

// LastBeat tells when it was last noted that the ways in are up, 0 for never, and whether another process of the service is
// connected now.
func (t *Tx) LastBeat(ctx context.Context) (at measure.Instant, others bool, err error) {
	var row struct {
		At     measure.Instant `db:"beat_at"`
		Others bool            `db:"others"`
	}
	err = t.GetContext(ctx, &row, `
		select beat_at, exists (select from pg_stat_activity where datname = current_database() and usename = current_user
		                        and application_name like $1 || '%' and application_name <> current_setting('application_name')) as others from way_in`, service)
	return row.At, row.Others, err
}

// NoteReturn notes that the ways in are up again, however short they were down.
func (t *Tx) NoteReturn(ctx context.Context, now measure.Instant) error {
	_, err := t.ExecContext(ctx, `
		update way_in set up_since = $1, down_from = case when $1 - beat_at > $2 then beat_at else down_from end,
		       blind_told = blind_told and $1 - beat_at <= $2, beat_at = $1`, now, BlindFrom.Milliseconds())
	return err
}

// UpSince tells since when the ways in have been up.
func (t *Tx) UpSince(ctx context.Context) (at measure.Instant, err error) {
	err = t.GetContext(ctx, &at, `select up_since from way_in`)
	return at, err
}
