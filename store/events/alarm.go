package events

import (
	"context"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// While an alarm stands, its extreme moves with its guard's.
const selectAlarm = `

	select id, alarm.kind, guard, signal, about, severity, case when cleared_at is null then 'raised' else 'over'
	    end as state, alarm.raised_at, cleared_at,
	       acknowledged_at, acknowledged_by, learned_at, value,
	           coalesce(gs.extreme, low.low_extreme, alarm.extreme) as extreme, cleared_value, unit,
	       when_text, advice, sentence, ending, cause, corrected_at, side, level, worst, latched, shelved, learned_late,
	           handed_to, handed_by, comment, mark, marked_by, told_with, drill, provisional
	from alarm left join guard_state gs on gs.alarm_id = alarm.id left
	    join guard_state low on low.low_alarm_id = alarm.id`

// AlarmQuery says which alarms are wanted: each field that is set narrows.
type AlarmQuery struct {
	Standing bool   // only raised ones
	State    string // a key of alarmStates
	Severity string
	Signal   string // DEVICE/SIGNAL
	Of       *Subjects
	Guard    string
	Since    measure.Instant // standing at this instant or later
	Until    measure.Instant // raised before this instant
	Before   int64           // with a lower ID, for the next page
	Limit    int
	Drills   bool // those of drills too
}

// Subjects are what alarms are about: signals and outputs by their paths, and all of devices.
type Subjects struct{ Paths, Devices []string }

// alarmStates are the states that can be asked for.
var alarmStates = map[string]string{
	"raised":         `cleared_at is null`,
	"over":           `cleared_at is not null`,
	"unacknowledged": `cleared_at is null and acknowledged_at is null`,
	"acknowledged":   `cleared_at is null and acknowledged_at is not null`,
	"latched":        `cleared_at is null and latched`,
	"shelved":        `cleared_at is null and shelved`,
}

// Alarms gives alarms, newest first: in the order in which the service entered them.
func Alarms(ctx context.Context, db store.Reader, q AlarmQuery) ([]alarm.Alarm, error) {
	alarms := []alarm.Alarm{}
	where, args := []string{"true"}, map[string]any{"limit": q.Limit}
	narrow := func(set bool, name string, value any, condition string) {
		if set {
			where, args[name] = append(where, condition), value
		}
	}
	narrow(q.Standing, "", nil, alarmStates["raised"])
	narrow(q.State != "", "", nil, alarmStates[q.State])
	narrow(!q.Drills, "", nil, `not drill`)
	narrow(q.Severity != "", "severity", q.Severity, `severity = :severity`)
	narrow(q.Signal != "", "signal", q.Signal, `signal = :signal`)
	if q.Of != nil {
		args["devices"] = q.Of.Devices
		narrow(true, "paths", q.Of.Paths, `(signal = any(:paths) or split_part(signal, '/', 1) = any(:devices))`)
	}
	narrow(q.Guard != "", "guard", q.Guard, `guard = :guard`)
	narrow(q.Since != 0, "since", q.Since, `coalesce(cleared_at, :since) >= :since`)
	narrow(q.Until != 0, "until", q.Until, `alarm.raised_at < :until`)
	narrow(q.Before != 0, "before", q.Before, `id < :before`)
	return alarms, db.NamedSelect(ctx, &alarms, selectAlarm+` where `+strings.Join(where, " and ")+
		` order by id desc limit :limit`, args)
}

// Alarm gives one alarm.
func Alarm(ctx context.Context, db store.Reader, id int64) (alarm.Alarm, error) {
	var a alarm.Alarm
	err := db.Get(ctx, &a, selectAlarm+` where id = $1`, id)
	return a, store.Found(err)
}

// AlarmsNumbered gives alarms by their numbers, oldest first.
func AlarmsNumbered(ctx context.Context, db store.Reader, ids []int64) (alarms []alarm.Alarm, err error) {
	err = db.Select(ctx, &alarms, selectAlarm+` where id = any($1) order by id`, ids)
	return alarms, err
}

// ServiceAlarm gives the standing alarm that says what the service cannot do; 0: none stands.
func ServiceAlarm(ctx context.Context, db store.Reader, when string) (id int64, err error) {
	err = db.Get(ctx, &id,
		`select coalesce(max(id), 0) from alarm where kind = 'service' and when_text = $1 and cleared_at is null`, when)
	return id, err
}

// ServiceAlarms gives the standing alarms that say what the service cannot do, by what they say, which begins so.
func ServiceAlarms(ctx context.Context, db store.Reader, begins string) (map[string]int64, error) {
	var rows []struct {
		When string `db:"when_text"`
		ID   int64  `db:"id"`
	}
	err := db.Select(ctx, &rows, `select when_text, id from alarm
		where kind = 'service' and cleared_at is null and starts_with(when_text, $1)`, begins)
	all := make(map[string]int64, len(rows))
	for _, r := range rows {
		all[r.When] = r.ID
	}
	return all, err
}

// AddAlarm stores a new alarm.
func AddAlarm(ctx context.Context, db store.Writer, a *alarm.Alarm, commitNo int64) error {
	if a.Worst == "" {
		a.Worst = a.Severity
	}
	return db.Get(ctx, &a.ID, `
		insert into alarm (changed_in, kind, guard, signal, severity, raised_at, learned_at, value, extreme, unit,
		    when_text, advice, sentence,
		                   side, level, worst, shelved, learned_late, cleared_at, cleared_value, cause, told_with,
		                       drill, provisional, ending, about)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21, $22,
		    $23, $24, $25, $26) returning id`,
		commitNo, a.Kind, a.Guard, a.Signal, a.Severity, a.RaisedAt, a.LearnedAt, a.Value, a.Extreme, a.Unit, a.When,
		a.Advice, a.Sentence,
		a.Side, a.Level, a.Worst, a.Shelved, a.LearnedLate, a.ClearedAt, a.ClearedValue, a.Cause, a.ToldWith, a.Drill,
		a.Provisional, a.Ending, a.About)
}

// SaveAlarm writes what can change of an alarm.
func SaveAlarm(ctx context.Context, db store.Writer, a *alarm.Alarm, commitNo int64) error {
	_, err := db.Exec(ctx, `
		update alarm set changed_in = $2, cleared_at = $3, acknowledged_at = $4, acknowledged_by = $5, extreme = $6,
		    cleared_value = $7, cause = $8,
		       severity = $9, worst = $10, level = $11, when_text = $12, sentence = $13, latched = $14, shelved = $15,
		           handed_to = $16, handed_by = $17,
		       comment = $18, mark = $19, marked_by = $20, advice = $21, ending = $22
		where id = $1`, a.ID, commitNo, a.ClearedAt, a.AcknowledgedAt, a.AcknowledgedBy, a.Extreme, a.ClearedValue,
		a.Cause,
		a.Severity, a.Worst, a.Level, a.When, a.Sentence, a.Latched, a.Shelved, a.HandedTo, a.HandedBy, a.Comment,
		a.Mark, a.MarkedBy, a.Advice, a.Ending)
	return err
}

// Standing gives the alarms that stand, oldest first, and when the newest that does not was over; drills do not count.
func Standing(ctx context.Context, db store.Reader) (alarms []alarm.Alarm, quietSince measure.Instant, err error) {
	err = db.Select(ctx, &alarms, selectAlarm+` where cleared_at is null and not drill order by id`)
	if err == nil {
		err = db.Get(ctx, &quietSince, `select coalesce(max(cleared_at), 0) from alarm where not drill`)
	}
	return alarms, quietSince, err
}

// AlarmsChanged gives the alarms that commits after number since have changed, oldest first, those that stand, and the
// newest number, all as of one moment; drills do not count. A since that is negative asks for those that stand, and
// those of the last day.
func AlarmsChanged(ctx context.Context, s *store.Store,
	since int64) (commitNo int64, changed, standing []alarm.Alarm, err error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return 0, nil, nil, err
	}
	defer tx.Rollback()
	if err = tx.Get(ctx, &commitNo, `select commit_no from ledger`); err != nil {
		return 0, nil, nil, err
	}
	if standing, _, err = Standing(ctx, tx); err != nil {
		return commitNo, nil, standing, err
	}
	if since < 0 {
		err = tx.Select(ctx, &changed, selectAlarm+` where not drill and not learned_late
			and coalesce(cleared_at, alarm.raised_at) > (select coalesce(max(raised_at), 0) - 86400000 from alarm)
			    or cleared_at is null and not drill order by id`)
		return commitNo, changed, standing, err
	}
	err = tx.Select(ctx, &changed, selectAlarm+
		` where alarm.changed_in > $1 and not drill and not learned_late order by id limit 10000`, since)
	return commitNo, changed, standing, err
}

// GuardsGone gives the guards that have raised alarms and are there no more.
func GuardsGone(ctx context.Context, db store.Reader) (names []string, err error) {
	err = db.Select(ctx, &names, `
		with recursive named as (
			(select guard from alarm where guard <> '' order by guard limit 1)
			union all select (select guard from alarm a where a.guard <> '' and a.guard > named.guard order by guard limit 1) from named
			where named.guard is not null)
		select guard from named where guard is not null and not exists (select from guard g where g.name = named.guard)`)
	return names, err
}

// Driving gives the alarms that may drive interlocks: those that stand, and those of drills that are to.
func Driving(ctx context.Context, db store.Reader) (alarms []alarm.Alarm, err error) {
	err = db.Select(ctx, &alarms, selectAlarm+
		` where cleared_at is null and (not drill
			or exists (select from drill d where d.alarm_id = alarm.id and d.outputs and d.ended_at is null))
			order by id`)
	return alarms, err
}
