package config

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

const selectRoster = `select id, name, title, steps, repeat_every, rotation, drilled_at, made_at from roster
	order by name`

// Rosters lists all rosters by name.
func Rosters(ctx context.Context, db store.Reader) ([]roster.Roster, error) {
	rosters := []roster.Roster{}
	err := db.Select(ctx, &rosters, selectRoster)
	return rosters, err
}

// SaveRoster stores a roster, new when its ID is 0; ErrTaken when the name is in use.
func SaveRoster(ctx context.Context, tx *store.Tx, r *roster.Roster) error {
	query := `insert into roster (name, title, steps, repeat_every, rotation, made_at)
		values (:name, :title, :steps, :repeat_every, :rotation, :made_at) returning id`
	if r.ID != 0 {
		query = `update roster set name = :name, title = :title, steps = :steps, repeat_every = :repeat_every,
			rotation = :rotation where id = :id returning id`
	}
	return save(ctx, tx, query, r, &r.ID, "roster "+r.Name)
}

// RemoveRoster removes a roster.
func RemoveRoster(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from roster where id = $1`, id)
	return err
}

// RosterDrilled notes that a drill of a roster went the whole way.
func RosterDrilled(ctx context.Context, db store.Writer, name string, at measure.Instant) error {
	_, err := db.Exec(ctx, `update roster set drilled_at = $2 where name = $1`, name, at)
	return err
}

// DrillAlarms gives, by roster, the standing alarms that they were not drilled for long.
func DrillAlarms(ctx context.Context, db store.Reader) (map[int64]int64, error) {
	var rows []struct {
		ID    int64 `db:"id"`
		Alarm int64 `db:"alarm_id"`
	}
	err := db.Select(ctx, &rows, `select id, alarm_id from roster where alarm_id is not null`)
	of := map[int64]int64{}
	for _, r := range rows {
		of[r.ID] = r.Alarm
	}
	return of, err
}

// SetDrillAlarm notes the standing alarm of a roster; nil: there is none.
func SetDrillAlarm(ctx context.Context, db store.Writer, rosterID int64, alarmID *int64) error {
	_, err := db.Exec(ctx, `update roster set alarm_id = $2 where id = $1`, rosterID, alarmID)
	return err
}
