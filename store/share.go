package store

import (
	"context"
	"time"
)

// TakeShare gives this holder a share of the devices at an outside broker for so long, by the
// database's clock, when nobody else has it, and tells whether it has it.
func (s *Store) TakeShare(ctx context.Context, share int, holder string, long time.Duration) (has bool, err error) {
	err = s.db.GetContext(ctx, &has, `
		with clock as (select `+clockOfDatabase+` as now),
		mine as (
			insert into broker_share as b (share, holder, until) select $1, $2, now + $3 from clock
			on conflict (share) do update set holder = excluded.holder, until = excluded.until
			where b.holder = excluded.holder or b.until < (select now from clock) returning 1)
		select exists (select from mine)`, share, holder, long.Milliseconds())
	return has, err
}

// Holders tells how many holders besides this one have a share.
func (s *Store) Holders(ctx context.Context, holder string) (others int, err error) {
	err = s.db.GetContext(ctx, &others, `
		select count(distinct holder) from broker_share where holder <> $1 and until >= `+clockOfDatabase, holder)
	return others, err
}

// GiveShare gives a share back.
func (s *Store) GiveShare(ctx context.Context, share int, holder string) error {
	_, err := s.db.ExecContext(ctx, `update broker_share set until = 0 where share = $1 and holder = $2`, share, holder)
	return err
}

// UID is what tells this site from others at an outside broker.
func (s *Store) UID(ctx context.Context) (uid string, err error) {
	err = s.db.GetContext(ctx, &uid, `select uid::text from way_in`)
	return uid, err
}
