package archive

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/timeseries"
)

// archiveFormat is the version of the archive's form (docs/archive-format.md).
const archiveFormat = 1

// archived are the tables of an archive, in an order in which they can be filled.
var archived = []archivedTable{
	{name: "site", one: true, secret: []string{"enrolment_sealed", "signing_key", "push_private", "push_public"},
		without: []string{"disk_alarm_id"}}, {name: "person", order: "id", secret: []string{"id", "password_hash"}},
	{name: "token", backup: true, order: "hash"},
	{name: "device", order: "behind_id nulls first, id"}, {name: "device_state", order: "device_id"},
	{name: "device_contact", order: "device_id"},
	{name: "device_key", order: "id", secret: []string{"sealed"}},
	{name: "former_key", order: "hash", secret: []string{"sealed"}}, {name: "kit", order: "name"},
	{name: "reader", order: "id", without: []string{"place", "due_at", "failures", "said"}},
	{name: "arrival", order: "id"}, {name: "arrival_pack", order: "id"}, {name: "word", order: "id"},
	{name: "signal", order: "id"}, {name: "signal_state", order: "signal_id"}, {name: "calibration", order: "id"},
	{name: "verification", order: "id"},
	{name: "derived_input", order: "derived_id, place"}, {name: "recompute", order: "id"},
	{name: "tariff", order: "name"}, {name: "total", order: "id"}, {name: "total_reset", order: "id"},
	{name: "tally", order: "total_id, at"}, {name: "guard", order: "id"}, {name: "guard_state", order: "guard_id"},
	{name: "guard_event", order: "id"}, {name: "missed", order: "id"}, {name: "trial", order: "id"},
	{name: "trial_stretch", order: "id"},
	{name: "contact", order: "id"}, {name: "roster", order: "id", without: []string{"alarm_id"}},
	{name: "statement", order: "id"},
	{name: "alarm", order: "id"}, {name: "journal", order: "id"}, {name: "notice", order: "id"},
	{name: "delivery", order: "id"}, {name: "escalation", order: "alarm_id, roster_id"}, {name: "drill", order: "id"},
	{name: "output", order: "id"}, {name: "output_state", order: "output_id"}, {name: "interlock", order: "id"},
	{name: "interlock_state", order: "interlock_id"}, {name: "board", order: "id", secret: []string{"maker_id"}},
	{name: "board_version", order: "board_id, number"}, {name: "board_start", backup: true, order: "person_id"},
	{name: "picture", order: "id"},
	{name: "asset", order: "id"}, {name: "attachment", order: "id"}, {name: "run_plan", order: "id"},
	{name: "run", order: "id"}, {name: "eye", order: "device_id"}, {name: "frame", order: "device_id, at"},
	{name: "idempotency", backup: true, order: "sender, key"},
	{name: "clearing", order: "id"}, {name: "clearing_step", order: "clearing_id, signal_id"},
	{name: "cleared_block", order: "clearing_id, signal_id, first_at"},
	{name: "stale", order: "id"}, {name: "figure", order: "signal_id, period, at"},
	{name: "reading", order: "signal_id, at"}, {name: "block", order: "signal_id, first_at"},
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
func Archive(ctx context.Context, s *store.Store, to io.Writer, backup bool, now measure.Instant,
	told func(table string, rows int64)) (Manifest, error) {
	m := Manifest{Format: archiveFormat, Backup: backup, Made: now}
	ctx = store.For(ctx, store.Long)
	tx, err := s.Look(ctx)
	if err != nil {
		return m, err
	}
	defer tx.Rollback()
	if err := describe(ctx, tx, &m); err != nil {
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
		if counts[t.name], err = archiveTable(ctx, tx, out, t, backup, told); err != nil {
			return m, fmt.Errorf("%s: %w", t.name, err)
		}
	}
	return m, errors.Join(mark(archiveMark{End: counts}), out.Flush())
}

// describe fills in what an archive says of itself.
func describe(ctx context.Context, db store.Reader, m *Manifest) error {
	if err := db.Get(ctx, &m.Schema, `select max(version_id) from goose_db_version where is_applied`); err != nil {
		return err
	}
	if err := db.Get(ctx, &m.Site, `select name from site`); err != nil {
		return err
	}
	var err error
	m.Stamp, err = stampOfAll(ctx, db)
	return err
}

// stampOfAll tells what all readings are.
func stampOfAll(ctx context.Context, db store.Reader) (all site.Stamp, err error) {
	var signals []int64
	if err := db.Select(ctx, &signals, `select id from signal`); err != nil {
		return all, err
	}
	for _, signal := range signals {
		st, err := timeseries.Stamp(ctx, db, signal, -1<<60, 1<<60)
		if err != nil {
			return all, err
		}
		all.Add(st)
	}
	return all, nil
}

const (
	archiveTold = 1000
	archiveStep = 200 // rows
)

func archiveTable(ctx context.Context, db store.Writer, out io.Writer, table archivedTable, backup bool,
	told func(string, int64)) (n int64, err error) {
	var columns []string
	if err := db.Select(ctx, &columns,
		`select column_name from information_schema.columns where table_schema = 'public' and table_name = $1
			order by ordinal_position`, table.name); err != nil {
		return 0, err
	}
	columns = slices.DeleteFunc(columns, func(c string) bool {
		return slices.Contains(table.without, c) || !backup && slices.Contains(table.secret, c)
	})
	from := table.name
	if table.order != "" {
		from += " order by " + table.order
	}
	// In short steps: whoever reads the archive may be slow, and no statement of the database takes longer for that.
	_, err = db.Exec(ctx, "declare archived no scroll cursor for select row_to_json(r)::text from (select "+
		strings.Join(columns, ", ")+" from "+from+") r")
	if err != nil {
		return 0, err
	}
	for {
		var lines []string
		if err := db.Select(ctx, &lines, "fetch "+strconv.Itoa(archiveStep)+" from archived"); err != nil {
			return n, err
		}
		for _, line := range lines {
			if _, err := io.WriteString(out, line+"\n"); err != nil {
				return n, err
			}
			if n++; n%archiveTold == 0 {
				told(table.name, n)
			}
		}
		if len(lines) < archiveStep {
			break
		}
	}
	told(table.name, n)
	_, err = db.Exec(ctx, "close archived")
	return n, err
}
