package store_test

import (
	"context"
	"database/sql"
	"os"
	"testing"

	"jauntylark/store/config"
	"jauntylark/store/events"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/store"
	"jauntylark/store/storetest"
)

// A site of before rungs is brought up to date with its guards where they stood.
func TestGuardsStandWhereTheyStoodAfterAnUpgrade(t *testing.T) {
	ctx, url := context.Background(), storetest.Bare(t)
	db, err := sql.Open("pgx", url)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, os.DirFS("migrations"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := provider.UpTo(ctx, 4); err != nil {
		t.Fatal(err)
	}
	for _, statement := range []string{
		`insert into device (name, created_at) values ('d', 1)`,
		`insert into signal (device_id, name, kind, created_at) values (1, 'v', 'number', 1)`,
		`insert into guard (signal_id, name, when_text, deadband, on_delay, off_delay, severity, tell, advice)
			values (1, 'g', 'above 30', 1, 0, 0, 'critical', '{}', '')`,
		`insert into alarm (changed_in, guard, signal, severity, raised_at, learned_at, value, extreme, unit, when_text,
			advice, sentence) values (1, 'g', 'd/v', 'critical', 500, 500, 31, 35.5, '', 'above 30', '',
			'D v is above 30')`,
		`insert into guard_state (guard_id, changed_in, phase, acknowledged, since, raised_at, extreme, begun_at,
			alarm_id, silent_since) values (1, 1, 3, true, 900, 500, 35.5, 400, 1, 950)`,
	} {
		if _, err := db.Exec(statement); err != nil {
			t.Fatalf("%s: %v", statement, err)
		}
	}
	records, err := store.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer records.Close()
	tx, err := records.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	states, err := config.GuardStates(ctx, tx, 0)
	if err != nil || len(states) != 1 {
		t.Fatal(states, err)
	}
	want := alarm.Kept{SilentSince: 950}
	want.Rungs[0] = alarm.RungState{Phase: alarm.Easing, Since: 900}
	want.Sides[alarm.High] = alarm.SideState{Level: 1, Acknowledged: true, RaisedAt: 500, Extreme: 35.5}
	if states[0].Kept != want || states[0].BegunAt != 400 || *states[0].AlarmID != 1 {
		t.Errorf("%+v\nwant %+v", states[0], want)
	}
	guards, err := config.Guards(ctx, tx)
	if err != nil || guards[0].MadeAt != measure.Instant(400) || len(guards[0].Rungs) != 0 || guards[0].When.A != 30 {
		t.Errorf("%+v %v", guards, err)
	}
	a, err := events.Alarm(ctx, tx, 1)
	if err != nil || a.Worst != alarm.Critical || a.Extreme != 35.5 || a.Level != "" {
		t.Errorf("%+v %v", a, err)
	}
}
