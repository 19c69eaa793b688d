package events

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
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
func SaveSightings(ctx context.Context, s *store.Store, sightings []Sighting, uses []KeyUse,
	knocks []site.Knock) error {
	tx, err := s.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	for _, c := range sightings {
		if _, err := tx.NamedExec(ctx, `
			insert into device_contact (device_id, at, protocol, address, online_until, clock_behind, per_minute,
			    refused_at, refused)
			select id, :at, :protocol, :address, :online_until, :clock_behind, :per_minute, :refused_at, :refused
			    from device where id = :device_id
			on conflict (device_id) do update set at = excluded.at, protocol = excluded.protocol,
			    address = excluded.address, online_until = excluded.online_until,
			       clock_behind = coalesce(excluded.clock_behind, device_contact.clock_behind),
			           per_minute = excluded.per_minute,
			       refused_at = greatest(excluded.refused_at, device_contact.refused_at),
			       refused = case when excluded.refused_at > 0 then excluded.refused else device_contact.refused end`,
			c); err != nil {
			return err
		}
	}
	for _, u := range uses {
		if _, err := tx.Exec(ctx,
			`update device_key set last_used_at = $2, last_used_from = $3, last_used_by = $4 where id = $1
				and last_used_at < $2`, u.Key, u.At, u.From, u.By); err != nil {
			return err
		}
	}
	for _, k := range knocks {
		if _, err := tx.NamedExec(ctx,
			`insert into knock (at, protocol, address, name) values (:at, :protocol, :address, :name)`, k); err != nil {
			return err
		}
	}
	if len(knocks) > 0 {
		if _, err := tx.Exec(ctx,
			`delete from knock where at < (select at from knock order by at desc offset $1 limit 1)`,
			keptKnocks); err != nil {
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
func Knocks(ctx context.Context, db store.Reader, since measure.Instant, limit int) ([]site.Knock, error) {
	knocks := []site.Knock{}
	err := db.Select(ctx, &knocks,
		`select at, protocol, address, name from knock where at >= $1 order by at desc limit $2`, since, limit)
	return knocks, err
}
