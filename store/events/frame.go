package events

import (
	"context"

	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/storage"
	"jauntylark/store"
)

// AddFrame stores a frame, unless there is one of that instant.
func AddFrame(ctx context.Context, db store.Writer, f *frame.Frame) error {
	_, err := db.Exec(ctx,
		`insert into frame (device_id, at, low, high, doubtful, body, picture) values ($1, $2, $3, $4, $5, $6, $7)
			on conflict do nothing`,
		f.Device, f.At, f.Low, f.High, f.Doubtful, f.Body, f.Picture)
	return err
}

const frameColumns = `device_id, at, low, high, doubtful, picture is not null as pictured, octet_length(body) as size`

// Frames lists the frames of a device in a stretch, in order of time and without their bodies: so many at most, the
// first of each of as many equal parts. It tells how many there are.
func Frames(ctx context.Context, db store.Reader, device int64, from, until measure.Instant,
	most int) (frames []frame.Frame, all int, err error) {
	if err = db.Get(ctx, &all, `select count(*) from frame where device_id = $1 and at between $2 and $3`, device, from,
		until); err != nil {
		return nil, 0, err
	}
	frames = []frame.Frame{}
	if all <= most {
		err = db.Select(ctx, &frames, `select `+frameColumns+
			` from frame where device_id = $1 and at between $2 and $3 order by at`, device, from, until)
		return frames, all, err
	}
	err = db.Select(ctx, &frames, `
		with part as (select min(at) as at, max(at) as last
		    from (select at, ntile($4) over (order by at) as n from frame where device_id = $1 and at between $2
		    and $3) p group by n),
		     newest as (select max(last) as at from part)
		select `+frameColumns+` from frame where device_id = $1
			and at in (select at from part union select at from newest) order by at`, device, from, until, most-1)
	return frames, all, err
}

// Frame gives the frame of a device that lies nearest to an instant, with its body; ErrNotFound when there is none at
// all.
func Frame(ctx context.Context, db store.Reader, device int64, at measure.Instant) (f frame.Frame, err error) {
	err = db.Get(ctx, &f, `
		with near as ((select at from frame where device_id = $1 and at <= $2 order by at desc limit 1)
		    union all (select at from frame where device_id = $1 and at > $2 order by at limit 1))
		select `+frameColumns+`, body from frame where device_id = $1
			and at = (select at from near order by abs(at - $2) limit 1)`, device, at)
	return f, store.Found(err)
}

// FramePicture gives the visible-light picture of the frame of an instant; ErrNotFound.
func FramePicture(ctx context.Context, db store.Reader, device int64, at measure.Instant) (body []byte, err error) {
	err = db.Get(ctx, &body, `select picture from frame where device_id = $1 and at = $2 and picture is not null`,
		device, at)
	return body, store.Found(err)
}

// NewestFrames gives the newest frames of a device before an instant, with their bodies, newest first, so many at most.
func NewestFrames(ctx context.Context, db store.Reader, device int64, before measure.Instant,
	most int) (frames []frame.Frame, err error) {
	err = db.Select(ctx, &frames, `select `+frameColumns+
		`, body from frame where device_id = $1 and at < $2 order by at desc limit $3`, device, before, most)
	return frames, err
}

// FrameTimes gives the instants of a device's frames before one, in order.
func FrameTimes(ctx context.Context, db store.Reader, device int64,
	before measure.Instant) (at []measure.Instant, err error) {
	err = db.Select(ctx, &at, `select at from frame where device_id = $1 and at < $2 order by at`, device, before)
	return at, err
}

// AlarmMoments gives when alarms of a device's signals were raised and over, before an instant, in order.
func AlarmMoments(ctx context.Context, db store.Reader, device string,
	before measure.Instant) (at []measure.Instant, err error) {
	err = db.Select(ctx, &at, `
		select at from (select raised_at as at from alarm where starts_with(signal, $1 || '/') union select cleared_at
		    from alarm where starts_with(signal, $1 || '/') and cleared_at is not null) m
		where at < $2 order by at`, device, before)
	return at, err
}

// DropFrames lets frames of a device go.
func DropFrames(ctx context.Context, db store.Writer, device int64, at []measure.Instant) error {
	_, err := db.Exec(ctx, `delete from frame where device_id = $1 and at = any($2)`, device, at)
	return err
}

// FrameFootprints tells what the frames of each device take up.
func FrameFootprints(ctx context.Context, db store.Reader, now measure.Instant) ([]storage.FramesKept, error) {
	all := []storage.FramesKept{}
	err := db.Select(ctx, &all, `
		select d.name as device, d.id as device_id, count(*) as count,
		    sum(octet_length(f.body) + coalesce(octet_length(f.picture), 0) + 60) as bytes, min(f.at) as first,
		    max(f.at) as last,
		       count(*) filter (where f.at > $1::bigint - 604800000) / greatest(1.0,
		           least(7, ($1::bigint - min(f.at)) / 86400000.0)) as per_day
		from frame f join device d on d.id = f.device_id group by d.id, d.name order by bytes desc`, now)
	return all, err
}
