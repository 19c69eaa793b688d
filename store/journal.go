package store

import (
	"context"

	"jauntylark/core/site"
)

// AddEntry appends to the journal.
func (t *Tx) AddEntry(ctx context.Context, e site.Entry, commitNo int64) error {
	_, err := t.ExecContext(ctx, `
		insert into journal (commit_no, at, learned_at, kind, subject, who, value, text, alarm_id) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
		commitNo, e.At, e.LearnedAt, e.Kind, e.Subject, e.Who, e.Value, e.Text, e.AlarmID)
	return err
}

// Journal gives entries, newest first: those of one alarm when alarmID is not 0, those with a lower
// ID than before when that is not 0.
func (s *Store) Journal(ctx context.Context, alarmID, before int64, limit int) ([]site.Entry, error) {
	entries := []site.Entry{}
	err := s.db.SelectContext(ctx, &entries, `
		select id, at, learned_at, kind, subject, who, value, text, alarm_id from journal
		where ($1 = 0 or alarm_id = $1) and ($2 = 0 or id < $2) order by id desc limit $3`, alarmID, before, limit)
	return entries, err
}
