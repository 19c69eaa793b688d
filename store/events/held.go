package events

import (
	"context"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

// HeldUntil tells until when the raise of an alarm to an address is held back, and why; 0: it is not.
func HeldUntil(ctx context.Context, db store.Reader, alarmID int64,
	a roster.Address) (until measure.Instant, why string, err error) {
	var held []struct {
		Until measure.Instant `db:"due_at"`
		Why   string          `db:"held_why"`
	}
	err = db.Select(ctx, &held, `
		select due_at, held_why from notice where alarm_id = $1 and address = $2 and carrier = $3 and state = 'held'
		    order by due_at desc limit 1`, alarmID, a.To, a.Carrier)
	if len(held) > 0 {
		until, why = held[0].Until, held[0].Why
	}
	return until, why, err
}

// Held is a notice that was held back, with what it says of its alarm.
type Held struct {
	roster.Notice
	Taken   bool             `db:"taken"` // somebody has the alarm, or it is shelved
	Guard   string           `db:"guard"`
	Signal  string           `db:"signal"` // or the device
	Cleared *measure.Instant `db:"cleared_at"`
}

// Over tells whether the alarm is over.
func (h *Held) Over() bool { return h.Cleared != nil }

// HeldDue gives the notices that were held back until now, in order: of a reader who was told too much, all that wait
// for that.
func HeldDue(ctx context.Context, db store.Reader, now measure.Instant) (held []Held, err error) {
	err = db.Select(ctx, &held, `
		select n.id, n.alarm_id, n.kind, n.severity, n.contact, n.carrier, n.address, n.why, n.created_at, n.held_why,
		    n.route,
		       a.cleared_at, a.acknowledged_at is not null or a.shelved as taken, a.guard, a.signal
		from notice n join alarm a on a.id = n.alarm_id
		where n.state = 'held' and (n.due_at <= $1 or n.held_why = 'flood' and (n.carrier, n.address) in (
		      select carrier, address from notice where state = 'held' and held_why = 'flood' and due_at <= $1))
		          order by n.id`, now)
	return held, err
}

// Release lets notices that were held back go on with a state: waiting, or summed up.
func Release(ctx context.Context, db store.Writer, notices []int64, state string, now measure.Instant) error {
	if len(notices) == 0 {
		return nil
	}
	_, err := db.Exec(ctx, `update notice set state = $2, due_at = $3 where id = any($1)`, notices, state, now)
	return err
}

// Reword gives a notice other words, of what is so now.
func Reword(ctx context.Context, db store.Writer, n roster.Notice) error {
	_, err := db.Exec(ctx,
		`update notice set subject = $2, text = $3, severity = $4, urgency = $5, route = $6 where id = $1`, n.ID,
		n.Subject, n.Text, n.Severity, urgency(n.Severity), n.Route)
	return err
}

// HoldOld holds back what waits since an instant, or since another was tried in vain, and whose alarm is over, so that
// one summary tells it.
func HoldOld(ctx context.Context, db store.Writer, since, tried, now measure.Instant) (held int64, err error) {
	result, err := db.Exec(ctx, `
		update notice n set state = 'held', held_why = 'old news', due_at = $2
		where n.state = 'waiting' and (n.created_at <= $1 or n.attempts > 0 and n.created_at <= $3)
		    and n.claimed_until <= $2 and n.kind in ('raise', 'worsen', 'ease', 'latched', 'return', 'hand', 'taken')
		  and exists (select from alarm a where a.id = n.alarm_id and a.cleared_at is not null)
		  and not exists (select from notice o where o.alarm_id = n.alarm_id and o.address = n.address
		      and o.carrier = n.carrier and o.state in ('sent', 'delivered'))`, since, now, tried)
	if err != nil {
		return 0, err
	}
	return result.RowsAffected()
}

// AnyOld tells whether HoldOld would find anything.
func AnyOld(ctx context.Context, db store.Reader, since, tried measure.Instant) (any bool, err error) {
	err = db.Get(ctx, &any, `
		select exists (select from notice n where n.state = 'waiting'
		    and (n.created_at <= $1 or n.attempts > 0 and n.created_at <= $2)
		    and exists (select from alarm a where a.id = n.alarm_id and a.cleared_at is not null))`, since, tried)
	return any, err
}

// floodLook is how many notices that are held already are looked at beyond those that count.
const floodLook = 50

// Flood is how much an address is told.
type Flood struct {
	// notices since some instant about alarms as severe or more, without those that are held for a flood
	Told  int             `db:"told"`
	First measure.Instant `db:"first"` // when the first of these was planned
	Until measure.Instant `db:"until"` // until when notices are held for a flood; 0: none is

	Own      int             `db:"own"` // the same, of the guard alone, or of what else raised the alarm
	OwnFirst measure.Instant `db:"own_first"`
	OwnUntil measure.Instant `db:"own_until"`

	Heard bool            `db:"heard"` // something of the device was told, or is held
	Next  measure.Instant `db:"next"`  // when the next of those that are held for a flood are told; 0: none is
}

// FloodOf tells how much an address got, or gets, since an instant, beside what is to be told of an alarm: of its
// newest notices, some more than most.
func FloodOf(ctx context.Context, db store.Reader, to roster.Address, a alarm.Alarm, since measure.Instant,
	most int) (f Flood, err error) {
	err = db.Get(ctx, &f, `
		with newest as (
			select n.held_why, n.created_at, n.due_at, n.state, n.urgency <= $4 as severe, a.kind = $6 and a.guard = $7
			    and a.signal = $8 as own,
			       split_part(a.signal, '/', 1) = split_part($8, '/', 1) as device
			from (select * from notice where carrier = $1 and address = $2 and created_at > $3 and alarm_id is not null
			    order by created_at desc limit $5) as n
			join alarm a on a.id = n.alarm_id)
		select count(*) filter (where severe and held_why not in ('flood', 'noisy guard')) as told,
		       coalesce(min(created_at) filter (where severe and held_why not in ('flood', 'noisy guard')), 0) as first,
		       coalesce(max(due_at) filter (where held_why = 'flood' and state = 'held'), 0) as until,
		       count(*) filter (where own and held_why <> 'noisy guard') as own,
		       coalesce(min(created_at) filter (where own and held_why <> 'noisy guard'), 0) as own_first,
		       coalesce(max(due_at) filter (where own and held_why = 'noisy guard' and state = 'held'), 0) as own_until,
		       coalesce(min(due_at) filter (where held_why = 'flood' and state = 'held'), 0) as next,
		       coalesce(bool_or(device), false) as heard
		from newest`,
		to.Carrier, to.To, since, urgency(a.Severity), most+floodLook, a.Kind, a.Guard, a.Signal)
	return f, err
}

// gapLook is how far back messages are looked for that a next one follows too soon.
const gapLook = 25 * time.Hour

// LastTo tells when an address was last told something; 0: nothing within a day.
func LastTo(ctx context.Context, db store.Reader, a roster.Address,
	now measure.Instant) (at measure.Instant, err error) {
	err = db.Get(ctx, &at, `
		select coalesce(max(greatest(created_at, case when attempts <= 1 then due_at else 0 end)), 0) from notice
		where carrier = $1 and address = $2 and created_at > $3 and state in ('waiting', 'sent', 'delivered')`,
		a.Carrier, a.To, now.Add(-gapLook))
	return at, err
}

// LastOfGuard tells when an address was last told of another alarm of a guard, and how bad the worst of these was; 0:
// not within a day.
func LastOfGuard(ctx context.Context, db store.Reader, to roster.Address, a alarm.Alarm,
	now measure.Instant) (at measure.Instant, worst alarm.Severity, err error) {
	var rows []struct {
		At       measure.Instant `db:"at"`
		Severity alarm.Severity  `db:"severity"`
	}
	err = db.Select(ctx, &rows, `
		select max(greatest(n.created_at, case when n.attempts <= 1 then n.due_at else 0 end)) as at, n.severity
		from notice n join alarm a on a.id = n.alarm_id
		where n.carrier = $1 and n.address = $2 and n.created_at > $3 and n.state in ('waiting', 'sent', 'delivered')
		    and a.guard = $4 and a.id <> $5 and not a.drill
		group by n.severity`, to.Carrier, to.To, now.Add(-gapLook), a.Guard, a.ID)
	for _, r := range rows {
		if at = max(at, r.At); r.Severity.Above(worst) {
			worst = r.Severity
		}
	}
	return at, worst, err
}

// ToldAlready lets what is held of an alarm for an address be told by another notice.
func ToldAlready(ctx context.Context, db store.Writer, alarmID int64, a roster.Address) error {
	_, err := db.Exec(ctx,
		`update notice set state = 'summed up' where alarm_id = $1 and carrier = $2 and address = $3 and state = 'held'`, alarmID, a.Carrier, a.To)
	return err
}
