package archive

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
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/timeseries"
)

// ErrNotEmpty says that there is something already where an archive should go.
var ErrNotEmpty = errors.New("the service is not empty: it has devices already")

// loadAtOnce is how many bytes of rows go into the database at once.
const loadAtOnce = 4 << 20

// Load fills an empty database from an archive and verifies what it holds afterwards. When anything is wrong,
// nothing is kept.
func Load(ctx context.Context, s *store.Store, from io.Reader, told func(table string, rows int64)) (Manifest, error) {
	var m Manifest
	ctx = store.For(ctx, store.Background)
	tx, err := s.Begin(ctx)
	if err != nil {
		return m, err
	}
	defer tx.Rollback()
	ledger, err := store.TakeLedger(ctx, tx)
	if err != nil {
		return m, err
	}
	var devices int
	if err := tx.Get(ctx, &devices, `select count(*) from device`); err != nil || devices > 0 {
		return m, errors.Join(err, ErrNotEmpty)
	}
	l := loader{tx: tx, told: told, counts: map[string]int64{}}
	if m, err = l.load(ctx, from); err != nil {
		return m, err
	}
	if err := keepReader(ctx, tx); err != nil {
		return m, err
	}
	// Numbers go on from the higher of the two, so that every process sees that all has changed.
	if _, err := tx.Exec(ctx,
		`update ledger set commit_no = greatest(commit_no, $1), config_no = greatest(config_no, $2), leapt = $3,
			forgotten_no = greatest(commit_no, $1)`,
		ledger.CommitNo, ledger.ConfigNo, ledger.Leapt); err != nil {
		return m, err
	}
	if _, err := store.TakeLedger(ctx, tx); err != nil {
		return m, err
	}
	if _, err := store.RaiseConfig(ctx, tx, store.Change{Scope: store.OfAll}); err != nil {
		return m, err
	}
	if err := verify(ctx, tx, m); err != nil {
		return m, err
	}
	return m, tx.Commit()
}

// keepReader makes a reader of the one key for alarms that archives of before had in the site's own row.
func keepReader(ctx context.Context, tx *store.Tx) error {
	_, err := tx.Exec(ctx, `
		with old as (update site set reader_hash = null from site as was where was.reader_hash is not null
		    returning was.reader_hash)
		insert into reader (name, kinds, hash, made_at)
		select 'reader', '{alarm}', reader_hash, `+store.ClockOfDatabase+` from old on conflict do nothing`)
	return err
}

// mostLine is how long a line of an archive may be: the largest paper of an asset, in hexadecimal digits, with room to
// spare.
const mostLine = 64 << 20

var errLongLine = errors.New("the line is too long")

// readLine reads a line with its end.
func readLine(in *bufio.Reader) ([]byte, error) {
	var line []byte
	for {
		piece, err := in.ReadSlice('\n')
		if len(line)+len(piece) > mostLine {
			return nil, errLongLine
		}
		line = append(line, piece...)
		if !errors.Is(err, bufio.ErrBufferFull) {
			return line, err
		}
	}
}

// loader fills tables from an archive.
type loader struct {
	tx      *store.Tx
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
		line, err := readLine(in)
		if errors.Is(err, errLongLine) {
			return m, &measure.Fault{Field: "file", Reason: fmt.Sprintf("line %d is longer than %s", number,
				prose.Bytes(mostLine))}
		}
		if err != nil {
			return m, &measure.Fault{Field: "file", Reason: fmt.Sprintf("ends in line %d, before its end: %v", number,
				err)}
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
				return m, &measure.Fault{Field: "file", Reason: fmt.Sprintf("is broken: %d bytes after its end, %v",
					rest, err)}
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
	if err := l.tx.Get(ctx, &schema, `select max(version_id) from goose_db_version where is_applied`); err != nil {
		return m, err
	}
	if m.Format != archiveFormat || m.Schema > schema {
		return m, &measure.Fault{Field: "file",
			Reason: fmt.Sprintf("was written by a newer version (format %d, schema %d; this one knows %d and %d)",
				m.Format, m.Schema, archiveFormat, schema)}
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
		_, err := l.tx.Exec(ctx, "delete from "+table)
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
	_, err := l.tx.Exec(ctx, "insert into "+l.table.name+" ("+columns+") overriding system value select "+l.columns+
		extra+
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
			return &measure.Fault{Field: "file", Reason: fmt.Sprintf("has %d rows of %s; it says %d", l.counts[table],
				table, n)}
		}
	}
	var sequences []struct {
		Table  string `db:"table_name"`
		Column string `db:"column_name"`
	}
	err := l.tx.Select(ctx, &sequences,
		`select table_name, column_name from information_schema.columns where table_schema = 'public'
			and is_identity = 'YES'`)
	for _, s := range sequences {
		if err == nil {
			_, err = l.tx.Exec(ctx,
				fmt.Sprintf(
					`select setval(pg_get_serial_sequence('%s', '%s'), coalesce((select max(%s) from %s), 0) + 1,
						false)`, s.Table, s.Column, s.Column, s.Table))
		}
	}
	return err
}

// verify opens every block, and compares what is in it with its head and with what the archive says.
func verify(ctx context.Context, tx *store.Tx, m Manifest) error {
	var signals []int64
	if err := tx.Select(ctx, &signals, `select id from signal`); err != nil {
		return err
	}
	var all site.Stamp
	for _, signal := range signals {
		err := timeseries.EachStored(ctx, tx, signal, -1<<60, 1<<60, func(some []measure.Reading) error {
			all.Add(timeseries.StampOf(some))
			return nil
		})
		if err != nil {
			return fmt.Errorf("verifying: %w", err)
		}
	}
	if all != m.Stamp {
		return fmt.Errorf("verifying: %d readings with digest %d are there; there should be %d with %d", all.Readings,
			all.Digest, m.Stamp.Readings, m.Stamp.Digest)
	}
	return nil
}
