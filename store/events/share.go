package events

import (
	"context"
	"time"

	"jauntylark/store"
)

// TakeShare gives this holder a share of the devices at an outside broker for so long, by the
// database's clock, when nobody else has it, and tells whether it has it.
func TakeShare(ctx context.Context, db store.Writer, share int, holder string,
	long time.Duration) (has bool, err error) {
	err = db.Get(ctx, &has, `
		with clock as (select `+store.ClockOfDatabase+` as now),
		mine as (
			insert into broker_share as b (share, holder, until) select $1, $2, now + $3 from clock
			on conflict (share) do update set holder = excluded.holder, until = excluded.until
			where b.holder = excluded.holder or b.until < (select now from clock) returning 1)
		select exists (select from mine)`, share, holder, long.Milliseconds())
	return has, err
}

// Holders tells how many holders besides this one have a share.
func Holders(ctx context.Context, db store.Reader, holder string) (others int, err error) {
	err = db.Get(ctx, &others, `
		select count(distinct holder) from broker_share where holder <> $1 and until >= `+store.ClockOfDatabase, holder)
	return others, err
}

// GiveShare gives a share back.
func GiveShare(ctx context.Context, db store.Writer, share int, holder string) error {
	_, err := db.Exec(ctx, `update broker_share set until = 0 where share = $1 and holder = $2`, share, holder)
	return err
}

// UID is what tells this site from others at an outside broker.
func UID(ctx context.Context, db store.Reader) (uid string, err error) {
	err = db.Get(ctx, &uid, `select uid::text from way_in`)
	return uid, err
}
