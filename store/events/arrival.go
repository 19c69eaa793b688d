package events

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

const selectArrival = `select id, name, state, former, first_at, last_at, protocol, address, readings, dropped
	from arrival`

// Arrivals lists the arrivals, newest first.
func Arrivals(ctx context.Context, db store.Reader) ([]site.Arrival, error) {
	arrivals := []site.Arrival{}
	err := db.Select(ctx, &arrivals, selectArrival+` order by first_at desc, id desc`)
	return arrivals, err
}

// Arrival gives the arrival of a name.
func Arrival(ctx context.Context, db store.Reader, name string) (a site.Arrival, err error) {
	err = db.Get(ctx, &a, selectArrival+` where name = $1`, name)
	return a, store.Found(err)
}

// CountArrivals tells how many arrivals there are.
func CountArrivals(ctx context.Context, db store.Reader) (n int, err error) {
	err = db.Get(ctx, &n, `select count(*) from arrival`)
	return n, err
}

// SaveArrival stores an arrival, new when its ID is 0.
func SaveArrival(ctx context.Context, tx *store.Tx, a *site.Arrival) error {
	if a.ID == 0 {
		return tx.Get(ctx, &a.ID, `
			insert into arrival (name, state, former, first_at, last_at, protocol, address)
			    values ($1, $2, $3, $4, $5, $6, $7) returning id`,
			a.Name, a.State, a.Former, a.FirstAt, a.LastAt, a.Protocol, a.Address)
	}
	_, err := tx.NamedExec(ctx, `
		update arrival set state = :state, former = :former, last_at = :last_at, protocol = :protocol,
		    address = :address, readings = :readings, dropped = :dropped
		where id = :id`, a)
	return err
}

// ArrivalPack is what an arrival has sent at once.
type ArrivalPack struct {
	ID       int64           `db:"id"`
	Arrival  int64           `db:"arrival_id"`
	Arrived  measure.Instant `db:"arrived"`
	Readings int             `db:"readings"`
	Samples  []byte          `db:"samples"` // JSON
	Frame    []byte          `db:"frame"`   // JSON; nil: it has none
}

// AddArrivalPack keeps what an arrival has sent.
func AddArrivalPack(ctx context.Context, db store.Writer, p ArrivalPack) error {
	_, err := db.Exec(ctx,
		`insert into arrival_pack (arrival_id, arrived, readings, samples, frame)
			values ($1, $2, $3, $4, nullif($5, '')::jsonb)`, p.Arrival, p.Arrived, p.Readings, string(p.Samples),
		string(p.Frame))
	return err
}

// DropOldestPacks drops the oldest packs of an arrival until at most keep readings are left, and
// tells how many it has dropped.
func DropOldestPacks(ctx context.Context, db store.Writer, arrival int64, keep int) (dropped int, err error) {
	err = db.Get(ctx, &dropped, `
		with old as (select id, readings, sum(readings) over (order by id desc) as upto from arrival_pack
		    where arrival_id = $1),
		gone as (delete from arrival_pack where id in (select id from old where upto > $2) returning readings)
		select coalesce(sum(readings), 0) from gone`, arrival, keep)
	return dropped, err
}

// ArrivalPacks gives what is kept of an arrival, oldest first.
func ArrivalPacks(ctx context.Context, db store.Reader, arrival int64) (packs []ArrivalPack, err error) {
	err = db.Select(ctx, &packs,
		`select id, arrival_id, arrived, readings, samples, frame from arrival_pack where arrival_id = $1 order by id`,
		arrival)
	return packs, err
}

// NewestArrivalPacks gives the newest few packs of an arrival, newest first.
func NewestArrivalPacks(ctx context.Context, db store.Reader, arrival int64,
	limit int) (packs []ArrivalPack, err error) {
	err = db.Select(ctx, &packs,
		`select id, arrival_id, arrived, readings, samples from arrival_pack where arrival_id = $1 order by id desc
			limit $2`, arrival, limit)
	return packs, err
}

// RemoveArrival removes an arrival with what is kept of it.
func RemoveArrival(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from arrival where id = $1`, id)
	return err
}

// ForgetArrivalPacks drops what is kept of an arrival.
func ForgetArrivalPacks(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from arrival_pack where arrival_id = $1`, id)
	return err
}
