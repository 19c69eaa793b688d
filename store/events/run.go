package events

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/store"
)

const selectRun = `

	select r.id, a.name as asset, r.title, r.plan, r.how, r.started_at, r.ended_at, r.started_by, r.ended_by, r.goals,
	    r.phases, r.note
	from run r join asset a on a.id = r.asset_id`

// RunQuery asks for runs.
type RunQuery struct {
	Asset   string          // its alone; empty: of all
	Started measure.Instant // with AfterID: those that come after the run that started then; 0: all
	AfterID int64
	Limit   int
}

// Runs lists runs, newest first.
func Runs(ctx context.Context, db store.Reader, q RunQuery) ([]run.Run, error) {
	runs := []run.Run{}
	err := db.Select(ctx, &runs, selectRun+
		` where a.removed_at is null and ($1 = '' or a.name = $1) and ($2::bigint = 0 or (r.started_at, r.id) < ($2, $3::bigint))
		order by r.started_at desc, r.id desc limit $4`, q.Asset, q.Started, q.AfterID, q.Limit)
	return runs, err
}

// Run gives one run; ErrNotFound.
func Run(ctx context.Context, db store.Reader, id int64) (r run.Run, err error) {
	err = db.Get(ctx, &r, selectRun+` where r.id = $1`, id)
	return r, store.Found(err)
}

// OpenRuns gives all runs that are on.
func OpenRuns(ctx context.Context, db store.Reader) (runs []run.Run, err error) {
	err = db.Select(ctx, &runs, selectRun+` where r.ended_at is null and a.removed_at is null order by r.id`)
	return runs, err
}

// SaveRun stores a run of an asset, new when its ID is 0.
func SaveRun(ctx context.Context, db store.Writer, asset int64, r *run.Run) error {
	if r.ID == 0 {
		return db.Get(ctx, &r.ID, `
			insert into run (asset_id, title, plan, how, started_at, ended_at, started_by, ended_by, goals, phases,
			    note) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) returning id`,
			asset, r.Title, r.Plan, r.How, r.StartedAt, r.EndedAt, r.StartedBy, r.EndedBy, r.Goals, r.Phases, r.Note)
	}
	_, err := db.Exec(ctx, `
		update run set title = $2, started_at = $3, ended_at = $4, ended_by = $5, goals = $6, phases = $7, note = $8
		    where id = $1`,
		r.ID, r.Title, r.StartedAt, r.EndedAt, r.EndedBy, r.Goals, r.Phases, r.Note)
	return err
}

// RemoveRun removes a run; the readings stay.
func RemoveRun(ctx context.Context, db store.Writer, id int64) error {
	return store.Found(db.Get(ctx, &id, `delete from run where id = $1 returning id`, id))
}

// CountAlarms tells how many alarms of some signals were raised in a stretch, drills aside.
func CountAlarms(ctx context.Context, db store.Reader, signals []string, from,
	until measure.Instant) (n int, err error) {
	err = db.Get(ctx, &n,
		`select count(*) from alarm where signal = any($1) and raised_at between $2 and $3 and not drill`, signals,
		from, until)
	return n, err
}
