package store

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
)

// Stamp counts the readings of a stretch, its end included, and gives their digest.
func (t *Tx) Stamp(ctx context.Context, signal int64, from, until measure.Instant) (st site.Stamp, err error) {
	var spans []struct {
		span
		Digest int64 `db:"digest"`
	}
	err = t.SelectContext(ctx, &spans, `
		select first_at, last_at, count, digest from block where signal_id = $1 and first_at <= $3 and first_at >= `+blockAt+` and last_at >= $2 order by first_at`, signal, from, until)
	if err != nil {
		return st, err
	}
	for _, s := range spans {
		if s.FirstAt >= from && s.LastAt <= until {
			st.Add(site.Stamp{Readings: s.Count, Digest: s.Digest, First: s.FirstAt, Last: s.LastAt})
			continue
		}
		readings, err := t.open(ctx, signal, s.FirstAt)
		if err != nil {
			return st, err
		}
		st.Add(stampOf(series.Cut(readings, from, until)))
	}
	plain, err := t.plain(ctx, signal, from, until)
	st.Add(stampOf(plain))
	return st, err
}

func stampOf(readings []measure.Reading) site.Stamp {
	n := len(readings)
	if n == 0 {
		return site.Stamp{}
	}
	return site.Stamp{Readings: n, Digest: series.Digest(readings), First: readings[0].At, Last: readings[n-1].At}
}
