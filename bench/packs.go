package main

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"jauntylark/api"

	_ "github.com/jackc/pgx/v5/stdlib"
)

const (
	packDevices = 64
	packLength  = 100 // readings a pack: 25 instants of 4 signals
	packsEach   = 100
)

// packs compares readings committed and evaluated over HTTP, in packs of 100, with a bare COPY of as
// many rows of the same shape. Half of the signals have a guard, some of which raise and clear.
func packs(ctx context.Context, s *process) error {
	total := packDevices * packsEach * packLength
	keyed, err := bareCopy(ctx, s.database, total, true)
	if err != nil {
		return err
	}
	plain, err := bareCopy(ctx, s.database, total, false)
	if err != nil {
		return err
	}
	keys, bodies, err := packBodies(ctx, s)
	if err != nil {
		return err
	}
	begin := time.Now()
	err = atOnce(packDevices, func(w int) error {
		c, err := call(s.url)
		if err != nil {
			return err
		}
		for _, body := range bodies[w] {
			if status, err := c.post(api.SendReadings.At().Path, keys[w], "application/senml+json", body); err != nil ||
				status != 204 {
				return fmt.Errorf("pack: %d %v", status, err)
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	ours := rate(total, time.Since(begin))
	fmt.Printf("packs of %d over HTTP, committed and evaluated: %.0f readings/s\n", packLength, ours)
	fmt.Printf("  bare COPY, keyed table: %.0f rows/s, ratio %.2f (aim 1)\n", keyed, ours/keyed)
	fmt.Printf("  bare COPY, no key:      %.0f rows/s, ratio %.2f\n", plain, ours/plain)
	return nil
}

// bareCopy appends rows by COPY, ten thousand at a time, each in a transaction.
func bareCopy(ctx context.Context, database string, rows int, keyed bool) (float64, error) {
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		return 0, err
	}
	defer conn.Close(ctx)
	table := "create table bare (at bigint not null, value double precision not null, signal_id integer not null, " +
		"quality smallint not null"
	if keyed {
		table += ", primary key (signal_id, at)"
	}
	if _, err := conn.Exec(ctx, table+")"); err != nil {
		return 0, err
	}
	defer conn.Exec(ctx, "drop table bare")
	const batch = 10_000
	begin := time.Now()
	for n := 0; n < rows; n += batch {
		source := pgx.CopyFromSlice(batch, func(i int) ([]any, error) {
			k := n + i
			return []any{int64(1_790_000_000_000 + k/64*1000), float64(k % 97), int32(k % 64), int16(0)}, nil
		})
		if _, err := conn.CopyFrom(ctx, pgx.Identifier{"bare"}, []string{"at", "value", "signal_id", "quality"},
			source); err != nil {
			return 0, err
		}
	}
	return rate(rows, time.Since(begin)), nil
}

// packBodies makes the devices, a first reading and guards, and the bodies to send.
func packBodies(ctx context.Context, s *process) (keys []string, bodies [][][]byte, err error) {
	start := time.Now().Add(-time.Duration(packsEach*packLength/4) * time.Second).Unix()
	for d := range packDevices {
		name := fmt.Sprintf("pack-%d", d)
		key, err := s.device(ctx, name)
		if err != nil {
			return nil, nil, err
		}
		keys = append(keys, key)
		var mine [][]byte
		for p := range packsEach {
			var b bytes.Buffer
			for i := range packLength {
				instant := start + int64(p*packLength/4+i/4)
				comma, base := ",", ""
				if i == 0 {
					comma, base = "[", fmt.Sprintf(`"bn":"%s/","bt":%d,`, name, start)
				}
				fmt.Fprintf(&b, `%s{%s"n":"s%d","u":"Cel","t":%d,"v":%.1f}`, comma, base, i%4, instant-start,
					20+float64((p*31+i*7)%100)/8)
			}
			b.WriteString("]")
			mine = append(mine, b.Bytes())
		}
		bodies = append(bodies, mine)
	}
	return keys, bodies, addGuards(ctx, s, start)
}

// addGuards writes guards into the database as if they had been there from the beginning: over the
// API they would begin now, and pass over the bench's readings, which lie before.
func addGuards(ctx context.Context, s *process, start int64) error {
	db, err := sql.Open("pgx", s.database)
	if err != nil {
		return err
	}
	defer db.Close()
	for _, statement := range []string{
		fmt.Sprintf(`insert into signal (device_id, name, kind, unit, created_at)
			select id, 's' || n, 'number', 'Cel', %d from device, generate_series(0, 3) n
			where device.name like 'pack-%%'`, start),
		`insert into signal_state (signal_id, changed_in) select id, 0 from signal
			where id not in (select signal_id from signal_state)`,
		`insert into guard (signal_id, name, when_text, deadband, on_delay, off_delay, severity, tell, advice)
		 select s.id, 'bench-' || s.id, 'above ' || 28 + s.id % 6, 1, 5000000000, 5000000000, 'warning', '{}', ''
		     from signal s where s.name in ('s0', 's1')`,
		`update ledger set config_no = config_no + 1`,
	} {
		if _, err := db.ExecContext(ctx, statement); err != nil {
			return err
		}
	}
	return nil
}
