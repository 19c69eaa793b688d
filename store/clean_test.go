package store_test

import (
	"context"
	"testing"

	"github.com/jmoiron/sqlx"

	"jauntylark/store"
	"jauntylark/store/storetest"
)

// What the migrations made can be taken away again, and made again.
func TestADatabaseIsCleanAgain(t *testing.T) {
	ctx, database := context.Background(), storetest.Bare(t)
	for range 2 {
		s, fresh, err := store.OpenFresh(ctx, database)
		if err != nil || !fresh {
			t.Fatal(fresh, err)
		}
		if err := store.Clean(ctx, s); err != nil {
			t.Fatal(err)
		}
		s.Close()
		db := sqlx.MustConnect("pgx", database)
		var left []string
		if err := db.Select(&left, `select relname from pg_class where relnamespace = 'public'::regnamespace union all
			select proname from pg_proc where pronamespace = 'public'::regnamespace
			union all select typname from pg_type where typnamespace = 'public'::regnamespace union all select nspname
			    from pg_namespace where nspname = 'analysis'`); err != nil || len(left) > 0 {
			t.Errorf("left: %v %v", left, err)
		}
		db.Close()
	}
}
