package store

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Where each commit is announced, and each change of devices, keys, signals or guards, by its number. What follows in a channel's
// name is a secret of the site's, so that nobody who may merely read can announce anything.
const (
	commitChannel = "jaunty_commit_"
	configChannel = "jaunty_config_"
	secretOfSite  = `(select replace(uid::text, '-', '') from way_in)`
)

// Ledger is what a commit takes first.
type Ledger struct {
	CommitNo int64           // one more than that of the commit before, whichever process made that
	ConfigNo int64           // tells whether devices, keys, signals or guards have changed
	Leapt    int64           // the sum of the leaps that were taken, in milliseconds
	Clock    measure.Instant // what the database's clock shows
}

// TakeLedger gives this transaction its number and makes all others wait until it ends.
func (t *Tx) TakeLedger(ctx context.Context) (l Ledger, err error) {
	err = t.QueryRowxContext(ctx, `
		update ledger set commit_no = commit_no + 1
		returning commit_no, config_no, leapt, `+clockOfDatabase+`, pg_notify('`+commitChannel+`' || `+secretOfSite+`, commit_no::text)::text`).
		Scan(&l.CommitNo, &l.ConfigNo, &l.Leapt, &l.Clock, new(string))
	return l, err
}

// clockOfDatabase is what the database's clock shows at that moment.
const clockOfDatabase = `(extract(epoch from clock_timestamp()) * 1000)::bigint`

// RaiseConfig tells all processes that devices, keys, signals or guards have changed.
func (t *Tx) RaiseConfig(ctx context.Context) (configNo int64, err error) {
	err = t.QueryRowxContext(ctx, `
		update ledger set config_no = config_no + 1 returning config_no, pg_notify('`+configChannel+`' || `+secretOfSite+`, config_no::text)::text`).Scan(&configNo, new(string))
	return configNo, err
}

// toldAlarms is how many alarms one Change tells at most.
const toldAlarms = 500

// ChangesSince tells what the commits after number since have changed, as it is now. A since that is
// negative asks for the newest number alone.
func (s *Store) ChangesSince(ctx context.Context, since int64) (site.Change, error) {
	change := site.Change{Signals: []site.Signal{}, Alarms: []alarm.Alarm{}, Outputs: []drive.Output{}}
	tx, err := s.Begin(ctx)
	if err != nil {
		return change, err
	}
	defer tx.Rollback()
	if _, err = tx.ExecContext(ctx, `set transaction isolation level repeatable read read only`); err != nil {
		return change, err
	}
	err = tx.QueryRowxContext(ctx, `select commit_no, config_no from ledger`).Scan(&change.CommitNo, &change.ConfigNo)
	if err != nil || since < 0 || since >= change.CommitNo {
		return change, err
	}
	if err = tx.SelectContext(ctx, &change.Signals, selectSignal+` where st.changed_in > $1 order by s.id`, since); err != nil {
		return change, err
	}
	titled(change.Signals)
	if err = tx.SelectContext(ctx, &change.Outputs, selectOutput+` where st.changed_in > $1 order by o.id`, since); err != nil {
		return change, err
	}
	err = tx.SelectContext(ctx, &change.Alarms, selectAlarm+` where alarm.changed_in > $1 and not drill order by id desc limit $2`, since, toldAlarms)
	change.Partial = len(change.Alarms) == toldAlarms
	return change, err
}

// Listen calls heard with the number of each commit, of any process, until ctx ends or the
// connection breaks. It calls heard once with the newest number when it has begun to listen.
func (s *Store) Listen(ctx context.Context, heard func(commitNo int64)) error {
	return s.listen(ctx, commitChannel, `select commit_no from ledger`, heard)
}

// ListenConfig is Listen for changes of devices, keys, signals or guards.
func (s *Store) ListenConfig(ctx context.Context, heard func(configNo int64)) error {
	return s.listen(ctx, configChannel, `select config_no from ledger`, heard)
}

// listenAsks is how long nothing is announced before the database is asked whether it is there.
const listenAsks = 3 * time.Second

func (s *Store) listen(ctx context.Context, channel, newestIs string, heard func(int64)) error {
	conn, err := s.db.Connx(ctx)
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
	if err := conn.QueryRow(ctx, `select $1 || `+secretOfSite, channel).Scan(&name); err != nil {
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
