package store

import (
	"context"
	"fmt"
	"strconv"

	"github.com/jackc/pgx/v5/stdlib"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/site"
)

// channel is where each commit is announced, by its number.
const channel = "jaunty_commit"

// configChannel is where each change of devices, keys, signals or guards is announced, by its number.
const configChannel = "jaunty_config"

// TakeLedger gives this transaction its number and makes all others wait until it ends. The number
// is one more than that of the commit before it, whichever process made that; configNo tells whether
// devices, keys, signals or guards have changed.
func (t *Tx) TakeLedger(ctx context.Context) (commitNo, configNo int64, err error) {
	err = t.QueryRowxContext(ctx, `
		update ledger set commit_no = commit_no + 1
		returning commit_no, config_no, pg_notify('`+channel+`', commit_no::text)::text`).Scan(&commitNo, &configNo, new(string))
	return commitNo, configNo, err
}

// RaiseConfig tells all processes that devices, keys, signals or guards have changed.
func (t *Tx) RaiseConfig(ctx context.Context) (configNo int64, err error) {
	err = t.QueryRowxContext(ctx, `
		update ledger set config_no = config_no + 1 returning config_no, pg_notify('`+configChannel+`', config_no::text)::text`).Scan(&configNo, new(string))
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
	return s.listen(ctx, channel, `select commit_no from ledger`, heard)
}

// ListenConfig is Listen for changes of devices, keys, signals or guards.
func (s *Store) ListenConfig(ctx context.Context, heard func(configNo int64)) error {
	return s.listen(ctx, configChannel, `select config_no from ledger`, heard)
}

func (s *Store) listen(ctx context.Context, channel, newestIs string, heard func(int64)) error {
	conn, err := s.db.Connx(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(driver any) error {
		native := driver.(*stdlib.Conn).Conn()
		if _, err := native.Exec(ctx, `listen `+channel); err != nil {
			return err
		}
		var newest int64
		if err := native.QueryRow(ctx, newestIs).Scan(&newest); err != nil {
			return err
		}
		for {
			heard(newest)
			note, err := native.WaitForNotification(ctx)
			if err != nil {
				native.Close(context.Background())
				return err
			}
			if newest, err = strconv.ParseInt(note.Payload, 10, 64); err != nil {
				return fmt.Errorf("notification %q: %w", note.Payload, err)
			}
		}
	})
}
