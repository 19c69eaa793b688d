package config

import (
	"context"
	"slices"

	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// Derivation is a derived signal as the pipeline knows it.
type Derivation struct {
	Signal int64         `db:"id"`
	Recipe derive.Recipe `db:"recipe"`
	Inputs []int64       `db:"-"` // in the order of the recipe
}

// Derivations gives all derived signals, or those of some devices.
func Derivations(ctx context.Context, db store.Reader, devices ...int64) ([]Derivation, error) {
	var all []Derivation
	query, args := of(devices, `select id, recipe from signal where recipe is not null`, "device_id = any($devices)")
	if err := db.Select(ctx, &all, query+` order by id`, args...); err != nil || len(all) == 0 {
		return nil, err
	}
	var inputs []struct {
		Derived int64 `db:"derived_id"`
		Input   int64 `db:"input_id"`
	}
	query, args = of(devices, `select derived_id, input_id from derived_input where true`,
		"derived_id in (select id from signal where device_id = any($devices))")
	if err := db.Select(ctx, &inputs, query+` order by derived_id, place`, args...); err != nil {
		return nil, err
	}
	for _, in := range inputs {
		i, _ := slices.BinarySearchFunc(all, in.Derived, func(d Derivation, id int64) int { return int(d.Signal - id) })
		all[i].Inputs = append(all[i].Inputs, in.Input)
	}
	return all, nil
}

// reachOf is how far ahead a change of an input is felt, as the column says it.
func reachOf(m *derive.Machine) measure.Instant {
	if m.Lasting() {
		return -1
	}
	return m.Reach()
}

// SaveDerivation stores how a signal is computed. Whatever was computed of it before holds no more.
func SaveDerivation(ctx context.Context, db store.Writer, d *Derivation, sources []derive.Source,
	m *derive.Machine) error {
	holds := make([]int64, len(sources))
	for i, s := range sources {
		holds[i] = int64(s.Hold)
	}
	_, err := db.Exec(ctx,
		`update signal set recipe = $2, made_of = $3, holds = $4, reach = $5, computed_until = 0 where id = $1`,
		d.Signal, d.Recipe, d.Recipe.Words(), holds, reachOf(m))
	if err == nil {
		_, err = db.Exec(ctx,
			`with old as (delete from recompute where signal_id = $1) delete from derived_input where derived_id = $1`,
			d.Signal)
	}
	if err == nil {
		_, err = db.Exec(ctx,
			`insert into derived_input select $1, n.place, n.id
				from unnest($2::bigint[]) with ordinality as n(id, place)`, d.Signal, d.Inputs)
	}
	return err
}

// RemoveSignal removes a signal; what is stored of it goes with DropReadings.
func RemoveSignal(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from signal where id = $1`, id)
	return err
}

// Recipe gives how a signal is computed, nil when it is measured, and which signals are computed from it.
func Recipe(ctx context.Context, db store.Reader, signal int64) (recipe *derive.Recipe, into []int64, err error) {
	var rows []derive.Recipe
	if err := db.Select(ctx, &rows, `select recipe from signal where id = $1 and recipe is not null`,
		signal); err != nil {
		return nil, nil, err
	}
	if len(rows) > 0 {
		recipe = &rows[0]
	}
	err = db.Select(ctx, &into, `select distinct derived_id from derived_input where input_id = $1 order by 1`, signal)
	return recipe, into, err
}
