package config

import (
	"context"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/store"
)

const selectPlan = `
	select p.id, p.name, a.name as asset, p.title, p.signal, p.start_test, p.end_test, p.hours, p.goals, p.made_at,
	    coalesce(p.due_at, 0) as due_at
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
func Plans(ctx context.Context, db store.Reader) ([]run.Plan, error) {
	rows := []planRow{}
	if err := db.Select(ctx, &rows, selectPlan+` order by p.name`); err != nil {
		return nil, err
	}
	return plansOf(rows)
}

// SavePlan stores a plan of an asset, new or in place of the one of its name.
func SavePlan(ctx context.Context, db store.Writer, asset int64, p *run.Plan) error {
	return db.Get(ctx, &p.ID, `
		insert into run_plan (name, asset_id, title, signal, start_test, end_test, hours, goals, made_at, due_at)
		    values ($1, $2, $3, $4, $5, $6, $7, $8, $9, nullif($10::bigint, 0))
		on conflict (name) do update set asset_id = excluded.asset_id, title = excluded.title, signal = excluded.signal,
		    start_test = excluded.start_test, end_test = excluded.end_test,
		       hours = excluded.hours, goals = excluded.goals, made_at = excluded.made_at, due_at = excluded.due_at
		           returning id`,
		p.Name, asset, p.Title, p.Signal, p.Start.String(), p.End.String(), p.Hours, p.Goals, p.MadeAt, p.DueAt)
}

// PlanDue says when a plan by schedule is looked at next.
func PlanDue(ctx context.Context, db store.Writer, id int64, at measure.Instant) error {
	_, err := db.Exec(ctx, `update run_plan set due_at = nullif($2::bigint, 0) where id = $1`, id, at)
	return err
}

// RemovePlan removes a plan; ErrNotFound.
func RemovePlan(ctx context.Context, db store.Writer, name string) error {
	var id int64
	return store.Found(db.Get(ctx, &id, `delete from run_plan where name = $1 returning id`, name))
}
