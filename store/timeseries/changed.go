package timeseries

import (
	"context"
	"time"

	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// NoteChanged writes down of which signals a commit has changed readings, and numbers what was changed since the commit
// before outside of any. The caller has taken the ledger.
func NoteChanged(ctx context.Context, db store.Writer, commitNo int64, now measure.Instant,
	stretches []feed.Stretch) error {
	var body []byte
	if len(stretches) > 0 {
		body = feed.Pack(stretches, now)
	}
	_, err := db.Exec(ctx, `
		with numbered as (update amended set commit_no = $1, at = $2 where commit_no is null)
		insert into changed (commit_no, at, body) select $1, $2, $3::bytea where $3::bytea is not null`, commitNo, now, body)
	return err
}

// NoteAmended notes for a signal, and for all that is derived from it, over any number of steps, that readings from from
// to until are others than they were, or are not there any more. The commit that this is part of numbers it, else the
// next one.
func NoteAmended(ctx context.Context, db store.Writer, signal int64, from, until measure.Instant) error {
	_, err := db.Exec(ctx, `
		with recursive `+touched+`
		insert into amended (signal_id, from_at, until_at) select $1::integer, $2::bigint, $3::bigint
		union all select id, $2::bigint, max(until_at) from touched group by id`, signal, from, until, endOfTime)
	return err
}

// Unnumbered tells whether something was changed that no commit has numbered yet.
func Unnumbered(ctx context.Context, db store.Reader) (some bool, err error) {
	err = db.Get(ctx, &some, `select exists (select from amended where commit_no is null)`)
	return some, err
}

// touched are the signals that are derived from signal $1, and up to where a change of it up to $3 reaches.
const touched = `touched(id, until_at) as (
	select i.derived_id, case when s.reach < 0 then $4::bigint else least($4::bigint, $3::bigint + s.reach) end
	from derived_input i join signal s on s.id = i.derived_id where i.input_id = $1
	union
	select i.derived_id, case when s.reach < 0 then $4::bigint else least($4::bigint, t.until_at + s.reach) end
	from touched t join derived_input i on i.input_id = t.id join signal s on s.id = i.derived_id)`

// How long what commits have changed is known, how long by the number of each, and how much becomes one after that.
const (
	KnownFor   = 7 * 24 * time.Hour
	knownEach  = time.Hour
	joinedSpan = 10 * time.Minute
)

// JoinChanged makes one row of each ten minutes of what commits have changed an hour ago and more, and forgets what is
// older than a week.
func JoinChanged(ctx context.Context, s *store.Store, now measure.Instant) error {
	if err := forgetChanged(ctx, s, now.Add(-KnownFor)); err != nil {
		return err
	}
	for {
		more, err := joinSpan(ctx, s, now.Add(-knownEach))
		if err != nil || !more {
			return err
		}
	}
}

// forgetChanged forgets what was changed before an instant.
func forgetChanged(ctx context.Context, s *store.Store, before measure.Instant) error {
	tx, err := s.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	_, err = tx.Exec(ctx, `
		with gone as (delete from changed where at < $1 returning commit_no),
		     also as (delete from amended where at < $1 returning commit_no)
		update ledger set forgotten_no = n.no from (select max(commit_no) as no from (select commit_no from gone
		    union all select commit_no from also) x) n where n.no > forgotten_no`, before)
	if err != nil {
		return err
	}
	return tx.Commit()
}

// joinSpan joins the rows of the oldest ten minutes of which there are several, before an instant.
func joinSpan(ctx context.Context, s *store.Store, before measure.Instant) (more bool, err error) {
	tx, err := s.Begin(ctx)
	if err != nil {
		return false, err
	}
	defer tx.Rollback()
	span := joinedSpan.Milliseconds()
	var rows []struct {
		No   int64           `db:"commit_no"`
		At   measure.Instant `db:"at"`
		Body []byte          `db:"body"`
	}
	err = tx.Select(ctx, &rows, `
		select commit_no, at, body from changed where at / $1 = (
			select at / $1 from changed where at / $1 < $2 / $1 group by at / $1 having count(*) > 1 order by at / $1 limit 1)
		order by commit_no for update`, span, before)
	if err != nil || len(rows) == 0 {
		return false, err
	}
	var all []feed.Stretch
	numbers := make([]int64, len(rows))
	for i, r := range rows {
		some, err := feed.Unpack(r.Body)
		if err != nil {
			return false, err
		}
		all, numbers[i] = append(all, some...), r.No
	}
	last := rows[len(rows)-1]
	body := feed.Pack(feed.Together(all), last.At)
	if _, err := tx.Exec(ctx, `delete from changed where commit_no = any($1::bigint[])`, numbers); err != nil {
		return false, err
	}
	if _, err := tx.Exec(ctx, `insert into changed (commit_no, at, body) values ($1, $2, $3)`, last.No, last.At,
		body); err != nil {
		return false, err
	}
	return true, tx.Commit()
}
