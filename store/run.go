package store

import (
	"context"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/total"
)

const selectRun = `
	select r.id, a.name as asset, r.title, r.plan, r.how, r.started_at, r.ended_at, r.started_by, r.ended_by, r.goals, r.phases, r.note
	from run r join asset a on a.id = r.asset_id`

// Runs lists the runs of an asset, or of all, newest first.
func (s *Store) Runs(ctx context.Context, of string, limit int) ([]run.Run, error) {
	runs := []run.Run{}
	err := s.db.SelectContext(ctx, &runs, selectRun+` where a.removed_at is null and ($1 = '' or a.name = $1) order by r.started_at desc, r.id desc limit $2`, of, limit)
	return runs, err
}

// Run gives one run; ErrNotFound.
func (s *Store) Run(ctx context.Context, id int64) (r run.Run, err error) {
	err = s.db.GetContext(ctx, &r, selectRun+` where r.id = $1`, id)
	return r, found(err)
}

// Run gives one run; ErrNotFound.
func (t *Tx) Run(ctx context.Context, id int64) (r run.Run, err error) {
	err = t.GetContext(ctx, &r, selectRun+` where r.id = $1`, id)
	return r, found(err)
}

// OpenRuns gives all runs that are on.
func (t *Tx) OpenRuns(ctx context.Context) (runs []run.Run, err error) {
	err = t.SelectContext(ctx, &runs, selectRun+` where r.ended_at is null and a.removed_at is null order by r.id`)
	return runs, err
}

// SaveRun stores a run of an asset, new when its ID is 0.
func (t *Tx) SaveRun(ctx context.Context, asset int64, r *run.Run) error {
	if r.ID == 0 {
		return t.GetContext(ctx, &r.ID, `
			insert into run (asset_id, title, plan, how, started_at, ended_at, started_by, ended_by, goals, phases, note) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) returning id`,
			asset, r.Title, r.Plan, r.How, r.StartedAt, r.EndedAt, r.StartedBy, r.EndedBy, r.Goals, r.Phases, r.Note)
	}
	_, err := t.ExecContext(ctx, `
		update run set title = $2, started_at = $3, ended_at = $4, ended_by = $5, goals = $6, phases = $7, note = $8 where id = $1`,
		r.ID, r.Title, r.StartedAt, r.EndedAt, r.EndedBy, r.Goals, r.Phases, r.Note)
	return err
}

// RemoveRun removes a run; the readings stay.
func (t *Tx) RemoveRun(ctx context.Context, id int64) error {
	return found(t.GetContext(ctx, &id, `delete from run where id = $1 returning id`, id))
}

const selectPlan = `
	select p.id, p.name, a.name as asset, p.title, p.signal, p.start_test, p.end_test, p.hours, p.goals, p.made_at, coalesce(p.due_at, 0) as due_at
	from run_plan p join asset a on a.id = p.asset_id where a.removed_at is null`

// planRow is a plan as the database has it.
type planRow struct {
	run.Plan
	StartText string `db:"start_test"`
	EndText   string `db:"end_test"`
}

func plansOf(rows []planRow) ([]run.Plan, error) {
	plans := make([]run.Plan, len(rows))
	for i := range rows {
		plans[i] = rows[i].Plan
		if err := plans[i].Start.UnmarshalText([]byte(rows[i].StartText)); err != nil {
			return nil, fmt.Errorf("plan %s: %w", plans[i].Name, err)
		}
		if err := plans[i].End.UnmarshalText([]byte(rows[i].EndText)); err != nil {
			return nil, fmt.Errorf("plan %s: %w", plans[i].Name, err)
		}
	}
	return plans, nil
}

// Plans lists all plans, by name.
func (s *Store) Plans(ctx context.Context) ([]run.Plan, error) {
	rows := []planRow{}
	if err := s.db.SelectContext(ctx, &rows, selectPlan+` order by p.name`); err != nil {
		return nil, err
	}
	return plansOf(rows)
}

// Plans lists all plans, by name.
func (t *Tx) Plans(ctx context.Context) ([]run.Plan, error) {
	rows := []planRow{}
	if err := t.SelectContext(ctx, &rows, selectPlan+` order by p.name`); err != nil {
		return nil, err
	}
	return plansOf(rows)
}

// SavePlan stores a plan of an asset, new or in place of the one of its name.
func (t *Tx) SavePlan(ctx context.Context, asset int64, p *run.Plan) error {
	return t.GetContext(ctx, &p.ID, `
		insert into run_plan (name, asset_id, title, signal, start_test, end_test, hours, goals, made_at, due_at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, nullif($10::bigint, 0))
		on conflict (name) do update set asset_id = excluded.asset_id, title = excluded.title, signal = excluded.signal, start_test = excluded.start_test, end_test = excluded.end_test,
		       hours = excluded.hours, goals = excluded.goals, made_at = excluded.made_at, due_at = excluded.due_at returning id`,
		p.Name, asset, p.Title, p.Signal, p.Start.String(), p.End.String(), p.Hours, p.Goals, p.MadeAt, p.DueAt)
}

// PlanDue says when a plan by schedule is looked at next.
func (t *Tx) PlanDue(ctx context.Context, id int64, at measure.Instant) error {
	_, err := t.ExecContext(ctx, `update run_plan set due_at = nullif($2::bigint, 0) where id = $1`, id, at)
	return err
}

// RemovePlan removes a plan; ErrNotFound.
func (t *Tx) RemovePlan(ctx context.Context, name string) error {
	var id int64
	return found(t.GetContext(ctx, &id, `delete from run_plan where name = $1 returning id`, name))
}

// CountAlarms tells how many alarms of some signals were raised in a stretch, drills aside.
func (s *Store) CountAlarms(ctx context.Context, signals []string, from, until measure.Instant) (n int, err error) {
	err = s.db.GetContext(ctx, &n, `select count(*) from alarm where signal = any($1) and raised_at between $2 and $3 and not drill`, signals, from, until)
	return n, err
}

// SumBetween gives what a total comes to between any two instants, added up from the readings themselves.
func (s *Store) SumBetween(ctx context.Context, v *total.Total, from, until measure.Instant) (float64, error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	var signal struct {
		ID   int64        `db:"id"`
		Unit measure.Unit `db:"unit"`
	}
	if err := tx.GetContext(ctx, &signal, `select s.id, s.unit from total t join signal s on s.id = t.signal_id where t.id = $1`, v.ID); err != nil {
		return 0, found(err)
	}
	about, err := tx.past(ctx, signal.ID)
	if err != nil {
		return 0, err
	}
	all, err := tx.summings(ctx, signal.ID)
	if err != nil {
		return 0, err
	}
	var tariff *total.Tariff
	for i := range all {
		if all[i].id == v.ID {
			tariff = all[i].tariff
		}
	}
	edges := []measure.Instant{from}
	for _, midnight := range total.Edges(total.ByDay, from, until, about.zone) {
		if midnight > from && midnight < until {
			edges = append(edges, midnight)
		}
	}
	edges = append(edges, until)
	var cuts []total.Cut
	if tariff != nil {
		cuts = tariff.Cuts(from, until, about.zone)
	}
	f := total.NewFolder(edges, cuts, about.Silence)
	if err := tx.EachReading(ctx, signal.ID, from-about.Silence, until+about.Silence, func(some []measure.Reading) error { f.Add(some); return nil }); err != nil {
		return 0, err
	}
	return v.Over(f.Tallies(), &total.Source{Unit: signal.Unit, Zone: about.zone, Tariff: tariff}), nil
}
