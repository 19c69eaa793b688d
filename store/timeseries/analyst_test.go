package timeseries_test

import (
	"context"
	"math/rand/v2"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/store"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

// Analysts see the same readings and figures through their views, and nothing else.
func TestAnalystsReadTheViews(t *testing.T) {
	ctx, database := context.Background(), storetest.URL(t)
	s, err := store.Open(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	p := &past{Store: s, t: t, signal: storetest.AddSignal(t, s).ID, model: map[measure.Instant]float64{},
		rand: rand.New(rand.NewPCG(9, 9))}
	now := measure.Instant(1_790_000_000_000)
	p.arrive(p.fresh(6000, now-86_400_000*3, now))
	if _, err := timeseries.Seal(ctx, p.Store, now-3_600_000, now); err != nil {
		t.Fatal(err)
	}
	if _, err := timeseries.Follow(ctx, p.Store, now); err != nil {
		t.Fatal(err)
	}
	db := sqlx.MustConnect("pgx", storetest.Analyst(t, database))
	defer db.Close()
	for query, want := range map[string]int{
		`select count(*) from reading where device = 'd' and signal = 's'`: len(
			p.model),
		`select count(*) from readings('d', 's', '2026-01-01', '2027-01-01')`: len(
			p.model),
		`select count(*) from readings('d', 's', to_timestamp(1790000000 - 7200), to_timestamp(1790000000))`: len(
			series.Cut(p.all(), now-7_200_000, now-1)),
		`select count(*) from readings(to_timestamp(1790000000 - 7200), to_timestamp(1790000000)) where device = 'd'`: len(
			series.Cut(p.all(), now-7_200_000, now-1)),
		`select (sum(count) + (select count(*) from reading where at > (select max(last_at) from block)))::int
			from block`: len(p.model),
		`select count(*) from signal where newest_at is null`: 1,
		`select count(*) from alarm`:                          0,
	} {
		var got int
		if err := db.Get(&got, query); err != nil || got != want {
			t.Errorf("%s: %d, want %d %v", query, got, want, err)
		}
	}
	var hours int
	if err := db.Get(&hours, `select count(*) from hourly where low <= held_mean and held_mean <= high`); err != nil ||
		hours < 60 {
		t.Errorf("%d hours %v", hours, err)
	}
	for _, forbidden := range []string{`select * from public.person`, `select uid from public.way_in`,
		`set transaction_read_only = off; select lo_create(0)`,
		`set transaction_read_only = off; select lo_from_bytea(0, 'x')`, `select pg_advisory_lock(1)`,
		`select pg_try_advisory_lock_shared(1)`,
		`select pg_advisory_xact_lock(1)`, `select pg_notify('jaunty_commit', '1')`,
		`create temporary table x (y integer)`,
		`set session characteristics as transaction read write; select lo_create(0)`, `select * from public.device_key`,
		`delete from public.reading`, `create table x (y integer)`, `create table public.x (y integer)`} {
		if _, err := db.Exec(forbidden); err == nil {
			t.Errorf("may %s", forbidden)
		}
	}
}

// A stretch opens the blocks that it needs alone, all of one device's signals included: a block that cannot be opened
// hurts who asks for it, and nobody else. Since is inside, until is outside.
func TestAStretchOpensItsBlocksAlone(t *testing.T) {
	ctx, database := context.Background(), storetest.URL(t)
	s, err := store.Open(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	p := &past{Store: s, t: t, signal: storetest.AddSignal(t, s).ID, model: map[measure.Instant]float64{},
		rand: rand.New(rand.NewPCG(9, 9))}
	now := measure.Instant(1_790_000_000_000)
	p.arrive(p.fresh(20_000, now-86_400_000*9, now))
	if _, err := timeseries.Seal(ctx, p.Store, now-3_600_000, now); err != nil {
		t.Fatal(err)
	}
	owner, db := sqlx.MustConnect("pgx", database), sqlx.MustConnect("pgx", storetest.Analyst(t, database))
	defer owner.Close()
	defer db.Close()
	all := p.all()
	broken := owner.MustExec(`update block set body = '' where first_at < (select max(first_at) from block)`)
	if n, _ := broken.RowsAffected(); n == 0 {
		t.Fatal("there is one block alone")
	}
	var first int64
	if err := owner.Get(&first, `select max(first_at) from block`); err != nil {
		t.Fatal(err)
	}
	since := measure.Instant(first)
	within := series.Cut(all, since, now)
	last := within[len(within)-1].At
	for _, query := range []string{
		`select count(*) from readings('d', 's', $1, $2)`,
		`select count(*) from readings($1, $2) where device = 'd'`,
		`select count(*) from readings($1, $2) where signal = 's' and value is not null`,
		`select count(*) from reading where block_last_at >= $1 and block_first_at < $2 and at >= $1 and at < $2`,
	} {
		var got int
		if err := db.Get(&got, query, since.Time(), last.Time()); err != nil || got != len(within)-1 {
			t.Errorf("%s: %d, want %d %v", query, got, len(within)-1, err)
		}
		if err := db.Get(&got, query, since.Add(-time.Hour).Time(), last.Time()); err == nil {
			t.Errorf("%s: opened no block but the last one", query)
		}
	}
}

// The columns that docs/sql.md names are there, in that order, and no other.
func TestTheViewsHaveTheColumnsThatTheirPageNames(t *testing.T) {
	database := storetest.URL(t)
	s, err := store.Open(context.Background(), database)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	page, err := os.ReadFile("../../docs/sql.md")
	if err != nil {
		t.Fatal(err)
	}
	db := sqlx.MustConnect("pgx", storetest.Analyst(t, database))
	defer db.Close()
	remark := regexp.MustCompile(`\([^)]*\)`)
	named := map[string]string{}
	for _, row := range regexp.MustCompile("(?m)^\\| (`[^|]*) \\|[^|]*\\| ([^|]*) \\|$").FindAllStringSubmatch(string(page), -1) {
		columns := strings.ReplaceAll(remark.ReplaceAllString(row[2], ""), " ", "")
		for _, view := range strings.Split(row[1], ", ") {
			named[strings.Trim(view, "`")] = columns
		}
	}
	var views []string
	if err := db.Select(&views, `select table_name from information_schema.views where table_schema = 'analysis' order by 1`); err != nil {
		t.Fatal(err)
	}
	for _, view := range views {
		var there string
		if err := db.Get(&there, `select string_agg(column_name, ',' order by ordinal_position) from information_schema.columns
			where table_schema = 'analysis' and table_name = $1`, view); err != nil {
			t.Fatal(err)
		}
		if there != named[view] {
			t.Errorf("%s has\n%s\ndocs/sql.md says\n%s", view, there, named[view])
		}
		delete(named, view)
	}
	if len(named) > 0 {
		t.Errorf("docs/sql.md names what is not there: %v", named)
	}
}

// What an analyst announces, which PostgreSQL cannot forbid, reaches nobody; what one runs too long is ended, whatever
// it sets.
func TestAnalystsDisturbNobody(t *testing.T) {
	database := storetest.URL(t)
	s, err := store.Open(context.Background(), database)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	heard := make(chan int64, 100)
	go func() { _ = store.Listen(ctx, s, func(n int64) { heard <- n }) }()
	<-heard
	db := sqlx.MustConnect("pgx", storetest.Analyst(t, database))
	defer db.Close()
	for _, channel := range []string{"jaunty_commit", "jaunty_commit_", "jaunty_config"} {
		db.MustExec("notify " + channel + ", '99999999'")
	}
	tx, err := s.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	mine, err := store.TakeLedger(ctx, tx)
	if err != nil || tx.Commit() != nil {
		t.Fatal(err)
	}
	if n := <-heard; n != mine.CommitNo || len(heard) > 0 {
		t.Errorf("heard %d, committed %d", n, mine.CommitNo)
	}
	admin := sqlx.MustConnect("pgx", database)
	defer admin.Close()
	var may bool
	if err := admin.Get(&may, `select pg_has_role('jaunty_analyst', 'member')`); err != nil || !may {
		t.Error("the service may not end what analysts run:", err)
	}
	ended := make(chan error, 1)
	go func() {
		_, err := db.Exec(`set statement_timeout = 0; select pg_sleep(60)`)
		ended <- err
	}()
	standing := db.MustBegin()
	standing.MustExec(`select 1`)
	storetest.Eventually(t, "both run", func() bool {
		var n int
		return admin.Get(&n,
			`select count(*) from pg_stat_activity where usename = 'jaunty_analyst' and datname = current_database()
				and state <> 'idle'`) == nil && n == 2
	})
	if n, err := store.EndAnalysts(ctx, s, time.Minute, time.Minute); err != nil || n != 0 {
		t.Error("what has not run long was ended:", n, err)
	}
	time.Sleep(50 * time.Millisecond)
	if n, err := store.EndAnalysts(ctx, s, 20*time.Millisecond, 20*time.Millisecond); err != nil || n != 2 {
		t.Error("what ran too long was not ended:", n, err)
	}
	if err := <-ended; err == nil {
		t.Error("it ran to its end")
	}
}
