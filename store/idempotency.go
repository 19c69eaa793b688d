package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"jauntylark/core/measure"
)

// OutcomeOf gives what was answered when the sender last used the key, nil when it has not within a
// day.
func OutcomeOf(ctx context.Context, db Reader, sender, key string, now measure.Instant) (outcome []byte, err error) {
	err = db.Get(ctx, &outcome, `select outcome from idempotency where sender = $1 and key = $2 and at > $3`, sender,
		key, now.Add(-24*time.Hour))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return outcome, err
}

// KeepOutcome keeps what is answered to the key, and forgets a few of those older than a day.
func KeepOutcome(ctx context.Context, db Writer, sender, key string, outcome []byte, now measure.Instant) error {
	_, err := db.Exec(ctx, `
		with old as (delete from idempotency where ctid in (select ctid from idempotency where at <= $5 limit 10))
		insert into idempotency (sender, key, at, outcome) values ($1, $2, $3, $4)
		on conflict (sender, key) do update set at = excluded.at, outcome = excluded.outcome`, sender, key, now,
		string(outcome), now.Add(-24*time.Hour))
	return err
}

// BeginOutcome notes that what a key stands for is being done, where it has not come within a day; what was kept of it
// before, nil for nothing.
func BeginOutcome(ctx context.Context, db Writer, sender, key string, outcome []byte,
	now measure.Instant) (before []byte, err error) {
	for {
		result, err := db.Exec(ctx, `
			insert into idempotency (sender, key, at, outcome) values ($1, $2, $3, $4)
			on conflict (sender, key) do update set at = excluded.at, outcome = excluded.outcome
			    where idempotency.at <= $5`, sender, key, now, string(outcome), now.Add(-24*time.Hour))
		if err != nil {
			return nil, err
		}
		if n, err := result.RowsAffected(); err != nil || n > 0 {
			return nil, err
		}
		if before, err = OutcomeOf(ctx, db, sender, key, now); err != nil || before != nil {
			return before, err
		} // it was forgotten meanwhile
	}
}

// ForgetOutcome drops what was answered to a key, so that it can be used anew.
func ForgetOutcome(ctx context.Context, db Writer, sender, key string) error {
	_, err := db.Exec(ctx, `delete from idempotency where sender = $1 and key = $2`, sender, key)
	return err
}
