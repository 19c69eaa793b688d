package events

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/storage"
	"jauntylark/store"
)

// pruneStep is how many records of a kind go in one transaction.
const pruneStep = 500

// PruneAlarms lets go of some alarms that were over before an instant, with what explains them: their notices,
// attempts, journal entries and drills. It tells whether there may be more.
func PruneAlarms(ctx context.Context, s *store.Store, before measure.Instant) (more bool, err error) {
	tx, err := s.Begin(ctx)
	if err != nil {
		return false, err
	}
	defer tx.Rollback()
	var ids []int64
	err = tx.Select(ctx, &ids, `
		select id from alarm a where cleared_at < $1 and not exists (select from escalation where alarm_id = a.id)
		and not exists (select from output_state where alarm_id = a.id)
		    and not exists (select from notice where alarm_id = a.id and state in ('waiting', 'held'))
		order by cleared_at limit $2 for update skip locked`, before, pruneStep)
	if err != nil || len(ids) == 0 {
		return false, err
	}
	for _, of := range []string{"notice", "journal", "drill"} {
		if _, err := tx.Exec(ctx, `delete from `+of+` where alarm_id = any($1)`, ids); err != nil {
			return false, err
		}
	}
	if _, err := tx.Exec(ctx, `delete from alarm where id = any($1)`, ids); err != nil {
		return false, err
	}
	return len(ids) == pruneStep, tx.Commit()
}

// PruneEvents lets go of some of what happened to guards before an instant. What a replay from then on begins with
// stays: the newest version of each guard by then, and all since.
func PruneEvents(ctx context.Context, s *store.Store, before measure.Instant) (more bool, err error) {
	return pruned(ctx, s, `
		delete from guard_event where id in (select e.id from guard_event e where e.at < $1
			and e.id < (select max(v.id) from guard_event v where v.guard_id = e.guard_id and v.version is not null
			    and v.at < $1) limit $2)`, before)
}

// PruneJournal lets go of some entries, and of some notices, that are about no alarm and older than an instant.
func PruneJournal(ctx context.Context, s *store.Store, before measure.Instant) (more bool, err error) {
	for _, statement := range []string{
		`delete from journal where id in (select id from journal where alarm_id is null and learned_at < $1 limit $2)`,
		`delete from notice where id in (select id from notice where alarm_id is null and created_at < $1
			and state not in ('waiting', 'held') limit $2)`,
	} {
		some, err := pruned(ctx, s, statement, before)
		if err != nil {
			return false, err
		}
		more = more || some
	}
	return more, nil
}

// PruneAnswers lets go of some answers to idempotency keys that are older than an instant.
func PruneAnswers(ctx context.Context, s *store.Store, before measure.Instant) (more bool, err error) {
	return pruned(ctx, s, `delete from idempotency where ctid in (select ctid from idempotency where at < $1 limit $2)`,
		before)
}

func pruned(ctx context.Context, db store.Writer, statement string, before measure.Instant) (more bool, err error) {
	gone, err := db.Exec(ctx, statement, before, pruneStep)
	if err != nil {
		return false, err
	}
	n, err := gone.RowsAffected()
	return n == pruneStep, err
}

// AllRecords tells what records that are not readings take up, the largest first.
func AllRecords(ctx context.Context, db store.Reader) (all []storage.Records, err error) {
	err = db.Select(ctx, &all, `
		select what, greatest(coalesce((select n_live_tup from pg_stat_user_tables u where u.relid = c.oid), 0),
		    0)::bigint as rows, pg_total_relation_size(c.oid) as bytes
		from (values ('alarms', 'alarm'), ('journal entries', 'journal'), ('notices', 'notice'),
		    ('attempts at notices', 'delivery'), ('guard events', 'guard_event'),
		    ('idempotency keys', 'idempotency')) as k (what, name)
		join pg_class c on c.oid = ('public.' || k.name)::regclass order by bytes desc`)
	return all, err
}
