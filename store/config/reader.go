package config

import (
	"context"
	"encoding/json"
	"errors"

	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// readerRow is a reader as it is stored.
type readerRow struct {
	ID      int64           `db:"id"`
	Name    string          `db:"name"`
	Devices []byte          `db:"devices"`
	Kinds   []byte          `db:"kinds"`
	Hash    []byte          `db:"hash"`
	MadeAt  measure.Instant `db:"made_at"`
	MadeBy  string          `db:"made_by"`

	URL      string          `db:"url"`
	Place    string          `db:"place"`
	DueAt    measure.Instant `db:"due_at"`
	Failures int             `db:"failures"`
	Said     string          `db:"said"`

	FailingSince *measure.Instant `db:"failing_since"`
}

// ReaderKey is a reader with the SHA-256 of its key.
type ReaderKey struct {
	Hash []byte // nil: it has none
	feed.Reader
	DueAt        measure.Instant  // of the next post
	Failures     int              // posts that were not taken since the last that was
	FailingSince *measure.Instant // of the first of these; nil: the newest was taken
}

const selectReader = `select id, name, to_jsonb(devices) as devices, to_jsonb(kinds) as kinds, hash, made_at, made_by,
	url, place, due_at, failures, said, failing_since from reader`

// Readers lists all readers by name.
func Readers(ctx context.Context, db store.Reader) ([]ReaderKey, error) {
	var rows []readerRow
	err := db.Select(ctx, &rows, selectReader+` order by name`)
	all := make([]ReaderKey, len(rows))
	for i := range rows {
		err = errors.Join(err, rows[i].into(&all[i]))
	}
	return all, err
}

// ReaderByKey gives the reader whose key has a hash.
func ReaderByKey(ctx context.Context, db store.Reader, hash []byte) (*feed.Reader, error) {
	var row readerRow
	var r ReaderKey
	if err := db.Get(ctx, &row, selectReader+` where hash = $1`, hash); err != nil {
		return nil, store.Found(err)
	}
	return &r.Reader, row.into(&r)
}

func (r *readerRow) into(k *ReaderKey) error {
	*k = ReaderKey{r.Hash, feed.Reader{ID: r.ID, Name: r.Name, URL: r.URL, Failing: r.Said, Keyed: r.Hash != nil,
		MadeAt: r.MadeAt, MadeBy: r.MadeBy}, r.DueAt, r.Failures, r.FailingSince}
	if r.URL != "" {
		k.Cursor = r.Place
	}
	return errors.Join(json.Unmarshal(r.Devices, &k.Devices), json.Unmarshal(r.Kinds, &k.Kinds))
}

// SaveReader stores a reader, new or not, and gives what it is then; its key stays, and how far it was told. One to
// which nothing was posted yet is told what comes after the commit.
func SaveReader(ctx context.Context, db store.Writer, r *feed.Reader, commitNo int64) error {
	return db.QueryRow(ctx, `
		insert into reader (name, devices, kinds, url, place, made_at, made_by) values ($1, $2, $3, $4, $5, $6, $7)
		on conflict (name) do update set devices = excluded.devices, kinds = excluded.kinds, url = excluded.url,
		    place = case when reader.url = '' then excluded.place else reader.place end,
		    due_at = 0, failures = 0, said = '', failing_since = null
		returning id, hash is not null, made_at, made_by, case when url = '' then '' else place end, said`, r.Name,
		r.Devices, r.Kinds, r.URL, feed.After(commitNo).String(), r.MadeAt, r.MadeBy).
		Scan(&r.ID, &r.Keyed, &r.MadeAt, &r.MadeBy, &r.Cursor, &r.Failing)
}

// ReadersDue gives the readers to which the feed is to be posted at an instant.
func ReadersDue(ctx context.Context, db store.Reader, now measure.Instant) ([]ReaderKey, error) {
	var rows []readerRow
	err := db.Select(ctx, &rows, selectReader+` where url <> '' and hash is not null and due_at <= $1 order by due_at, id`,
		now)
	all := make([]ReaderKey, len(rows))
	for i := range rows {
		err = errors.Join(err, rows[i].into(&all[i]))
	}
	return all, err
}

// ClaimReader lets one process alone post to a reader until an instant; it is false where another one does.
func ClaimReader(ctx context.Context, db store.Writer, r *ReaderKey, until measure.Instant) (mine bool, err error) {
	err = store.Found(db.Get(ctx, new(int64), `update reader set due_at = $3 where id = $1 and due_at = $2 returning id`,
		r.ID, r.DueAt, until))
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	r.DueAt = until
	return err == nil, err
}

// Posted notes up to where a reader has taken what was posted, unless it was set to another place meanwhile, and when
// the next post is due; said is why the newest one was not taken.
func Posted(ctx context.Context, db store.Writer, r *ReaderKey, place feed.Place, now, due measure.Instant,
	said string) error {
	_, err := db.Exec(ctx, `
		update reader set place = case when place = $2 then $3 else place end, due_at = $4, failures = $5, said = $6,
		    failing_since = case when $5 > 0 then coalesce(failing_since, $7) end
		where id = $1`, r.ID, r.Cursor, place.String(), due, r.Failures, said, now)
	return err
}

// RewindReader has the feed posted to a reader again from a place on.
func RewindReader(ctx context.Context, db store.Writer, name string, place feed.Place) error {
	return store.Found(db.Get(ctx, new(int64),
		`update reader set place = $2, due_at = 0, failures = 0, said = '',
		failing_since = null where name = $1 and url <> '' returning id`, name,
		place.String()))
}

// SetReaderKey gives a reader a key by its hash; the one before ends.
func SetReaderKey(ctx context.Context, db store.Writer, name string, hash []byte) error {
	return store.Found(db.Get(ctx, new(int64), `update reader set hash = $2 where name = $1 returning id`, name, hash))
}

// RemoveReader removes a reader with its key.
func RemoveReader(ctx context.Context, db store.Writer, name string) error {
	return store.Found(db.Get(ctx, new(int64), `delete from reader where name = $1 returning id`, name))
}
