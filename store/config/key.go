package config

import (
	"context"
	"database/sql"
	"errors"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// Key is a device's key as the ways in know it.
type Key struct {
	ID        int64            `db:"id"`
	Hash      []byte           `db:"hash"`
	Device    int64            `db:"device_id"`
	Name      string           `db:"name"` // of the device
	Number    int              `db:"number"`
	Sealed    []byte           `db:"sealed"`
	ExpiresAt *measure.Instant `db:"expires_at"`
	UntilUsed *int64           `db:"until_used"`
}

const selectKey = `select k.id, k.hash, k.device_id, d.name, k.number, k.sealed, k.expires_at, k.until_used
	from device_key k join device d on d.id = k.device_id`

// Keys gives all keys, or those of some devices.
func Keys(ctx context.Context, db store.Reader, devices ...int64) (keys []Key, err error) {
	query, args := of(devices, selectKey+` where true`, "k.device_id = any($devices)")
	err = db.Select(ctx, &keys, query, args...)
	return keys, err
}

// AddKey gives a device a further key and tells its ID and number.
func AddKey(ctx context.Context, db store.Writer, device int64, hash, sealed []byte,
	at measure.Instant) (id int64, number int, err error) {
	err = db.QueryRow(ctx, `
		insert into device_key (hash, device_id, number, sealed, created_at)
		values ($1, $2, (select coalesce(max(number), 0) + 1 from device_key where device_id = $2), $3, $4)
		    returning id, number`, hash, device, sealed, at).Scan(&id, &number)
	return id, number, err
}

// EndKeys lets all keys of a device but one end: at an instant, or when that one is first used.
func EndKeys(ctx context.Context, db store.Writer, device, but int64, at *measure.Instant) error {
	_, err := db.Exec(ctx, `
		update device_key set expires_at = least(expires_at, $3), until_used = case when $3::bigint is null then $2 end
		    where device_id = $1 and id <> $2`, device, but, at)
	return err
}

// RemoveKey takes a key away; ErrNotFound when the device has none of that ID.
func RemoveKey(ctx context.Context, db store.Writer, device, id int64) error {
	result, err := db.Exec(ctx, `delete from device_key where device_id = $1 and id = $2`, device, id)
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, store.ErrNotFound)
	}
	return nil
}

// RetireKeys takes away the keys that the first use of key used ends.
func RetireKeys(ctx context.Context, db store.Writer, used int64) error {
	_, err := db.Exec(ctx, `delete from device_key where until_used = $1`, used)
	return err
}

// DeviceKeys lists the keys of a device, oldest first.
func DeviceKeys(ctx context.Context, db store.Reader, device int64, name string) ([]site.Key, error) {
	keys := []site.Key{}
	err := db.Select(ctx, &keys, `
		select id, number, created_at, expires_at, until_used is not null as until_used,
		    nullif(last_used_at, 0) as last_used_at, last_used_from, last_used_by
		from device_key where device_id = $1 order by number`, device)
	for i := range keys {
		keys[i].Identity = site.Identity(name, keys[i].Number)
	}
	return keys, err
}

// FormerKey is a key of a device that was removed.
type FormerKey struct {
	Hash   []byte `db:"hash"`
	Name   string `db:"name"`
	Sealed []byte `db:"sealed"`
}

// FormerKeys gives the keys of deleted devices.
func FormerKeys(ctx context.Context, db store.Reader) (keys []FormerKey, err error) {
	err = db.Select(ctx, &keys, `select hash, name, sealed from former_key`)
	return keys, err
}

// TakeFormerKeys gives the former keys of a name back to a device.
func TakeFormerKeys(ctx context.Context, db store.Writer, name string, device int64,
	at measure.Instant) (taken int64, err error) {
	result, err := db.Exec(ctx, `
		with gone as (delete from former_key where name = $1 returning hash, sealed)
		insert into device_key (hash, device_id, number, sealed, created_at)
		select hash, $2, row_number() over (order by hash), sealed, $3 from gone`, name, device, at)
	if err != nil {
		return 0, err
	}
	return result.RowsAffected()
}

// Enrolment is the site's enrolment key: nothing when there is none.
type Enrolment struct {
	Hash   []byte `db:"enrolment_hash"`
	Sealed []byte `db:"enrolment_sealed"`
}

// Enrolment gives the site's enrolment key.
func ReadEnrolment(ctx context.Context, db store.Reader) (e Enrolment, err error) {
	err = db.Get(ctx, &e, `select enrolment_hash, enrolment_sealed from site`)
	return e, err
}

// SetEnrolment changes the site's enrolment key; nothing ends enrolment.
func SetEnrolment(ctx context.Context, tx *store.Tx, e Enrolment) error {
	_, err := tx.NamedExec(ctx,
		`update site set enrolment_hash = :enrolment_hash, enrolment_sealed = :enrolment_sealed`, e)
	return err
}

// KeyKind tells what the key with a hash is: "key", "former", "enrolment", or "" for nothing.
func KeyKind(ctx context.Context, db store.Reader, hash []byte) (kind string, err error) {
	err = db.Get(ctx, &kind, `
		select 'key' from device_key where hash = $1 union all select 'former' from former_key where hash = $1
		union all select 'enrolment' from site where enrolment_hash = $1 limit 1`, hash)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return kind, err
}

// ForgetFormerKeys forgets the keys of a device that was removed and is back.
func ForgetFormerKeys(ctx context.Context, db store.Writer, device string) error {
	_, err := db.Exec(ctx, `delete from former_key where name = $1`, device)
	return err
}
