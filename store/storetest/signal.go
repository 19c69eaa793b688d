package storetest

import (
	"context"
	"testing"

	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
)

// AddSignal stores the signal s of numbers, of the device d.
func AddSignal(t testing.TB, s *store.Store) site.Signal {
	t.Helper()
	ctx := context.Background()
	tx, err := s.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	ledger, err := store.TakeLedger(ctx, tx)
	if err != nil {
		t.Fatal(err)
	}
	d := site.Device{Name: "d"}
	if err := config.AddDevice(ctx, tx, &d, 1); err != nil {
		t.Fatal(err)
	}
	v := site.Signal{Device: "d", Name: "s", Kind: site.KindNumber}
	if err := config.AddSignal(ctx, tx, d.ID, &v, ledger.CommitNo, 1); err != nil {
		t.Fatal(err)
	}
	if err := tx.Commit(); err != nil {
		t.Fatal(err)
	}
	return v
}
