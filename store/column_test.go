package store_test

import (
	"context"
	"database/sql"
	"errors"
	"reflect"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/asset"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/total"
	"jauntylark/store"
	"jauntylark/store/storetest"
)

// nouns is a row with one column of each way of keeping a type of our own.
type nouns struct {
	ID     int64           `db:"id"`
	At     measure.Instant `db:"at"`
	Every  calibrate.Every `db:"every"`
	Sum    total.Amount    `db:"sum"`
	Kept   alarm.Kept      `db:"kept"`
	Units  site.Units      `db:"units"`
	Names  asset.Names     `db:"names"`
	Rungs  alarm.Rungs     `db:"rungs"`
	Rates  total.Rates     `db:"rates"`
	Pause  *alarm.Pause    `db:"pause"`
	Linked *int64          `db:"linked"`
}

// What a turn writes of a type of core, it and every other process read again, by names and by places, alone and in
// rows.
func TestEachTypeComesBackFromItsColumn(t *testing.T) {
	ctx, s := context.Background(), storetest.Store(t)
	tx, err := s.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	if _, err := tx.Exec(ctx, `create temporary table nouns (id bigint, at bigint, every text not null, sum numeric not null, kept bytea not null,
		units jsonb not null, names jsonb not null, rungs jsonb not null, rates jsonb not null, pause jsonb, linked bigint)`); err != nil {
		t.Fatal(err)
	}
	var sum total.Amount
	sum = sum.AddProduct(1<<62, -1<<62).AddProduct(3, 5)
	seven := int64(7)
	wanted := []nouns{
		{ID: 1, At: 1_800_000_000_123, Every: calibrate.Every{Months: 6}, Sum: sum,
			Kept: alarm.Kept{Edge: 5, Off: alarm.Suppressed}, Units: site.Units{"pressure": "hPa"},
			Names: asset.Names{"a", "b"}, Rungs: alarm.Rungs{{}}, Rates: total.Rates{sum, {}},
			Pause: &alarm.Pause{Why: `a "tank" is cleaned`}, Linked: &seven},
		{ID: 2, Units: site.Units{}, Names: asset.Names{}, Rungs: alarm.Rungs{}, Rates: total.Rates{}},
	}
	if err := insertNouns(ctx, tx, wanted[0]); err != nil {
		t.Fatal(err)
	}
	if err := insertNouns(ctx, tx, nouns{ID: 2}); err != nil { // nothing in a list or a map is none, not null
		t.Fatal(err)
	}
	var got []nouns
	if err := tx.Select(ctx, &got, `select * from nouns order by id`); err != nil || !reflect.DeepEqual(got, wanted) {
		t.Errorf("read %+v (%v)\nof    %+v", got, err, wanted)
	}
	var one nouns
	if err := tx.NamedGet(ctx, &one, `select * from nouns where units = :units and every = :every and sum = :sum`,
		wanted[0]); err != nil || !reflect.DeepEqual(one, wanted[0]) {
		t.Errorf("by names: %+v (%v)", one, err)
	}
	var rungs []alarm.Rungs
	if err := tx.Select(ctx, &rungs, `select rungs from nouns order by id`); err != nil || len(rungs) != 2 ||
		len(rungs[0]) != 1 {
		t.Errorf("one column alone: %v (%v)", rungs, err)
	}
	var pause *alarm.Pause
	if err := tx.Get(ctx, &pause, `select pause from nouns where id = 2`); err != nil || pause != nil {
		t.Errorf("null is %v (%v)", pause, err)
	}
	if err := tx.Get(ctx, &one, `select * from nouns where id = 3`); !errors.Is(err, sql.ErrNoRows) ||
		!errors.Is(store.Found(err), store.ErrNotFound) {
		t.Errorf("no row: %v", err)
	}
	if err := tx.Get(ctx, &one, `select *, 1 as surplus from nouns limit 1`); err == nil {
		t.Error("a column that has no place is passed over")
	}
	if err := tx.Get(ctx, &one.ID, `select id, at from nouns limit 1`); err == nil {
		t.Error("two columns make one number")
	}
}

func insertNouns(ctx context.Context, tx *store.Tx, n nouns) error {
	_, err := tx.NamedExec(ctx,
		`insert into nouns values (:id, :at, :every, :sum, :kept, :units, :names, :rungs, :rates, :pause, :linked)`, n)
	return err
}
