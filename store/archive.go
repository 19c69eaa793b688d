package store

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// archiveFormat is the version of the archive's form (docs/archive-format.md).
const archiveFormat = 1

// archived are the tables of an archive, in an order in which they can be filled.
var archived = []archivedTable{
	{name: "site", one: true, secret: []string{"enrolment_sealed", "signing_key", "push_private", "push_public"}, without: []string{"disk_alarm_id"}}, {name: "person", order: "id", secret: []string{"id", "password_hash"}}, {name: "token", backup: true, order: "hash"},
	{name: "device", order: "behind_id nulls first, id"}, {name: "device_state", order: "device_id"}, {name: "device_contact", order: "device_id"},
	{name: "device_key", order: "id", secret: []string{"sealed"}}, {name: "former_key", order: "hash", secret: []string{"sealed"}}, {name: "kit", order: "name"},
	{name: "arrival", order: "id"}, {name: "arrival_pack", order: "id"}, {name: "word", order: "id"},
	{name: "signal", order: "id"}, {name: "signal_state", order: "signal_id"}, {name: "calibration", order: "id"}, {name: "verification", order: "id"},
	{name: "derived_input", order: "derived_id, place"}, {name: "recompute", order: "id"}, {name: "tariff", order: "name"}, {name: "total", order: "id"}, {name: "total_reset", order: "id"},
	{name: "tally", order: "total_id, at"}, {name: "guard", order: "id"}, {name: "guard_state", order: "guard_id"}, {name: "guard_event", order: "id"}, {name: "missed", order: "id"}, {name: "trial", order: "id"}, {name: "trial_stretch", order: "id"},
	{name: "contact", order: "id"}, {name: "roster", order: "id", without: []string{"alarm_id"}}, {name: "statement", order: "id"},
	{name: "alarm", order: "id"}, {name: "journal", order: "id"}, {name: "notice", order: "id"}, {name: "delivery", order: "id"}, {name: "escalation", order: "alarm_id, roster_id"}, {name: "drill", order: "id"},
	{name: "output", order: "id"}, {name: "output_state", order: "output_id"}, {name: "interlock", order: "id"}, {name: "interlock_state", order: "interlock_id"}, {name: "board", order: "id", secret: []string{"maker_id"}}, {name: "board_version", order: "board_id, number"}, {name: "board_start", backup: true, order: "person_id"}, {name: "picture", order: "id"},
	{name: "asset", order: "id"}, {name: "attachment", order: "id"}, {name: "run_plan", order: "id"}, {name: "run", order: "id"}, {name: "eye", order: "device_id"}, {name: "frame", order: "device_id, at"},
	{name: "idempotency", backup: true, order: "sender, key"},
	{name: "clearing", order: "id"}, {name: "clearing_step", order: "clearing_id, signal_id"}, {name: "cleared_block", order: "clearing_id, signal_id, first_at"},
	{name: "stale", order: "id"}, {name: "figure", order: "signal_id, period, at"}, {name: "reading", order: "signal_id, at"}, {name: "block", order: "signal_id, first_at"},
	{name: "removed", backup: true, order: "id"}, {name: "ledger", one: true},
}

type archivedTable struct {
	name    string
	order   string
	one     bool     // it has one row, which is replaced
	backup  bool     // it is in backups alone
	secret  []string // columns that are in backups alone
	without []string // columns that are left out
}

// Manifest is the first line of an archive.
type Manifest struct {
	Format int             `json:"format"`
	Schema int64           `json:"schema"` // the newest migration
	Backup bool            `json:"backup"` // it has secrets
	Site   string          `json:"site"`
	Made   measure.Instant `json:"made"`
	Stamp  site.Stamp      `json:"stamp"` // of all readings
}

type archiveMark struct {
	Manifest *Manifest        `json:"manifest,omitempty"`
	Table    string           `json:"table,omitempty"`
	End      map[string]int64 `json:"end,omitempty"` // rows of each table
}

// Archive writes the whole site as it is at one moment, with secrets when it is a backup, and tells now and
// then how many rows of which table are written.
func (s *Store) Archive(ctx context.Context, to io.Writer, backup bool, now measure.Instant, told func(table string, rows int64)) (Manifest, error) {
	m := Manifest{Format: archiveFormat, Backup: backup, Made: now}
	tx, err := s.Look(ctx)
	if err != nil {
		return m, err
	}
	defer tx.Rollback()
	if err := tx.describe(ctx, &m); err != nil {
		return m, err
	}
	out := bufio.NewWriterSize(to, 1<<20)
	mark := func(a archiveMark) error {
		text, err := json.Marshal(a)
		fmt.Fprintf(out, "#%s\n", text)
		return err
	}
	if err := mark(archiveMark{Manifest: &m}); err != nil {
		return m, err
	}
	counts := map[string]int64{}
	for _, t := range archived {
		if t.backup && !backup {
			continue
		}
		if err := mark(archiveMark{Table: t.name}); err != nil {
			return m, err
		}
		if counts[t.name], err = tx.archiveTable(ctx, out, t, backup, told); err != nil {
			return m, fmt.Errorf("%s: %w", t.name, err)
		}
	}
	return m, errors.Join(mark(archiveMark{End: counts}), out.Flush())
}

// describe fills in what an archive says of itself.
func (t *Tx) describe(ctx context.Context, m *Manifest) error {
	if err := t.GetContext(ctx, &m.Schema, `select max(version_id) from goose_db_version where is_applied`); err != nil {
		return err
	}
	if err := t.GetContext(ctx, &m.Site, `select name from site`); err != nil {
		return err
	}
	var err error
	m.Stamp, err = t.stampOfAll(ctx)
	return err
}

// stampOfAll tells what all readings are.
func (t *Tx) stampOfAll(ctx context.Context) (all site.Stamp, err error) {
	var signals []int64
	if err := t.SelectContext(ctx, &signals, `select id from signal`); err != nil {
		return all, err
	}
	for _, signal := range signals {
		st, err := t.Stamp(ctx, signal, -1<<60, 1<<60)
		if err != nil {
			return all, err
		}
		all.Add(st)
	}
	return all, nil
}

const archiveTold = 1000

func (t *Tx) archiveTable(ctx context.Context, out io.Writer, table archivedTable, backup bool, told func(string, int64)) (n int64, err error) {
	var columns []string
	if err := t.SelectContext(ctx, &columns, `select column_name from information_schema.columns where table_schema = 'public' and table_name = $1 order by ordinal_position`, table.name); err != nil {
		return 0, err
	}
	columns = slices.DeleteFunc(columns, func(c string) bool {
		return slices.Contains(table.without, c) || !backup && slices.Contains(table.secret, c)
	})
	from := table.name
	if table.order != "" {
		from += " order by " + table.order
	}
	rows, err := t.QueryxContext(ctx, "select row_to_json(r)::text from (select "+strings.Join(columns, ", ")+" from "+from+") r")
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	var line []byte
	for rows.Next() {
		if err := rows.Scan(&line); err != nil {
			return n, err
		}
		if _, err := out.Write(append(line, '\n')); err != nil {
			return n, err
		}
		if n++; n%archiveTold == 0 {
			told(table.name, n)
		}
	}
	told(table.name, n)
	return n, rows.Err()
}

// ErrNotEmpty says that there is something already where an archive should go.
var ErrNotEmpty = errors.New("the service is not empty: it has devices already")

// loadAtOnce is how many bytes of rows go into the database at once.
const loadAtOnce = 4 << 20

// Load fills an empty database from an archive and verifies what it holds afterwards. When anything is wrong,
// nothing is kept.
func (s *Store) Load(ctx context.Context, from io.Reader, told func(table string, rows int64)) (Manifest, error) {
	var m Manifest
	tx, err := s.Begin(ctx)
	if err != nil {
		return m, err
	}
	defer tx.Rollback()
	commit, config, err := tx.TakeLedger(ctx)
	if err != nil {
		return m, err
	}
	var devices int
	if err := tx.GetContext(ctx, &devices, `select count(*) from device`); err != nil || devices > 0 {
		return m, errors.Join(err, ErrNotEmpty)
	}
	l := loader{tx: tx, told: told, counts: map[string]int64{}}
	if m, err = l.load(ctx, from); err != nil {
		return m, err
	}
	// Numbers go on from the higher of the two, so that every process sees that all has changed.
	if _, err := tx.ExecContext(ctx, `update ledger set commit_no = greatest(commit_no, $1), config_no = greatest(config_no, $2)`, commit, config); err != nil {
		return m, err
	}
	if _, _, err := tx.TakeLedger(ctx); err != nil {
		return m, err
	}
	if _, err := tx.RaiseConfig(ctx); err != nil {
		return m, err
	}
	if err := tx.verify(ctx, m); err != nil {
		return m, err
	}
	return m, tx.Commit()
}

// loader fills tables from an archive.
type loader struct {
	tx      *Tx
	told    func(string, int64)
	counts  map[string]int64
	table   *archivedTable
	backup  bool
	columns string
	rows    bytes.Buffer
	n       int
}

func (l *loader) load(ctx context.Context, from io.Reader) (m Manifest, err error) {
	in := bufio.NewReaderSize(from, 1<<20)
	for number := 1; ; number++ {
		line, err := in.ReadBytes('\n')
		if err != nil {
			return m, &measure.Fault{Field: "file", Reason: fmt.Sprintf("ends in line %d, before its end: %v", number, err)}
		}
		if line[0] != '#' {
			if l.table == nil {
				return m, &measure.Fault{Field: "file", Reason: "is no archive of a site"}
			}
			if err := l.row(ctx, line); err != nil {
				return m, err
			}
			continue
		}
		var mark archiveMark
		if err := json.Unmarshal(line[1:], &mark); err != nil {
			return m, &measure.Fault{Field: "file", Reason: fmt.Sprintf("line %d: %v", number, err)}
		}
		if err := l.flush(ctx); err != nil {
			return m, err
		}
		switch {
		case mark.Manifest != nil:
			if m, err = l.accept(ctx, *mark.Manifest); err != nil {
				return m, err
			}
		case mark.End != nil:
			if rest, err := io.Copy(io.Discard, in); err != nil || rest > 0 { // a packed file's checksum comes last
				return m, &measure.Fault{Field: "file", Reason: fmt.Sprintf("is broken: %d bytes after its end, %v", rest, err)}
			}
			return m, l.end(ctx, mark.End)
		default:
			if err := l.begin(ctx, mark.Table); err != nil {
				return m, err
			}
		}
	}
}

func (l *loader) accept(ctx context.Context, m Manifest) (Manifest, error) {
	var schema int64
	if err := l.tx.GetContext(ctx, &schema, `select max(version_id) from goose_db_version where is_applied`); err != nil {
		return m, err
	}
	if m.Format != archiveFormat || m.Schema > schema {
		return m, &measure.Fault{Field: "file", Reason: fmt.Sprintf("was written by a newer version (format %d, schema %d; this one knows %d and %d)", m.Format, m.Schema, archiveFormat, schema)}
	}
	l.backup = m.Backup
	return m, nil
}

func (l *loader) begin(ctx context.Context, table string) error {
	i := slices.IndexFunc(archived, func(t archivedTable) bool { return t.name == table })
	if i < 0 {
		return &measure.Fault{Field: "file", Reason: fmt.Sprintf("has a table %q that is not known", table)}
	}
	l.table, l.columns = &archived[i], ""
	if l.table.one || table == "person" && l.backup {
		_, err := l.tx.ExecContext(ctx, "delete from "+table)
		return err
	}
	return nil
}

// row gathers rows; those of a table have the same columns.
func (l *loader) row(ctx context.Context, line []byte) error {
	if l.columns == "" {
		names, err := keysOf(line)
		if err != nil {
			return err
		}
		for _, c := range names {
			if err := plainName(c); err != nil {
				return err
			}
		}
		l.columns = strings.Join(names, ", ")
	}
	comma := byte(',')
	if l.n == 0 {
		comma = '['
	}
	l.rows.WriteByte(comma)
	l.rows.Write(line)
	if l.n++; l.rows.Len() > loadAtOnce {
		return l.flush(ctx)
	}
	return nil
}

// keysOf gives the keys of a JSON object in their order.
func keysOf(object []byte) (keys []string, err error) {
	in := json.NewDecoder(bytes.NewReader(object))
	if _, err = in.Token(); err != nil {
		return nil, err
	}
	for in.More() {
		key, err := in.Token()
		if err != nil {
			return nil, err
		}
		keys = append(keys, fmt.Sprint(key))
		var skip json.RawMessage
		if err := in.Decode(&skip); err != nil {
			return nil, err
		}
	}
	return keys, nil
}

func plainName(text string) error {
	if text == "" || strings.Trim(text, "abcdefghijklmnopqrstuvwxyz_") != "" {
		return &measure.Fault{Field: "file", Reason: fmt.Sprintf("has a column %q", text)}
	}
	return nil
}

func (l *loader) flush(ctx context.Context) error {
	if l.n == 0 {
		return nil
	}
	l.rows.WriteByte(']')
	columns, extra := l.columns, ""
	if l.table.name == "person" && !l.backup { // nobody's password moves house
		columns, extra = columns+", password_hash", ", ''"
	}
	_, err := l.tx.ExecContext(ctx, "insert into "+l.table.name+" ("+columns+") overriding system value select "+l.columns+extra+
		" from json_populate_recordset(null::"+l.table.name+", $1::json) on conflict do nothing", l.rows.String())
	if err != nil {
		return fmt.Errorf("%s: %w", l.table.name, err)
	}
	l.counts[l.table.name] += int64(l.n)
	l.told(l.table.name, l.counts[l.table.name])
	l.rows.Reset()
	l.n = 0
	return nil
}

// end sees that all rows came, and lets new ids go on behind the old ones.
func (l *loader) end(ctx context.Context, counts map[string]int64) error {
	for table, n := range counts {
		if l.counts[table] != n {
			return &measure.Fault{Field: "file", Reason: fmt.Sprintf("has %d rows of %s; it says %d", l.counts[table], table, n)}
		}
	}
	var sequences []struct {
		Table  string `db:"table_name"`
		Column string `db:"column_name"`
	}
	err := l.tx.SelectContext(ctx, &sequences, `select table_name, column_name from information_schema.columns where table_schema = 'public' and is_identity = 'YES'`)
	for _, s := range sequences {
		if err == nil {
			_, err = l.tx.ExecContext(ctx, fmt.Sprintf(`select setval(pg_get_serial_sequence('%s', '%s'), coalesce((select max(%s) from %s), 0) + 1, false)`, s.Table, s.Column, s.Column, s.Table))
		}
	}
	return err
}

// verify opens every block, and compares what is in it with its head and with what the archive says.
func (t *Tx) verify(ctx context.Context, m Manifest) error {
	var signals []int64
	if err := t.SelectContext(ctx, &signals, `select id from signal`); err != nil {
		return err
	}
	var all site.Stamp
	for _, signal := range signals {
		err := t.EachStored(ctx, signal, -1<<60, 1<<60, func(some []measure.Reading) error {
			all.Add(stampOf(some))
			return nil
		})
		if err != nil {
			return fmt.Errorf("verifying: %w", err)
		}
	}
	if all != m.Stamp {
		return fmt.Errorf("verifying: %d readings with digest %d are there; there should be %d with %d", all.Readings, all.Digest, m.Stamp.Readings, m.Stamp.Digest)
	}
	return nil
}
