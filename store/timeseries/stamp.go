package timeseries

import (
	"context"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/store"
)

// Stamp counts the readings of a stretch, its end included, and gives their digest.
func Stamp(ctx context.Context, db store.Reader, signal int64, from, until measure.Instant) (st site.Stamp, err error) {
	var spans []struct {
		span
		Digest int64 `db:"digest"`
	}
	err = db.Select(ctx, &spans, `
		select first_at, last_at, count, digest from block where signal_id = $1 and first_at <= $3 and first_at >= `+
		blockAt+` and last_at >= $2 order by first_at`, signal, from, until)
	if err != nil {
		return st, err
	}
	for _, s := range spans {
		if s.FirstAt >= from && s.LastAt <= until {
			st.Add(site.Stamp{Readings: s.Count, Digest: s.Digest, First: s.FirstAt, Last: s.LastAt})
			continue
		}
		readings, err := openBlock(ctx, db, signal, s.FirstAt)
		if err != nil {
			return st, err
		}
		st.Add(StampOf(series.Cut(readings, from, until)))
	}
	plain, err := plain(ctx, db, signal, from, until)
	st.Add(StampOf(plain))
	return st, err
}

// Fingerprint is a text that differs when the true readings of a stretch may: it names the calibrations that
// correct them and, of a derived signal, the readings that it is computed from.
func Fingerprint(ctx context.Context, db store.Reader, signal int64, until measure.Instant) (string, error) {
	var behind []struct {
		ID           int64  `db:"id"`
		Recipe       string `db:"recipe"`
		Calibrations string `db:"calibrations"`
	}
	err := db.Select(ctx, &behind, `
		with recursive behind(id) as (select $1::bigint union select i.input_id from derived_input i
		    join behind b on b.id = i.derived_id)
		select s.id, coalesce(s.recipe::text, '') as recipe,
		       coalesce((select string_agg(c.id || '@' || c.from_at, ',' order by c.id) from calibration c
		           where c.signal_id = s.id and c.retired_at is null), '') as calibrations
		from behind b join signal s on s.id = b.id order by s.id`, signal)
	if err != nil {
		return "", err
	}
	text := ""
	for _, b := range behind {
		text += fmt.Sprintln(b.ID, b.Recipe, b.Calibrations)
		if len(behind) == 1 || b.Recipe != "" {
			continue
		}
		stamp, err := Stamp(ctx, db, b.ID, 0, until) // what is derived may reach back far
		if err != nil {
			return "", err
		}
		text += fmt.Sprintln(stamp)
	}
	return text, nil
}

// StampOf counts readings, with a sum over them that does not depend on their order.
func StampOf(readings []measure.Reading) site.Stamp {
	n := len(readings)
	if n == 0 {
		return site.Stamp{}
	}
	return site.Stamp{Readings: n, Digest: series.Digest(readings), First: readings[0].At, Last: readings[n-1].At}
}
