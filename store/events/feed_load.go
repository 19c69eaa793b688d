package events

import (
	"fmt"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// load reads what commits have changed, whole commits, and tells up to which all of it was read.
func (r *feedReader) load(newest int64) (until int64, err error) {
	r.commits, until = map[int64]*changedIn{}, newest
	took := func(n int, last int64) {
		if n >= feedRows {
			until = min(until, last)
		}
	}
	if r.wants(feed.Readings) {
		if err := r.loadChanged(took); err != nil {
			return 0, err
		}
		if err := r.loadAmended(took); err != nil {
			return 0, err
		}
	}
	if r.wants(feed.Alarm) || r.wants(feed.Journal) {
		err = r.loadEntries(took)
	}
	return until, err
}

func (r *feedReader) wants(kind string) bool {
	return len(r.query.Kinds) == 0 || slices.Contains(r.query.Kinds, kind)
}

func (r *feedReader) in(no int64, at measure.Instant) *changedIn {
	c := r.commits[no]
	if c == nil {
		c = &changedIn{no: no, at: at}
		r.commits[no] = c
	}
	return c
}

func (r *feedReader) loadChanged(took func(int, int64)) error {
	var rows []struct {
		No   int64           `db:"commit_no"`
		At   measure.Instant `db:"at"`
		Body []byte          `db:"body"`
	}
	err := r.tx.Select(r.ctx, &rows, `
		select commit_no, at, body from changed where commit_no > $1 order by commit_no limit $2`, r.query.After.No,
		feedRows)
	for _, row := range rows {
		stretches, err := feed.Unpack(row.Body)
		if err != nil {
			return fmt.Errorf("what commit %d has changed: %w", row.No, err)
		}
		c := r.in(row.No, row.At)
		c.stretches = append(c.stretches, stretches...)
	}
	if len(rows) > 0 {
		took(len(rows), rows[len(rows)-1].No)
	}
	return err
}

func (r *feedReader) loadAmended(took func(int, int64)) error {
	var rows []struct {
		No     int64           `db:"commit_no"`
		At     measure.Instant `db:"at"`
		Signal int64           `db:"signal_id"`
		From   measure.Instant `db:"from_at"`
		Until  measure.Instant `db:"until_at"`
	}
	err := r.tx.Select(r.ctx, &rows, `
		select commit_no, at, signal_id, from_at, until_at from amended where commit_no > $1
		order by commit_no fetch first $2 rows with ties`, r.query.After.No, feedRows)
	for _, row := range rows {
		c := r.in(row.No, row.At)
		c.stretches = append(c.stretches, feed.Stretch{Signal: row.Signal, From: row.From, Until: row.Until})
	}
	if len(rows) > 0 {
		took(len(rows), rows[len(rows)-1].No)
	}
	return err
}

func (r *feedReader) loadEntries(took func(int, int64)) error {
	var rows []struct {
		No int64 `db:"commit_no"`
		site.Entry
	}
	err := r.tx.Select(r.ctx, &rows, `
		select j.commit_no, `+entryColumns+` from journal j left join alarm a on a.id = j.alarm_id
		where j.commit_no > $1 order by j.commit_no fetch first $2 rows with ties`, r.query.After.No, feedRows)
	for _, row := range rows {
		c := r.in(row.No, row.LearnedAt)
		c.entries = append(c.entries, row.Entry)
	}
	if len(rows) > 0 {
		took(len(rows), rows[len(rows)-1].No)
	}
	return err
}

// loadSignals reads what signals are called that anything was changed of.
func (r *feedReader) loadSignals() error {
	ids := map[int64]bool{}
	for _, c := range r.commits {
		for _, s := range c.stretches {
			ids[s.Signal] = true
		}
	}
	r.signals = make(map[int64]*fedSignal, len(ids))
	if len(ids) == 0 {
		return nil
	}
	var rows []fedSignal
	err := r.tx.Select(r.ctx, &rows, `
		select s.id, d.name as device, s.name, s.kind, st.at from signal s join device d on d.id = s.device_id
		join signal_state st on st.signal_id = s.id where s.id = any($1::bigint[])`, keysOf(ids))
	for i := range rows {
		r.signals[rows[i].ID] = &rows[i]
	}
	return err
}

// loadAlarms reads how the alarms stand that anything happened to.
func (r *feedReader) loadAlarms() error {
	ids := map[int64]bool{}
	for _, c := range r.commits {
		for _, e := range c.entries {
			if e.AlarmID != nil {
				ids[*e.AlarmID] = true
			}
		}
	}
	r.alarms = make(map[int64]*alarm.Alarm, len(ids))
	if len(ids) == 0 {
		return nil
	}
	var rows []alarm.Alarm
	err := r.tx.Select(r.ctx, &rows, selectAlarm+` where id = any($1::bigint[])`, keysOf(ids))
	for i := range rows {
		r.alarms[rows[i].ID] = &rows[i]
	}
	return err
}

func keysOf(ids map[int64]bool) []int64 {
	keys := make([]int64, 0, len(ids))
	for id := range ids {
		keys = append(keys, id)
	}
	return keys
}
