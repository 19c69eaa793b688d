package timeseries

import (
	"bytes"
	"context"
	"encoding/binary"
	"math"

	"github.com/jackc/pgx/v5/stdlib"

	"jauntylark/core/measure"
	"jauntylark/store"
)

// Row is one stored reading with the signal that it belongs to.
type Row struct {
	Signal  int64           `db:"signal_id"`
	At      measure.Instant `db:"at"`
	Value   float64         `db:"value"`
	Quality measure.Quality `db:"quality"`
}

// CopyReadings appends the rows by COPY in its binary form, put together here: it is the busiest statement
// of all.
func CopyReadings(ctx context.Context, tx *store.Tx, rows []Row) error {
	if len(rows) == 0 {
		return nil
	}
	data := make([]byte, 0, 32+copyRowBytes*len(rows))
	data = append(data, "PGCOPY\n\377\r\n\x00\x00\x00\x00\x00\x00\x00\x00\x00"...)
	for i := range rows {
		r := &rows[i]
		data = binary.BigEndian.AppendUint16(data, 4) // columns, each after its length
		data = binary.BigEndian.AppendUint64(binary.BigEndian.AppendUint32(data, 8), uint64(r.At))
		data = binary.BigEndian.AppendUint64(binary.BigEndian.AppendUint32(data, 8), math.Float64bits(r.Value))
		data = binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(data, 4), uint32(r.Signal))
		data = binary.BigEndian.AppendUint16(binary.BigEndian.AppendUint32(data, 2), uint16(r.Quality))
	}
	data = append(data, 0xff, 0xff)
	return tx.Native(func(c *stdlib.Conn) error {
		_, err := c.Conn().PgConn().CopyFrom(ctx, bytes.NewReader(data),
			"copy reading (at, value, signal_id, quality) from stdin binary")
		return err
	})
}

// copyRowBytes is what a row takes in COPY's binary form.
const copyRowBytes = 40

// FindReadings gives those stored readings that share signal and instant with a wanted row.
func FindReadings(ctx context.Context, db store.Reader, wanted []Row) ([]Row, error) {
	signals, instants := make([]int64, len(wanted)), make([]int64, len(wanted))
	from, until := wanted[0].At, wanted[0].At
	for i, w := range wanted {
		signals[i], instants[i] = w.Signal, int64(w.At)
		from, until = min(from, w.At), max(until, w.At)
	}
	var rows []Row
	// Plain rows first: sealing moves them to the blocks, never back.
	err := db.Select(ctx, &rows, `
		select r.signal_id, r.at, r.value, r.quality
		from reading r join unnest($1::bigint[], $2::bigint[]) as w(signal_id, at) on r.signal_id = w.signal_id
		    and r.at = w.at
		where r.at between $3 and $4`, signals, instants, from, until)
	if err != nil {
		return nil, err
	}
	sealed, err := sealedAt(ctx, db, wanted)
	return append(rows, sealed...), err
}

// DropOrphans deletes what is stored of signals that are gone, where DropReadings was cut off.
func DropOrphans(ctx context.Context, db store.Writer) error {
	var gone []int64
	err := db.Select(ctx, &gone, `
		select signal_id from (select distinct signal_id from block union select distinct signal_id from figure union
		    select distinct signal_id from cleared_block) x
		where not exists (select from signal where id = x.signal_id)
		    and not exists (select from removed where signals @> array[x.signal_id]::bigint[])`)
	if err != nil || len(gone) == 0 {
		return err
	}
	return DropReadings(ctx, db, gone)
}

// DropReadings deletes what is stored of signals that are gone.
func DropReadings(ctx context.Context, db store.Writer, signals []int64) error {
	for _, table := range []string{"reading", "block", "figure", "stale", "cleared_block"} {
		_, err := db.Exec(ctx, `delete from `+table+
			` where signal_id = any($1::bigint[]) and not exists (select from signal where id = any($1::bigint[]))`,
			signals)
		if err != nil {
			return err
		}
	}
	return nil
}
