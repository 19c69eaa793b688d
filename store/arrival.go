package store

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

const selectArrival = `select id, name, state, former, first_at, last_at, protocol, address, readings, dropped from arrival`

// Arrivals lists the arrivals, newest first.
func (s *Store) Arrivals(ctx context.Context) ([]site.Arrival, error) {
	arrivals := []site.Arrival{}
	err := s.db.SelectContext(ctx, &arrivals, selectArrival+` order by first_at desc, id desc`)
	return arrivals, err
}

// Arrival gives the arrival of a name.
func (t *Tx) Arrival(ctx context.Context, name string) (a site.Arrival, err error) {
	err = t.GetContext(ctx, &a, selectArrival+` where name = $1`, name)
	return a, found(err)
}

// CountArrivals tells how many arrivals there are.
func (t *Tx) CountArrivals(ctx context.Context) (n int, err error) {
	err = t.GetContext(ctx, &n, `select count(*) from arrival`)
	return n, err
}

// SaveArrival stores an arrival, new when its ID is 0.
func (t *Tx) SaveArrival(ctx context.Context, a *site.Arrival) error {
	if a.ID == 0 {
		return t.GetContext(ctx, &a.ID, `
			insert into arrival (name, state, former, first_at, last_at, protocol, address) values ($1, $2, $3, $4, $5, $6, $7) returning id`,
			a.Name, a.State, a.Former, a.FirstAt, a.LastAt, a.Protocol, a.Address)
	}
	_, err := t.NamedExecContext(ctx, `
		update arrival set state = :state, former = :former, last_at = :last_at, protocol = :protocol, address = :address, readings = :readings, dropped = :dropped
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
func (t *Tx) AddArrivalPack(ctx context.Context, p ArrivalPack) error {
	_, err := t.ExecContext(ctx, `insert into arrival_pack (arrival_id, arrived, readings, samples, frame) values ($1, $2, $3, $4, nullif($5, '')::jsonb)`, p.Arrival, p.Arrived, p.Readings, string(p.Samples), string(p.Frame))
	return err
}

// DropOldestPacks drops the oldest packs of an arrival until at most keep readings are left, and
// tells how many it has dropped.
func (t *Tx) DropOldestPacks(ctx context.Context, arrival int64, keep int) (dropped int, err error) {
	err = t.GetContext(ctx, &dropped, `
		with old as (select id, readings, sum(readings) over (order by id desc) as upto from arrival_pack where arrival_id = $1),
		gone as (delete from arrival_pack where id in (select id from old where upto > $2) returning readings)
		select coalesce(sum(readings), 0) from gone`, arrival, keep)
	return dropped, err
}

// ArrivalPacks gives what is kept of an arrival, oldest first.
func (t *Tx) ArrivalPacks(ctx context.Context, arrival int64) (packs []ArrivalPack, err error) {
	err = t.SelectContext(ctx, &packs, `select id, arrival_id, arrived, readings, samples, frame from arrival_pack where arrival_id = $1 order by id`, arrival)
	return packs, err
}

// NewestArrivalPacks gives the newest few packs of an arrival, newest first.
func (s *Store) NewestArrivalPacks(ctx context.Context, arrival int64, limit int) (packs []ArrivalPack, err error) {
	err = s.db.SelectContext(ctx, &packs, `select id, arrival_id, arrived, readings, samples from arrival_pack where arrival_id = $1 order by id desc limit $2`, arrival, limit)
	return packs, err
}

// RemoveArrival removes an arrival with what is kept of it.
func (t *Tx) RemoveArrival(ctx context.Context, id int64) error {
	_, err := t.ExecContext(ctx, `delete from arrival where id = $1`, id)
	return err
}

// ForgetArrivalPacks drops what is kept of an arrival.
func (t *Tx) ForgetArrivalPacks(ctx context.Context, id int64) error {
	_, err := t.ExecContext(ctx, `delete from arrival_pack where arrival_id = $1`, id)
	return err
}
