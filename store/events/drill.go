package events

import (
	"context"
	"encoding/json"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

const selectDrill = `select id, guard, started_by, started_at, committed_at, alarm_id,
	to_jsonb(rosters) as rosters_json, outputs, ended_at, ended from drill`

type drillRow struct {
	roster.Drill
	RostersJSON []byte `db:"rosters_json"`
}

func (r *drillRow) drill() (roster.Drill, error) {
	r.Steps = []roster.DrillStep{}
	err := json.Unmarshal(r.RostersJSON, &r.Rosters)
	return r.Drill, err
}

func drills(rows []drillRow, err error) ([]roster.Drill, error) {
	all := make([]roster.Drill, len(rows))
	for i := range rows {
		if err == nil {
			all[i], err = rows[i].drill()
		}
	}
	return all, err
}

// Drills gives the newest drills below an ID, newest first; 0: of all.
func Drills(ctx context.Context, db store.Reader, before int64, limit int) ([]roster.Drill, error) {
	var rows []drillRow
	err := db.Select(ctx, &rows, selectDrill+` where $1 = 0 or id < $1 order by id desc limit $2`, before, limit)
	return drills(rows, err)
}

// Drill gives one drill; ErrNotFound.
func Drill(ctx context.Context, db store.Reader, id int64) (roster.Drill, error) {
	var row drillRow
	if err := db.Get(ctx, &row, selectDrill+` where id = $1`, id); err != nil {
		return row.Drill, store.Found(err)
	}
	return row.drill()
}

// AddDrill stores a drill that begins.
func AddDrill(ctx context.Context, db store.Writer, d *roster.Drill) error {
	return db.Get(ctx, &d.ID,
		`insert into drill (guard, started_by, started_at, committed_at, alarm_id, rosters, outputs)
			values ($1, $2, $3, $4, $5, $6, $7) returning id`,
		d.Guard, d.By, d.StartedAt, d.CommittedAt, d.AlarmID, d.Rosters, d.Outputs)
}

// OpenDrills gives the drills that nobody has taken, of one alarm when alarmID is not 0, and which began at or before
// an instant.
func OpenDrills(ctx context.Context, db store.Reader, alarmID int64, begun measure.Instant) ([]roster.Drill, error) {
	var rows []drillRow
	err := db.Select(ctx, &rows, selectDrill+
		` where ended_at is null and ($1 = 0 or alarm_id = $1) and started_at <= $2 order by id`, alarmID, begun)
	return drills(rows, err)
}

// AnyOpenDrill tells whether a drill that began at or before an instant is open.
func AnyOpenDrill(ctx context.Context, db store.Reader, begun measure.Instant) (any bool, err error) {
	err = db.Get(ctx, &any, `select exists (select from drill where ended_at is null and started_at <= $1)`, begun)
	return any, err
}

// EndDrill notes how a drill ended.
func EndDrill(ctx context.Context, db store.Writer, id int64, at measure.Instant, how string) error {
	_, err := db.Exec(ctx, `update drill set ended_at = $2, ended = $3 where id = $1`, id, at, how)
	return err
}
