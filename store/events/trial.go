package events

import (
	"context"
	"errors"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

const selectTrial = `
	select t.id, t.signal_id, d.name || '/' || s.name as signal, t.note, t.started_by, t.started_at, t.ended_at, t.guard
	from trial t join signal s on s.id = t.signal_id join device d on d.id = s.device_id`

// Trials lists all trials, newest first, each with its stretches.
func Trials(ctx context.Context, db store.Reader) ([]site.Trial, error) {
	trials := []site.Trial{}
	if err := db.Select(ctx, &trials, selectTrial+` order by t.id desc`); err != nil {
		return nil, err
	}
	of := map[int64]*site.Trial{}
	for i := range trials {
		trials[i].Stretches = []site.TrialStretch{}
		of[trials[i].ID] = &trials[i]
	}
	var stretches []site.TrialStretch
	err := db.Select(ctx, &stretches,
		`select id, trial_id, label, from_at, until_at from trial_stretch order by from_at, id`)
	for _, v := range stretches {
		if t := of[v.Trial]; t != nil { // one that was added between the two looks is not there
			t.Stretches = append(t.Stretches, v)
		}
	}
	return trials, err
}

// Trial gives one trial with its stretches; ErrNotFound.
func Trial(ctx context.Context, db store.Reader, id int64) (t site.Trial, err error) {
	if err = db.Get(ctx, &t, selectTrial+` where t.id = $1`, id); err != nil {
		return t, store.Found(err)
	}
	t.Stretches = []site.TrialStretch{}
	err = db.Select(ctx, &t.Stretches,
		`select id, trial_id, label, from_at, until_at from trial_stretch where trial_id = $1 order by from_at, id`, id)
	return t, err
}

// AddTrial stores a new trial.
func AddTrial(ctx context.Context, db store.Writer, v *site.Trial) error {
	return db.Get(ctx, &v.ID,
		`insert into trial (signal_id, note, started_by, started_at) values ($1, $2, $3, $4) returning id`, v.SignalID,
		v.Note, v.By, v.StartedAt)
}

// SaveTrial writes whether a trial has ended, and which guard was made of it.
func SaveTrial(ctx context.Context, db store.Writer, v *site.Trial) error {
	_, err := db.Exec(ctx, `update trial set ended_at = $2, guard = $3 where id = $1`, v.ID, v.EndedAt, v.Guard)
	return err
}

// RemoveTrial removes a trial; the readings stay.
func RemoveTrial(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from trial where id = $1`, id)
	return err
}

// EndStretch ends the stretch of a trial that goes on, if there is one.
func EndStretch(ctx context.Context, db store.Writer, trial int64, at measure.Instant) error {
	_, err := db.Exec(ctx, `delete from trial_stretch where trial_id = $1 and until_at is null and from_at >= $2`,
		trial, at)
	if err == nil {
		_, err = db.Exec(ctx, `update trial_stretch set until_at = $2 where trial_id = $1 and until_at is null`, trial,
			at)
	}
	return err
}

// Overlaps tells whether a trial has a stretch already that shares more than its ends with another.
func Overlaps(ctx context.Context, db store.Reader, trial int64, from,
	until measure.Instant) (overlaps bool, err error) {
	err = db.Get(ctx, &overlaps,
		`select exists (select from trial_stretch where trial_id = $1 and from_at < $3 and coalesce(until_at, $3) > $2)`, trial, from, until)
	return overlaps, err
}

// AddStretch adds a stretch to a trial.
func AddStretch(ctx context.Context, db store.Writer, v *site.TrialStretch) error {
	return db.Get(ctx, &v.ID,
		`insert into trial_stretch (trial_id, label, from_at, until_at) values ($1, $2, $3, $4) returning id`, v.Trial,
		v.Label, v.From, v.Until)
}

// RemoveStretch takes a stretch out of a trial; ErrNotFound.
func RemoveStretch(ctx context.Context, db store.Writer, trial, id int64) error {
	result, err := db.Exec(ctx, `delete from trial_stretch where trial_id = $1 and id = $2`, trial, id)
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); n == 0 {
		return errors.Join(err, store.ErrNotFound)
	}
	return nil
}
