package main

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

const (
	chartColumns = 1200
	monthOfIt    = 30 * 86_400
	twoYears     = 731 * 86_400
	tries        = 20
)

// past measures the readings engine: two years of a reading a second, in blocks; what they take, how long
// lines and hours of them take, beside plain rows of a month of the same.
func past(ctx context.Context, s *process) error {
	if _, err := s.device(ctx, "past"); err != nil {
		return err
	}
	until := measure.InstantOf(time.Now().Truncate(time.Hour))
	begin := time.Now()
	if err := writePast(ctx, s, until); err != nil {
		return err
	}
	fmt.Printf("two years of a reading a second, %.1f million, into blocks: %.1f s, %.1f million/s\n", twoYears/1e6,
		time.Since(begin).Seconds(), rate(twoYears, time.Since(begin))/1e6)
	records, err := store.Open(ctx, s.database)
	if err != nil {
		return err
	}
	defer records.Close()
	signal, err := config.Signal(ctx, records, "past", "temp")
	if err != nil {
		return err
	}
	begin = time.Now()
	for waits := 1; waits > 0; time.Sleep(100 * time.Millisecond) {
		backlog, err := timeseries.Backlog(ctx, records)
		if err != nil {
			return err
		}
		waits = backlog.Stale
	}
	fmt.Printf("  figures of its %d hours and days, computed behind it: %.1f s more\n", 731*25,
		time.Since(begin).Seconds())
	conn, err := pgx.Connect(ctx, s.database)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	var bytes int64
	if err := conn.QueryRow(ctx, `select pg_total_relation_size('block') + pg_total_relation_size('figure')`).Scan(
		&bytes); err != nil {
		return err
	}
	fmt.Printf("  %.2f bytes a reading, figures and indexes included (aim 3)\n", float64(bytes)/twoYears)
	if err := lines(ctx, records, conn, &signal, until); err != nil {
		return err
	}
	return hours(ctx, records, &signal, until)
}

// second is the reading of a second: a day's wave with noise, in tenths.
func second(at measure.Instant) float64 {
	n := uint64(at) * 0x9e3779b97f4a7c15
	n ^= n >> 31
	return math.Round(200+60*math.Sin(float64(at)/1.375e7)+float64(n%9)) / 10
}

func writePast(ctx context.Context, s *process, until measure.Instant) error {
	p := &record.Past{Signal: "past/temp", Kind: site.KindNumber, Unit: "Cel"}
	for at := until - twoYears*1000; at < until; at += 1000 {
		p.Readings = append(p.Readings, measure.Reading{At: at, Value: second(at)})
		if len(p.Readings) == 16*series.BlockReadings || at+1000 == until {
			if _, err := record.Import(ctx, s.pipe, p); err != nil {
				return err
			}
			p.Readings = p.Readings[:0]
		}
	}
	return nil
}

// lines compares a chart's line with SQL that groups rows.
func lines(ctx context.Context, records *store.Store, conn *pgx.Conn, signal *site.Signal,
	until measure.Instant) error {
	if _, err := conn.Exec(ctx,
		`create table month_of_rows (signal_id integer not null, at bigint not null, value double precision not null, quality smallint not null, primary key (signal_id, at))`); err != nil {
		return err
	}
	defer conn.Exec(ctx, `drop table month_of_rows`)
	from := until - monthOfIt*1000
	source := pgx.CopyFromSlice(monthOfIt, func(i int) ([]any, error) {
		at := from + measure.Instant(i)*1000
		return []any{int32(1), int64(at), second(at), int16(0)}, nil
	})
	if _, err := conn.CopyFrom(ctx, pgx.Identifier{"month_of_rows"}, []string{"signal_id", "at", "value", "quality"},
		source); err != nil {
		return err
	}
	if _, err := conn.Exec(ctx, `vacuum analyze month_of_rows`); err != nil {
		return err
	}
	bare, err := typical(5, func() error {
		rows, err := conn.Query(ctx,
			`select (at - $1) * $3 / ($2 - $1), min(value), max(value), min(at), max(at) from month_of_rows
				where signal_id = 1 and at >= $1 and at < $2 group by 1`,
			int64(from), int64(until), int64(chartColumns))
		if err != nil {
			return err
		}
		for rows.Next() {
			if _, err := rows.Values(); err != nil {
				return err
			}
		}
		return rows.Err()
	})
	if err != nil {
		return err
	}
	for _, span := range []struct {
		name    string
		seconds int
		aim     int
	}{{"30 days", monthOfIt, 50}, {"2 years", twoYears, 100}} {
		took, err := typical(tries, func() error {
			_, of, err := timeseries.Line(ctx, records, signal.ID, until-measure.Instant(span.seconds)*1000, until,
				chartColumns)
			if err == nil && of != span.seconds {
				err = fmt.Errorf("a line of %d readings, not %d", of, span.seconds)
			}
			return err
		})
		if err != nil {
			return err
		}
		fmt.Printf("a line of %s, %.1f million readings, to %d columns: %.0f ms (aim %d)\n", span.name,
			float64(span.seconds)/1e6, chartColumns, ms(took), span.aim)
		if span.seconds == monthOfIt {
			fmt.Printf("  SQL that groups as many plain rows: %.0f ms, ratio %.0f (aim 30)\n", ms(bare),
				ms(bare)/ms(took))
		}
	}
	return nil
}

// hours reads hours at random.
func hours(ctx context.Context, records *store.Store, signal *site.Signal, until measure.Instant) error {
	took := make([]time.Duration, 400)
	for i := range took {
		from := until - measure.Instant(rand.Int64N(twoYears-3600)+3600)*1000
		begin := time.Now()
		readings, _, err := timeseries.Readings(ctx, records, signal, from, from+3_599_999, 10_000)
		if err != nil || len(readings) != 3600 {
			return fmt.Errorf("an hour has %d readings: %v", len(readings), err)
		}
		took[i] = time.Since(begin)
	}
	slices.Sort(took)
	fmt.Printf("any hour, %d readings: p50 %.1f ms, p99 %.1f ms (aim 5)\n", 3600, ms(took[200]), ms(took[396]))
	figures, err := typical(tries, func() error {
		_, err := timeseries.Figures(ctx, records, signal.ID, series.Day, until-twoYears*1000, until)
		return err
	})
	fmt.Printf("figures of two years by day: %.1f ms\n", ms(figures))
	return err
}

// typical is how long something takes, by the median of some tries.
func typical(tries int, do func() error) (time.Duration, error) {
	took := make([]time.Duration, tries)
	for i := range took {
		begin := time.Now()
		if err := do(); err != nil {
			return 0, err
		}
		took[i] = time.Since(begin)
	}
	slices.Sort(took)
	return took[tries/2], nil
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// sealing measures how fast plain rows become blocks, beside a COPY into a keyed table.
func sealing(ctx context.Context, s *process) error {
	const devices, each = 20, 30_000
	keyed, err := bareCopy(ctx, s.database, devices*each, true)
	if err != nil {
		return err
	}
	if err := s.owner.Call(ctx, api.AddDevice.At(), map[string]string{"name": "sealed"}, nil); err != nil {
		return err
	}
	records, err := store.Open(ctx, s.database)
	if err != nil {
		return err
	}
	defer records.Close()
	now := measure.InstantOf(time.Now())
	rows := make([]timeseries.Row, 0, devices*each)
	var ids []int64
	for d := range devices {
		name := fmt.Sprintf("s%d", d)
		if _, err := record.Import(ctx, s.pipe, &record.Past{Signal: "sealed/" + name, Kind: site.KindNumber,
			Readings: []measure.Reading{{At: now - 1e9}}}); err != nil {
			return err
		}
		v, err := config.Signal(ctx, records, "sealed", name)
		if err != nil {
			return err
		}
		ids = append(ids, v.ID)
	}
	for i := range each {
		for _, id := range ids {
			at := now + measure.Instant(i-each)*1000
			rows = append(rows, timeseries.Row{Signal: id, At: at, Value: second(at + measure.Instant(id))})
		}
	}
	tx, err := records.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := timeseries.CopyReadings(ctx, tx, rows); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	begin, sealed := time.Now(), 0
	for {
		n, err := timeseries.Seal(ctx, records, now, now)
		if err != nil {
			return err
		}
		if sealed += n; n == 0 {
			break
		}
	}
	ours := rate(sealed, time.Since(begin))
	fmt.Printf("sealing %d plain rows of %d signals: %.0f/s, %.2f of a COPY into a keyed table (%.0f rows/s)\n", sealed,
		devices, ours, ours/keyed, keyed)
	return nil
}
