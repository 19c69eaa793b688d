package events

import (
	"context"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
)

// toldAlarms is how many alarms one Change tells at most.
const toldAlarms = 500

// ChangesSince tells what the commits after number since have changed, as it is now. A since that is
// negative asks for the newest number alone.
func ChangesSince(ctx context.Context, s *store.Store, since int64) (site.Update, error) {
	change := site.Update{Signals: []site.Signal{}, Outputs: []drive.Output{}, Alarms: []alarm.Alarm{}}
	tx, err := s.Begin(ctx)
	if err != nil {
		return change, err
	}
	defer tx.Rollback()
	if _, err = tx.Exec(ctx, `set transaction isolation level repeatable read read only`); err != nil {
		return change, err
	}
	err = tx.QueryRow(ctx, `select commit_no, config_no from ledger`).Scan(&change.CommitNo, &change.ConfigNo)
	if err != nil || since < 0 || since >= change.CommitNo {
		return change, err
	}
	if change.Signals, err = config.SignalsSince(ctx, tx, since); err != nil {
		return change, err
	}
	if change.Outputs, err = config.OutputsSince(ctx, tx, since); err != nil {
		return change, err
	}
	err = tx.Select(ctx, &change.Alarms, selectAlarm+
		` where alarm.changed_in > $1 and not drill order by id desc limit $2`, since, toldAlarms)
	change.Partial = len(change.Alarms) == toldAlarms
	return change, err
}
