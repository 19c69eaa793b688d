package store

import (
	"context"
	"encoding/json"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
)

const noticeColumns = `id, coalesce(alarm_id, 0) as alarm_id, kind, severity, contact, carrier, address, why, subject, text, state, created_at, due_at, attempts, held_why, gateway_id, delivered_at, route`

// NoticeIDs gives n numbers for notices, so that a notice can carry its own in a link.
func (t *Tx) NoticeIDs(ctx context.Context, n int) (ids []int64, err error) {
	err = t.SelectContext(ctx, &ids, `select nextval(pg_get_serial_sequence('notice', 'id')) from generate_series(1, $1)`, n)
	return ids, err
}

// AddNotices puts notices into the outbox. Those that are due later, or held, stand there so.
func (t *Tx) AddNotices(ctx context.Context, notices []roster.Notice) error {
	type row struct {
		roster.Notice
		AlarmID *int64       `json:"alarm_id"`
		Route   roster.Route `json:"route"`
		Urgency int          `json:"urgency"`
		Created int64        `json:"created"`
		Due     int64        `json:"due"`
	}
	rows := make([]row, len(notices))
	for i, n := range notices {
		rows[i] = row{Notice: n, Route: n.Route, Urgency: urgency(n.Severity), Created: int64(n.CreatedAt), Due: int64(n.DueAt)}
		if n.AlarmID != 0 {
			rows[i].AlarmID = &n.AlarmID
		}
	}
	text, err := json.Marshal(rows)
	if err != nil {
		return err
	}
	_, err = t.ExecContext(ctx, `
		insert into notice (id, alarm_id, kind, severity, urgency, contact, carrier, address, why, subject, text, state, created_at, due_at, held_why, route)
		overriding system value
		select id, alarm_id, kind, severity, urgency, contact, carrier, "to", why, subject, text, state, created, due, held, route
		from jsonb_to_recordset($1::jsonb) as r (id bigint, alarm_id bigint, kind text, severity text, urgency smallint, contact text, carrier text, "to" text, why text,
		     subject text, text text, state text, created bigint, due bigint, held text, route jsonb)`, string(text))
	return err
}

// urgency is the place of a severity in the outbox: the severest go first.
func urgency(s alarm.Severity) int {
	switch s {
	case alarm.Critical:
		return 0
	case alarm.Warning:
		return 1
	case alarm.Advisory:
		return 2
	}
	return 3
}

// HeldUntil tells until when the raise of an alarm to an address is held back, and why; 0: it is not.
func (t *Tx) HeldUntil(ctx context.Context, alarmID int64, a roster.Address) (until measure.Instant, why string, err error) {
	var held []struct {
		Until measure.Instant `db:"due_at"`
		Why   string          `db:"held_why"`
	}
	err = t.SelectContext(ctx, &held, `
		select due_at, held_why from notice where alarm_id = $1 and address = $2 and carrier = $3 and state = 'held' order by due_at desc limit 1`, alarmID, a.To, a.Carrier)
	if len(held) > 0 {
		until, why = held[0].Until, held[0].Why
	}
	return until, why, err
}

// LastKind gives the kind of the newest notice of an alarm; empty: there is none.
func (t *Tx) LastKind(ctx context.Context, alarmID int64) (kind string, err error) {
	err = t.GetContext(ctx, &kind, `select coalesce((select kind from notice where alarm_id = $1 order by id desc limit 1), '')`, alarmID)
	return kind, err
}

// Held is a notice that was held back, with what it says of its alarm.
type Held struct {
	roster.Notice
	Taken    bool             `db:"taken"` // somebody has the alarm, or it is shelved
	Sentence string           `db:"sentence"`
	Now      alarm.Severity   `db:"now"`
	Cleared  *measure.Instant `db:"cleared_at"`
}

// Over tells whether the alarm is over.
func (h *Held) Over() bool { return h.Cleared != nil }

// HeldDue gives the notices that were held back until now, in order.
func (t *Tx) HeldDue(ctx context.Context, now measure.Instant) (held []Held, err error) {
	err = t.SelectContext(ctx, &held, `
		select n.id, n.alarm_id, n.kind, n.severity, n.contact, n.carrier, n.address, n.created_at, n.held_why, n.route,
		       a.cleared_at, a.acknowledged_at is not null or a.shelved as taken, a.sentence, a.severity as now
		from notice n join alarm a on a.id = n.alarm_id where n.state = 'held' and n.due_at <= $1 order by n.id`, now)
	return held, err
}

// Release lets notices that were held back go on with a state: waiting, or summed up.
func (t *Tx) Release(ctx context.Context, notices []int64, state string, now measure.Instant) error {
	if len(notices) == 0 {
		return nil
	}
	_, err := t.ExecContext(ctx, `update notice set state = $2, due_at = $3 where id = any($1)`, notices, state, now)
	return err
}

// HoldOld holds back what waits for longer than since and whose alarm is over, so that one summary tells it.
func (t *Tx) HoldOld(ctx context.Context, since, now measure.Instant) (held int64, err error) {
	result, err := t.ExecContext(ctx, `
		update notice n set state = 'held', held_why = 'old news', due_at = $2
		where n.state = 'waiting' and n.created_at <= $1 and n.claimed_until <= $2 and n.kind in ('raise', 'worsen', 'ease', 'latched', 'return', 'hand', 'taken')
		  and exists (select from alarm a where a.id = n.alarm_id and a.cleared_at is not null)
		  and not exists (select from notice o where o.alarm_id = n.alarm_id and o.address = n.address and o.carrier = n.carrier and o.state in ('sent', 'delivered'))`, since, now)
	if err != nil {
		return 0, err
	}
	return result.RowsAffected()
}

// AnyOld tells whether HoldOld would find anything.
func (s *Store) AnyOld(ctx context.Context, since measure.Instant) (any bool, err error) {
	err = s.db.GetContext(ctx, &any, `
		select exists (select from notice n where n.state = 'waiting' and n.created_at <= $1 and exists (select from alarm a where a.id = n.alarm_id and a.cleared_at is not null))`, since)
	return any, err
}

// Told gives those who were told of the raise of an alarm, or will be, in order: each address once. Where that was given up
// nobody heard.
func (t *Tx) Told(ctx context.Context, alarmID int64) ([]roster.Reader, error) {
	var rows []struct {
		Contact string       `db:"contact"`
		Carrier string       `db:"carrier"`
		To      string       `db:"address"`
		Route   roster.Route `db:"route"`
	}
	err := t.SelectContext(ctx, &rows, `
		select contact, carrier, address, (array_agg(route order by id))[1] as route from notice
		where alarm_id = $1 and kind in ('raise', 'worsen', 'hand') and state <> 'given up'
		  and not (state = 'summed up' and held_why in ('quiet hours', 'least gap')) group by contact, carrier, address order by min(id)`, alarmID)
	readers := make([]roster.Reader, len(rows))
	for i, r := range rows {
		readers[i] = roster.Reader{Contact: r.Contact, Address: roster.Address{ID: r.Route.AddressID, Carrier: r.Carrier, To: r.To, Format: r.Route.Format, Keys: r.Route.Keys}}
	}
	return readers, err
}

// floodLook is how many notices that are held already are looked at beyond those that count.
const floodLook = 50

// Flood is how much an address is told.
type Flood struct {
	Told  int             `db:"told"`  // notices since some instant, without those that are held for a flood
	First measure.Instant `db:"first"` // when the first of these was planned
	Until measure.Instant `db:"until"` // until when notices are held for a flood; 0: none is
}

// FloodOf tells how many notices about alarms of a severity or a higher one an address got, or gets, since an
// instant: of its newest, some more than most.
func (t *Tx) FloodOf(ctx context.Context, a roster.Address, s alarm.Severity, since measure.Instant, most int) (f Flood, err error) {
	err = t.GetContext(ctx, &f, `
		select count(*) filter (where held_why <> 'flood') as told, coalesce(min(created_at) filter (where held_why <> 'flood'), 0) as first,
		       coalesce(max(due_at) filter (where held_why = 'flood' and state = 'held'), 0) as until
		from (select held_why, created_at, due_at, state from notice
		      where carrier = $1 and address = $2 and created_at > $3 and urgency <= $4 and alarm_id is not null order by created_at desc limit $5) as newest`,
		a.Carrier, a.To, since, urgency(s), most+floodLook)
	return f, err
}

// LastToldOf tells when anybody was last told that a guard raised, but for one alarm.
func (t *Tx) LastToldOf(ctx context.Context, guard string, but int64) (at measure.Instant, err error) {
	err = t.GetContext(ctx, &at, `
		select coalesce(max(n.created_at), 0) from notice n join alarm a on a.id = n.alarm_id
		where a.guard = $1 and a.id <> $2 and not a.drill and n.kind in ('raise', 'worsen') and (n.held_why <> 'least gap' or n.state <> 'held')
		  and a.id > (select coalesce(max(id), 0) - 1000 from alarm)`, guard, but)
	return at, err
}

// AnyReached tells whether anybody whom one step of a roster called on was told, or may still be: not yet tried, or held.
func (t *Tx) AnyReached(ctx context.Context, alarmID int64, why string) (reached bool, err error) {
	err = t.GetContext(ctx, &reached, `
		select exists (select from notice where alarm_id = $1 and why = $2 and (state in ('sent', 'delivered') or state = 'waiting' and attempts < $3))`, alarmID, why, TriesOfStep)
	return reached, err
}

// TriesOfStep is how many attempts at a notice fail before its step counts as one that reaches nobody.
const TriesOfStep = 2

// ToldAfter tells whether an address was told anything since an instant.
func (t *Tx) ToldAfter(ctx context.Context, a roster.Address, since measure.Instant) (told bool, err error) {
	err = t.GetContext(ctx, &told, `select exists (select from notice where carrier = $1 and address = $2 and created_at >= $3)`, a.Carrier, a.To, since)
	return told, err
}

// ClaimNotices takes waiting notices of a carrier that are due, limit at most, for as long as hold: nobody else
// gets them until then. The severest come first. A notice waits until what was planned before it for the same alarm and
// address is done, so that a return never overtakes its raise.
func (s *Store) ClaimNotices(ctx context.Context, carrier string, now measure.Instant, hold time.Duration, limit int) (notices []roster.Notice, err error) {
	err = s.db.SelectContext(ctx, &notices, `
		update notice set claimed_until = $2, attempts = attempts + 1
		where (select set_config('synchronous_commit', 'off', true)) = 'off'
		  and id in (select id from notice n where state = 'waiting' and carrier = $4 and due_at <= $1 and claimed_until <= $1
		             and (select o.id from notice o where o.alarm_id = n.alarm_id and o.carrier = n.carrier and o.address = n.address and o.id < n.id and o.state = 'waiting'
		                  order by o.id limit 1) is null
		             order by urgency, due_at, id limit $3 for update skip locked)
		returning `+noticeColumns, now, now.Add(hold), limit, carrier)
	return notices, err
}

// Attempt is what came of one attempt at a notice.
type Attempt struct {
	roster.Delivery
	State     string          // of the notice after it
	DueAgain  measure.Instant // if it waits
	GatewayID string
	Carrier   string
	Final     bool // the address is wrong, not the carrier
}

// RecordAttempts writes down attempts and what becomes of their notices, and whether their carriers work. What waits behind a
// notice that was given up is given up too: its reader never heard of what it is about.
func (s *Store) RecordAttempts(ctx context.Context, attempts []Attempt) error {
	n := len(attempts)
	ids, at, ok, answers := make([]int64, n), make([]int64, n), make([]bool, n), make([]string, n)
	states, due, gateways := make([]string, n), make([]int64, n), make([]string, n)
	for i, a := range attempts {
		ids[i], at[i], ok[i], answers[i], states[i], due[i], gateways[i] = a.NoticeID, int64(a.At), a.OK, a.Answer, a.State, int64(a.DueAgain), a.GatewayID
	}
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if _, err = tx.ExecContext(ctx, `
		with r as (select * from unnest($1::bigint[], $2::bigint[], $3::boolean[], $4::text[], $5::text[], $6::bigint[], $7::text[]) as r (id, at, ok, answer, state, due, gateway)),
		attempt as (insert into delivery (notice_id, at, ok, answer) select id, at, ok, answer from r)
		update notice n set state = case when n.state = 'delivered' then n.state else r.state end, due_at = r.due, claimed_until = 0,
		       gateway_id = case when r.gateway <> '' then r.gateway else n.gateway_id end
		from r where n.id = r.id`, ids, at, ok, answers, states, due, gateways); err != nil {
		return err
	}
	if _, err = tx.ExecContext(ctx, `
		update notice n set state = 'given up' from notice g
		where g.id = any($1) and g.state = 'given up' and g.kind = 'raise' and n.alarm_id = g.alarm_id and n.carrier = g.carrier and n.address = g.address
		  and n.id > g.id and n.state = 'waiting' and n.kind in ('return', 'ease', 'latched', 'taken')
		  and not exists (select from notice o where o.alarm_id = g.alarm_id and o.carrier = g.carrier and o.address = g.address and o.state in ('sent', 'delivered'))`, ids); err != nil {
		return err
	}
	if err := noteCarriers(ctx, tx, attempts); err != nil {
		return err
	}
	return tx.Commit()
}

// NoticeQuery says which notices are wanted: each field that is set narrows.
type NoticeQuery struct {
	Alarm   int64
	State   string
	Contact string
	Carrier string
	Before  int64 // with a lower ID, for the next page
	Limit   int
}

// Notices gives notices with their deliveries, newest first.
func (s *Store) Notices(ctx context.Context, q NoticeQuery) ([]roster.Notice, error) {
	// One look, so that no notice has an attempt beside the state from before it.
	t, err := s.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer t.Rollback()
	notices := []roster.Notice{}
	err = t.SelectContext(ctx, &notices, `
		select `+noticeColumns+` from notice
		where ($1 = 0 or alarm_id = $1) and ($2 = 0 or id < $2) and ($4 = '' or state = $4) and ($5 = '' or contact = $5) and ($6 = '' or carrier = $6) order by id desc limit $3`,
		q.Alarm, q.Before, q.Limit, q.State, q.Contact, q.Carrier)
	if err != nil || len(notices) == 0 {
		return notices, err
	}
	byID := map[int64]*roster.Notice{}
	ids := make([]int64, len(notices))
	for i := range notices {
		notices[i].Deliveries = []roster.Delivery{}
		ids[i], byID[notices[i].ID] = notices[i].ID, &notices[i]
	}
	var deliveries []roster.Delivery
	if err = t.SelectContext(ctx, &deliveries, `select notice_id, at, ok, answer from delivery where notice_id = any($1) order by id`, ids); err != nil {
		return nil, err
	}
	for _, d := range deliveries {
		byID[d.NoticeID].Deliveries = append(byID[d.NoticeID].Deliveries, d)
	}
	return notices, nil
}

// Notice gives one notice; ErrNotFound.
func (s *Store) Notice(ctx context.Context, id int64) (n roster.Notice, err error) {
	err = s.db.GetContext(ctx, &n, `select `+noticeColumns+` from notice where id = $1`, id)
	return n, found(err)
}

// Notice gives one notice; ErrNotFound.
func (t *Tx) Notice(ctx context.Context, id int64) (n roster.Notice, err error) {
	err = t.GetContext(ctx, &n, `select `+noticeColumns+` from notice where id = $1`, id)
	return n, found(err)
}

// UseLink marks the link of a notice as used; false: it was used before.
func (t *Tx) UseLink(ctx context.Context, id int64, now measure.Instant) (first bool, err error) {
	result, err := t.ExecContext(ctx, `update notice set taken_at = $2 where id = $1 and taken_at is null`, id, now)
	if err != nil {
		return false, err
	}
	n, err := result.RowsAffected()
	return n > 0, err
}

// LinkUsed tells whether the link of a notice was used.
func (s *Store) LinkUsed(ctx context.Context, id int64) (used bool, err error) {
	err = s.db.GetContext(ctx, &used, `select taken_at is not null from notice where id = $1`, id)
	return used, found(err)
}

// NoticeOfGateway gives the notice that a gateway knows by an ID; ErrNotFound.
func (t *Tx) NoticeOfGateway(ctx context.Context, carrier, gatewayID string) (n roster.Notice, err error) {
	err = t.GetContext(ctx, &n, `select `+noticeColumns+` from notice where carrier = $1 and gateway_id = $2 order by id desc limit 1`, carrier, gatewayID)
	return n, found(err)
}

// NewestTo gives the newest notice to an address about an alarm that nobody has yet; where all are had, the newest about any;
// ErrNotFound.
func (t *Tx) NewestTo(ctx context.Context, carrier, address string) (n roster.Notice, err error) {
	err = t.GetContext(ctx, &n, `
		select `+noticeColumns+` from notice where id = (
			select n.id from notice n join alarm a on a.id = n.alarm_id
			where n.carrier = $1 and n.address = $2 and n.kind in ('raise', 'worsen', 'hand') and n.state in ('sent', 'delivered')
			order by (a.acknowledged_at is null and a.cleared_at is null) desc, n.id desc limit 1)`, carrier, address)
	return n, found(err)
}

// Receipt writes a gateway's receipt down: the notice is delivered, or given up.
func (t *Tx) Receipt(ctx context.Context, d roster.Delivery, state string) error {
	_, err := t.ExecContext(ctx, `
		with receipt as (insert into delivery (notice_id, at, ok, answer) values ($1, $2, $3, $4))
		update notice set state = $5, delivered_at = case when $3 then $2 end where id = $1 and state in ('sent', 'waiting')`, d.NoticeID, d.At, d.OK, d.Answer, state)
	return err
}

// FirstNotice gives the notice of the raise that went to the same address as another of its alarm; ErrNotFound.
func (s *Store) FirstNotice(ctx context.Context, n roster.Notice) (first roster.Notice, err error) {
	err = s.db.GetContext(ctx, &first, `
		select `+noticeColumns+` from notice where alarm_id = $1 and carrier = $2 and address = $3 order by id limit 1`, n.AlarmID, n.Carrier, n.Address)
	return first, found(err)
}
