package archive

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/timeseries"
)

// Removed is something that was removed, as it stands in the database.
type Removed struct {
	ID int64 `db:"id"`
	site.Removal
	Body []byte `db:"body"`
}

// keptRow is a row that was taken away.
type keptRow struct {
	Table string          `json:"table"`
	Row   json.RawMessage `json:"row"`
}

// keptLink is a column of rows that stayed, which pointed at a row that was taken away.
type keptLink struct {
	Table  string  `json:"table"`
	Column string  `json:"column"`
	IDs    []int64 `json:"ids"`
	To     int64   `json:"to"`
}

type keptBody struct {
	Rows  []keptRow  `json:"rows"`
	Links []keptLink `json:"links"`
}

// anew are the tables that are not put back: what stands in them begins anew, or is nobody's any more.
var anew = []string{"guard_state", "escalation", "recompute", "late_stretch", "token"}

// alarmsOf are the columns of what is put back that speak of alarms, which have ended with the removal.
var alarmsOf = map[string][]string{"signal_state": {"fault_alarm_id", "verify_alarm_id"}, "roster": {"alarm_id"},
	"output_state": {"alarm_id"}, "device_state": {"alarm_id", "clock_alarm_id"}}

// KeepRemoved keeps what is about to be removed, the rows of a table whose column holds a value, with all that goes
// with them.
func KeepRemoved(ctx context.Context, tx *store.Tx, r site.Removal, table, column string, is any) error {
	links, err := references(ctx, tx)
	if err != nil {
		return err
	}
	w := keeping{t: tx, links: links, seen: map[string]bool{}}
	if err := w.rows(ctx, table, column+` = $1`, is); err != nil {
		return err
	}
	if len(w.body.Rows) == 0 {
		return nil // whoever removes it says that it is not there
	}
	slices.SortStableFunc(w.body.Rows, func(a, b keptRow) int { return w.rank(a.Table) - w.rank(b.Table) })
	body, err := json.Marshal(w.body)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		insert into removed (kind, name, title, removed_at, removed_by, body, signals, devices)
		    values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		r.Kind, r.Name, r.Title, r.At, r.By, string(body), w.of("signal"), w.of("device"))
	return err
}

// reference is a foreign key: a column of a table points at another one.
type reference struct {
	Table    string `db:"child"`
	Column   string `db:"col"`
	Parent   string `db:"parent"`
	OnDelete string `db:"on_delete"` // c: it goes with it; n: it points at nothing then
}

func references(ctx context.Context, db store.Reader) (all []reference, err error) {
	err = db.Select(ctx, &all, `
		select c.conrelid::regclass::text as child, a.attname as col, c.confrelid::regclass::text as parent,
		    c.confdeltype as on_delete
		from pg_constraint c join pg_attribute a on a.attrelid = c.conrelid and a.attnum = c.conkey[1]
		where c.contype = 'f' and c.confdeltype in ('c', 'n') and c.connamespace = 'public'::regnamespace order by 1, 2`)
	return all, err
}

// keeping gathers rows.
type keeping struct {
	t     *store.Tx
	links []reference
	seen  map[string]bool
	body  keptBody
	ids   map[string][]int64
}

// rank is how many tables a row of a table may have to wait for, one after the other.
func (w *keeping) rank(table string) (rank int) {
	for _, l := range w.links {
		if l.Table == table && l.Parent != table {
			rank = max(rank, 1+w.rank(l.Parent))
		}
	}
	return rank
}

func (w *keeping) of(table string) []int64 { return append([]int64{}, w.ids[table]...) }

// rows gathers the rows of a table that meet a condition on a value, and all that goes with them.
func (w *keeping) rows(ctx context.Context, table, where string, value any) error {
	if slices.Contains(anew, table) {
		return nil
	}
	var rows []string
	// The names come from the database's own catalogue, or from this package.
	if err := w.t.Select(ctx, &rows, `select to_jsonb(x)::text from `+table+` x where `+where, value); err != nil {
		return err
	}
	var ids []int64
	for _, row := range rows {
		if w.seen[table+row] {
			continue
		}
		w.seen[table+row] = true
		w.body.Rows = append(w.body.Rows, keptRow{table, json.RawMessage(row)})
		id, err := idOf([]byte(row))
		if err != nil {
			return err
		}
		if id != 0 {
			ids = append(ids, id)
		}
	}
	if w.ids == nil {
		w.ids = map[string][]int64{}
	}
	w.ids[table] = append(w.ids[table], ids...)
	for _, l := range w.links {
		if l.Parent == table && len(ids) > 0 {
			if err := w.follow(ctx, l, ids); err != nil {
				return err
			}
		}
	}
	return nil
}

func (w *keeping) follow(ctx context.Context, l reference, to []int64) error {
	if l.OnDelete == "c" {
		return w.rows(ctx, l.Table, l.Column+` = any($1::bigint[])`, to)
	}
	for _, id := range to {
		link := keptLink{Table: l.Table, Column: l.Column, To: id}
		if err := w.t.Select(ctx, &link.IDs, `select id from `+l.Table+` where `+l.Column+` = $1`, id); err != nil {
			return err
		}
		if len(link.IDs) > 0 {
			w.body.Links = append(w.body.Links, link)
		}
	}
	return nil
}

// idOf is the id of a row; 0: it has none.
func idOf(row []byte) (int64, error) {
	var with struct {
		ID json.RawMessage `json:"id"`
	}
	if err := json.Unmarshal(row, &with); err != nil {
		return 0, err
	}
	var id int64
	if json.Unmarshal(with.ID, &id) != nil {
		return 0, nil
	}
	return id, nil
}

// AllRemoved gives what was removed at an instant or later, the newest first; boards have a list of their own.
func AllRemoved(ctx context.Context, db store.Reader, since measure.Instant) (all []site.Removal, err error) {
	err = db.Select(ctx, &all, `
		select kind, name, title, removed_at, removed_by from (
			select id, kind, name, title, removed_at, removed_by from removed
			union all
			select id, 'asset', name, title, removed_at, '' from asset where removed_at is not null) x
		where removed_at >= $1 order by removed_at desc, id desc`, since)
	return all, err
}

// TakeRemoved gives the newest removal of a name, no older than since, and forgets it; ErrNotFound: there is none.
func TakeRemoved(ctx context.Context, db store.Writer, kind, name string,
	since measure.Instant) (r Removed, err error) {
	err = store.Found(db.Get(ctx, &r, `
		delete from removed where id = (select id from removed where kind = $1 and name = $2 and removed_at >= $3
		    order by removed_at desc, id desc limit 1)
		returning id, kind, name, title, removed_at, removed_by, body`, kind, name, since))
	return r, err
}

// ErrStaysGone says that something cannot be brought back as things are now.
var ErrStaysGone = errors.New("cannot be brought back")

// PutBack puts back what was removed, and gives the ids of what came back by table.
func PutBack(ctx context.Context, db store.Writer, r *Removed) (map[string][]int64, error) {
	var body keptBody
	if err := json.Unmarshal(r.Body, &body); err != nil {
		return nil, err
	}
	columns := map[string]string{}
	back := map[string][]int64{}
	for _, row := range body.Rows {
		if columns[row.Table] == "" {
			known, err := columnsOf(ctx, db, row.Table)
			if err != nil {
				return nil, err
			}
			columns[row.Table] = known
		}
		names := columns[row.Table]
		if err := putRow(ctx, db, row, names); err != nil {
			return nil, err
		}
		id, err := idOf(row.Row)
		if err != nil {
			return nil, err
		}
		if id != 0 {
			back[row.Table] = append(back[row.Table], id)
		}
	}
	for _, l := range body.Links {
		if _, err := db.Exec(ctx, `update `+l.Table+` set `+l.Column+` = $1 where id = any($2::bigint[]) and `+l.Column+
			` is null`, l.To, l.IDs); err != nil {
			return nil, err
		}
	}
	return back, nil
}

// columnsOf lists the columns of a table that are written.
func columnsOf(ctx context.Context, db store.Reader, table string) (string, error) {
	var names []string
	err := db.Select(ctx, &names, `
		select quote_ident(attname) from pg_attribute
		where attrelid = $1::regclass and attnum > 0 and not attisdropped and attgenerated = '' order by attnum`, table)
	return strings.Join(names, ", "), err
}

func putRow(ctx context.Context, db store.Writer, row keptRow, columns string) error {
	body := string(row.Row)
	if gone := alarmsOf[row.Table]; gone != nil {
		var fields map[string]json.RawMessage
		if err := json.Unmarshal(row.Row, &fields); err != nil {
			return err
		}
		for _, f := range gone {
			delete(fields, f)
		}
		stripped, err := json.Marshal(fields)
		if err != nil {
			return err
		}
		body = string(stripped)
	}
	_, err := db.Exec(ctx, `insert into `+row.Table+` (`+columns+`) overriding system value select `+columns+
		` from jsonb_populate_record(null::`+row.Table+`, $1::jsonb)`, body)
	var pg *pgconn.PgError
	if !errors.As(err, &pg) {
		return err
	}
	switch pg.Code {
	case "23505":
		return fmt.Errorf("another %s has its place now: rename or remove that first: %w",
			strings.ReplaceAll(row.Table, "_", " "), ErrStaysGone)
	case "23503":
		return fmt.Errorf("what it belongs to is not there any more: bring that back first: %w", ErrStaysGone)
	}
	return err
}

// DevicesOf gives the devices on which records hang that were put back, by their tables.
func DevicesOf(ctx context.Context, db store.Reader, back map[string][]int64) (devices []int64, err error) {
	err = db.Select(ctx, &devices, `
		select id from device where id = any($1::bigint[]) or behind_id = any($1::bigint[])
		union select device_id from signal where id = any($2::bigint[])
		union select s.device_id from guard g join signal s on s.id = g.signal_id where g.id = any($3::bigint[])
		union select device_id from output where id = any($4::bigint[])
		union select o.device_id from interlock i join output o on o.id = i.output_id where i.id = any($5::bigint[])`,
		back["device"], back["signal"], back["guard"], back["output"], back["interlock"])
	return devices, err
}

// ForgetRemoved forgets for good what was removed before an instant, with its readings and frames.
func ForgetRemoved(ctx context.Context, db store.Writer, before measure.Instant) error {
	var gone []struct {
		Signals jsonIDs `db:"signals"`
		Devices jsonIDs `db:"devices"`
	}
	if err := db.Select(ctx, &gone,
		`delete from removed where removed_at < $1 returning to_jsonb(signals) as signals, to_jsonb(devices) as devices`, before); err != nil {
		return err
	}
	for _, g := range gone {
		if err := timeseries.DropReadings(ctx, db, g.Signals); err != nil {
			return err
		}
		if _, err := db.Exec(ctx,
			`delete from frame where device_id = any($1::bigint[])
				and not exists (select from device where id = any($1::bigint[]))`, []int64(g.Devices)); err != nil {
			return err
		}
	}
	return nil
}

// jsonIDs reads ids from JSON.
type jsonIDs []int64
