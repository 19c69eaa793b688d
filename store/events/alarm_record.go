package events

import (
	"context"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// AddMissed notes that a guard raised no alarm where it should have.
func AddMissed(ctx context.Context, db store.Writer, guard string, at measure.Instant, note, who string,
	now measure.Instant) error {
	_, err := db.Exec(ctx, `insert into missed (guard, at, note, who, said_at) values ($1, $2, $3, $4, $5)`, guard, at,
		note, who, now)
	return err
}

// PastOf gives the alarms of a guard that were raised in a stretch, in order of their raises; drills do not count.
func PastOf(ctx context.Context, db store.Reader, guard string, from,
	until measure.Instant) (alarms []alarm.Alarm, err error) {
	err = db.Select(ctx, &alarms, selectAlarm+
		` where guard = $1 and not drill and alarm.raised_at >= $2 and alarm.raised_at < $3 order by alarm.raised_at, alarm.id`,
		guard, from, until)
	return alarms, err
}

// Recall gives what people made of a guard's alarms that were raised in a stretch.
func Recall(ctx context.Context, db store.Reader, guard string, from, until measure.Instant) (alarm.Record, error) {
	alarms, err := PastOf(ctx, db, guard, from, until)
	if err != nil {
		return alarm.Record{}, err
	}
	var missed int
	err = db.Get(ctx, &missed, `select count(*) from missed where guard = $1 and at >= $2 and at < $3`, guard, from,
		until)
	return alarm.Recall(alarms, missed, from, until), err
}

// Told gives what the judgement of the whole looks at: the alarms that were raised in a stretch, or stood at its
// beginning, in order of their raises; and how many each person was told of.
func Told(ctx context.Context, db store.Reader, from,
	until measure.Instant) (all []alarm.Told, people []alarm.Recipient, err error) {
	all, people = []alarm.Told{}, []alarm.Recipient{}
	err = db.Select(ctx, &all, `
		select id, guard, signal, kind, worst, raised_at, cleared_at from alarm
		where (raised_at >= $1 or cleared_at is null) and raised_at < $2 and not drill order by raised_at, id`, from,
		until)
	if err != nil {
		return nil, nil, err
	}
	err = db.Select(ctx, &people, `
		select coalesce(nullif(contact, ''), address) as address, count(distinct alarm_id) as alarms from notice
		where kind = 'raise' and created_at >= $1 and created_at < $2 and not coalesce((route->>'drill')::boolean, false)
		    group by 1 order by 2 desc, 1`, from, until)
	return all, people, err
}
