package config

import (
	"context"

	"jauntylark/core/frame"
	"jauntylark/store"
)

// DeviceEye is the eye of a device.
type DeviceEye struct {
	Device int64     `db:"device_id"`
	Eye    frame.Eye `db:"eye"`
}

// Eyes gives the eyes of all devices that have one, or of some.
func Eyes(ctx context.Context, db store.Reader, devices ...int64) (eyes []DeviceEye, err error) {
	query, args := of(devices, `select device_id, eye from eye where true`, "device_id = any($devices)")
	err = db.Select(ctx, &eyes, query, args...)
	return eyes, err
}

// EyeOf gives the eye of a device; ErrNotFound when it has none.
func EyeOf(ctx context.Context, db store.Reader, device string) (e DeviceEye, err error) {
	err = db.Get(ctx, &e, `select e.device_id, e.eye from eye e join device d on d.id = e.device_id where d.name = $1`,
		device)
	return e, store.Found(err)
}

// SaveEye stores how the frames of a device are read.
func SaveEye(ctx context.Context, db store.Writer, device int64, e *frame.Eye) error {
	_, err := db.Exec(ctx,
		`insert into eye (device_id, eye) values ($1, $2) on conflict (device_id) do update set eye = excluded.eye`,
		device, *e)
	return err
}
