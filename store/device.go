package store

import (
	"context"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

const selectDevice = `
	select d.id, d.name, d.title, d.created_at, count(st.signal_id) as signals, nullif(max(st.received_at), 0) as heard_at
	from device d left join signal s on s.device_id = d.id left join signal_state st on st.signal_id = s.id`

// Devices lists all devices by name.
func (s *Store) Devices(ctx context.Context) ([]site.Device, error) {
	devices := []site.Device{}
	err := s.db.SelectContext(ctx, &devices, selectDevice+` group by d.id order by d.name`)
	return devices, err
}

// AddDevice stores a new device; ErrTaken when the name is in use.
func (t *Tx) AddDevice(ctx context.Context, d *site.Device) error {
	err := t.GetContext(ctx, &d.ID, `insert into device (name, title, created_at) values ($1, $2, $3) returning id`, d.Name, d.Title, d.CreatedAt)
	if taken(err) {
		return fmt.Errorf("%s %w", d.Name, ErrTaken)
	}
	return err
}

// AddKey gives a device a key, by its hash.
func (t *Tx) AddKey(ctx context.Context, device int64, hash []byte, at measure.Instant) error {
	_, err := t.ExecContext(ctx, `insert into device_key (hash, device_id, created_at) values ($1, $2, $3)`, hash, device, at)
	return err
}

// Key is a device's key, by its hash.
type Key struct {
	Hash   []byte `db:"hash"`
	Device int64  `db:"device_id"`
}

// KnowsKey tells whether a device has the key with this hash.
func (s *Store) KnowsKey(ctx context.Context, hash []byte) (known bool, err error) {
	err = s.db.GetContext(ctx, &known, `select exists (select from device_key where hash = $1)`, hash)
	return known, err
}

// Keys gives all keys.
func (t *Tx) Keys(ctx context.Context) (keys []Key, err error) {
	err = t.SelectContext(ctx, &keys, `select hash, device_id from device_key`)
	return keys, err
}

// Devices gives all devices without their counts.
func (t *Tx) Devices(ctx context.Context) (devices []site.Device, err error) {
	err = t.SelectContext(ctx, &devices, `select id, name, title, created_at from device`)
	return devices, err
}
