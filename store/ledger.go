package store

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"

	"jauntylark/core/measure"
)

// Where each commit is announced, and each change of devices, keys, signals or guards, by its number.
const (
	commitChannel = "jaunty_commit_"
	configChannel = "jaunty_config_"
)

// SecretOfSite is an expression of what follows in a channel's name, so that nobody who may merely read can announce
// anything.
const SecretOfSite = `(select replace(uid::text, '-', '') from way_in)`

// Ledger is what a commit takes first.
type Ledger struct {
	CommitNo int64           // one more than that of the commit before, whichever process made that
	ConfigNo int64           // tells whether devices, keys, signals or guards have changed
	Leapt    int64           // the sum of the leaps that were taken, in milliseconds
	Clock    measure.Instant // what the database's clock shows
}

// TakeLedger gives this transaction its number and makes all others wait until it ends.
func TakeLedger(ctx context.Context, db Writer) (l Ledger, err error) {
	err = db.QueryRow(ctx, `
		update ledger set commit_no = commit_no + 1
		returning commit_no, config_no, leapt, `+ClockOfDatabase+`, pg_notify('`+commitChannel+`' || `+SecretOfSite+
		`, commit_no::text)::text`).
		Scan(&l.CommitNo, &l.ConfigNo, &l.Leapt, &l.Clock, new(string))
	return l, err
}

// ClockOfDatabase is what the database's clock shows at that moment.
const ClockOfDatabase = `(extract(epoch from clock_timestamp()) * 1000)::bigint`

// Change is what a change of the configuration was about.
type Change struct {
	Scope Scope `db:"scope"`
	ID    int64 `db:"id"` // of the device
}

// Scope is what processes take anew as one.
type Scope string

// The scopes of a change.
const (
	OfDevice Scope = "device" // a device with all that hangs on it: keys, signals, guards, outputs, interlocks
	// contacts, rosters, statements, how the site itself tells, and whether all outputs are to be safe
	OfPeople Scope = "people"
	OfPlans  Scope = "plans" // plans of runs, and which of their runs are on
	OfKeys   Scope = "keys"  // the enrolment key, and keys of devices that were removed
	OfPages  Scope = "pages" // what people look at alone: boards, assets, runs that are over
	OfAll    Scope = "all"
)

// RaiseConfig tells all processes what was changed.
func RaiseConfig(ctx context.Context, db Writer, changes ...Change) (configNo int64, err error) {
	scopes, ids := make([]string, len(changes)), make([]int64, len(changes))
	for i, c := range changes {
		scopes[i], ids[i] = string(c.Scope), c.ID
	}
	err = db.QueryRow(ctx, `
		with raised as (update ledger set config_no = config_no + 1 returning config_no),
		noted as (insert into config_change select config_no, c.scope, c.id from raised, unnest($1::text[], $2::bigint[]) as c (scope, id) on conflict do nothing)
		select config_no, pg_notify('`+configChannel+`' || `+SecretOfSite+`, config_no::text)::text from raised`,
		scopes, ids).Scan(&configNo, new(string))
	return configNo, err
}

// ConfigNo is the number of the newest change of the configuration.
func ConfigNo(ctx context.Context, db Reader) (no int64, err error) {
	err = db.Get(ctx, &no, `select config_no from ledger`)
	return no, err
}

// ConfigSince tells what the changes after number since, up to number until, were about. Where that is not known any
// more, it is all.
func ConfigSince(ctx context.Context, db Reader, since, until int64) (changes []Change, err error) {
	var rows []struct {
		No int64 `db:"config_no"`
		Change
	}
	err = db.Select(ctx, &rows,
		`select config_no, scope, id from config_change where config_no > $1 and config_no <= $2 order by config_no`,
		since, until)
	if err != nil {
		return nil, err
	}
	known := since
	for _, r := range rows {
		if r.No > known+1 {
			break
		}
		known = r.No
		if !slices.Contains(changes, r.Change) {
			changes = append(changes, r.Change)
		}
	}
	if known < until || len(changes) > manyChanges {
		return []Change{{Scope: OfAll}}, nil
	}
	return changes, nil
}

const (
	manyChanges = 500    // as many are sooner taken anew all together
	keptChanges = 20_000 // processes that know an older configuration take all anew
)

// PruneChanges lets go of what the oldest changes were about.
func PruneChanges(ctx context.Context, db Writer) error {
	_, err := db.Exec(ctx, `delete from config_change where config_no <= (select config_no - $1 from ledger)`,
		keptChanges)
	return err
}

// Listen calls heard with the number of each commit, of any process, until ctx ends or the
// connection breaks. It calls heard once with the newest number when it has begun to listen.
func Listen(ctx context.Context, s *Store, heard func(commitNo int64)) error {
	return ListenOn(ctx, s, commitChannel, `select commit_no from ledger`, heard)
}

// ListenConfig is Listen for changes of devices, keys, signals or guards.
func ListenConfig(ctx context.Context, s *Store, heard func(configNo int64)) error {
	return ListenOn(ctx, s, configChannel, `select config_no from ledger`, heard)
}

// listenAsks is how long nothing is announced before the database is asked whether it is there.
const listenAsks = 3 * time.Second

// ListenOn calls heard with each number that is announced on a channel, and once with the newest when it has begun to
// listen.
func ListenOn(ctx context.Context, s *Store, channel, newestIs string, heard func(int64)) error {
	conn, err := s.db.on(ctx).Connx(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(driver any) error {
		native := driver.(*stdlib.Conn).Conn()
		err := listenOn(ctx, native, channel, newestIs, heard)
		native.Close(context.Background()) // so that nobody else gets what it listens to
		return err
	})
}

func listenOn(ctx context.Context, conn *pgx.Conn, channel, newestIs string, heard func(int64)) error {
	var name string
	if err := conn.QueryRow(ctx, `select $1 || `+SecretOfSite, channel).Scan(&name); err != nil {
		return err
	}
	if _, err := conn.Exec(ctx, `listen `+pgx.Identifier{name}.Sanitize()); err != nil {
		return err
	}
	var newest int64
	if err := conn.QueryRow(ctx, newestIs).Scan(&newest); err != nil {
		return err
	}
	for {
		heard(newest)
		note, err := awaitNote(ctx, conn)
		if err != nil {
			return err
		}
		if newest, err = strconv.ParseInt(note.Payload, 10, 64); err != nil {
			return fmt.Errorf("notification %q: %w", note.Payload, err)
		}
	}
}

// awaitNote waits for an announcement, however long, and asks now and then whether the database is still there.
func awaitNote(ctx context.Context, conn *pgx.Conn) (*pgconn.Notification, error) {
	for {
		waiting, cancel := context.WithTimeout(ctx, listenAsks)
		note, err := conn.WaitForNotification(waiting)
		cancel()
		if err == nil || ctx.Err() != nil || !errors.Is(err, context.DeadlineExceeded) {
			return note, err
		}
		asking, cancel := context.WithTimeout(ctx, listenAsks)
		err = conn.Ping(asking)
		cancel()
		if err != nil {
			return nil, err
		}
	}
}
