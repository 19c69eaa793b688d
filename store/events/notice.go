package events

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

const noticeColumns = `id, coalesce(alarm_id, 0) as alarm_id, kind, severity, contact, carrier, address, why, subject, text, state, created_at, due_at, attempts, held_why, gateway_id, delivered_at, route`

// NoticeIDs gives n numbers for notices, so that a notice can carry its own in a link.
func NoticeIDs(ctx context.Context, db store.Reader, n int) (ids []int64, err error) {
	err = db.Select(ctx, &ids, `select nextval(pg_get_serial_sequence('notice', 'id')) from generate_series(1, $1)`, n)
	return ids, err
}

// AddNotices puts notices into the outbox. Those that are due later, or held, stand there so.
func AddNotices(ctx context.Context, db store.Writer, notices []roster.Notice) error {
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
		rows[i] = row{Notice: n, Route: n.Route, Urgency: urgency(n.Severity), Created: int64(n.CreatedAt),
			Due: int64(n.DueAt)}
		if n.AlarmID != 0 {
			rows[i].AlarmID = &n.AlarmID
		}
	}
	text, err := json.Marshal(rows)
	if err != nil {
		return err
	}
	_, err = db.Exec(ctx, `
		insert into notice (id, alarm_id, kind, severity, urgency, contact, carrier, address, why, subject, text, state,
		    created_at, due_at, held_why, route)
		overriding system value
		select id, alarm_id, kind, severity, urgency, contact, carrier, "to", why, subject, text, state, created, due,
		    held, route
		from jsonb_to_recordset($1::jsonb) as r (id bigint, alarm_id bigint, kind text, severity text, urgency smallint,
		    contact text, carrier text, "to" text, why text,
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

// LastKind gives the kind of the newest notice of an alarm; empty: there is none.
func LastKind(ctx context.Context, db store.Reader, alarmID int64) (kind string, err error) {
	err = db.Get(ctx, &kind,
		`select coalesce((select kind from notice where alarm_id = $1 order by id desc limit 1), '')`, alarmID)
	return kind, err
}

// Told gives those who were told of the raise of an alarm, or will be, in order: each address once. Where that was
// given up nobody heard.
func ReadersOf(ctx context.Context, db store.Reader, alarmID int64) ([]roster.Recipient, error) {
	var rows []struct {
		Contact string       `db:"contact"`
		Carrier string       `db:"carrier"`
		To      string       `db:"address"`
		Route   roster.Route `db:"route"`
	}
	err := db.Select(ctx, &rows, `
		select contact, carrier, address, (array_agg(route order by id))[1] as route from notice
		where alarm_id = $1 and kind in ('raise', 'worsen', 'hand') and state <> 'given up'
		  and not (state = 'summed up' and held_why in ('quiet hours', 'least gap')) group by contact, carrier, address
		      order by min(id)`, alarmID)
	readers := make([]roster.Recipient, len(rows))
	for i, r := range rows {
		readers[i] = roster.Recipient{Contact: r.Contact, Address: roster.Address{ID: r.Route.AddressID,
			Carrier: r.Carrier, To: r.To, Format: r.Route.Format, Keys: r.Route.Keys}, Gap: r.Route.Gap}
	}
	return readers, err
}

// AnyReached tells whether anybody whom one step of a roster called on was told, or may still be: not yet tried, or
// held.
func AnyReached(ctx context.Context, db store.Reader, alarmID int64, why string) (reached bool, err error) {
	err = db.Get(ctx, &reached, `
		select exists (select from notice where alarm_id = $1 and why = $2
		    and (state in ('sent', 'delivered') or state = 'waiting' and attempts < $3))`, alarmID, why, TriesOfStep)
	return reached, err
}

// TriesOfStep is how many attempts at a notice fail before its step counts as one that reaches nobody.
const TriesOfStep = 2

// ToldAfter tells whether an address was told anything since an instant.
func ToldAfter(ctx context.Context, db store.Reader, a roster.Address, since measure.Instant) (told bool, err error) {
	err = db.Get(ctx, &told,
		`select exists (select from notice where carrier = $1 and address = $2 and created_at >= $3)`, a.Carrier, a.To,
		since)
	return told, err
}

// ClaimNotices takes waiting notices of a carrier that are due, limit at most, for as long as hold: nobody else gets
// them until then. The severest come first, then the oldest; of what waits for a person nothing goes beside what is
// more severe, for headStart. A notice waits until what was planned before it for the same alarm and address is done,
// so that a return never overtakes its raise.
func ClaimNotices(ctx context.Context, db store.Writer, carrier string, now measure.Instant, hold time.Duration,
	limit int) (notices []roster.Notice, err error) {
	const able = `
		select %s from notice n where state = 'waiting' and carrier = $4 and due_at <= $1 and claimed_until <= $1
		and (select o.id from notice o where o.alarm_id = n.alarm_id and o.carrier = n.carrier and o.address = n.address
		    and o.id < n.id and o.state = 'waiting'
		     order by o.id limit 1) is null
		order by urgency, id`
	first := `
		select id from (select id, address, urgency, min(urgency) over (partition by address) as severest
		                from (` + fmt.Sprintf(able, "id, address, urgency") + ` limit $5) as able) as a
		where urgency = severest
		and not exists (select from notice o where o.carrier = $4 and o.address = a.address and o.state = 'waiting'
		    and o.urgency < a.urgency and o.claimed_until > $6)
		order by urgency, id limit $3`
	const claim = `
		update notice set claimed_until = $2, attempts = attempts + 1
		where (select set_config('synchronous_commit', 'off', true)) = 'off' and id in (%s for update skip locked)
		returning ` + noticeColumns
	if carrier == roster.Webhook { // to another system they go side by side
		err = db.Select(ctx, &notices, fmt.Sprintf(claim, fmt.Sprintf(able, "id")+` limit $3`), now, now.Add(hold),
			limit, carrier)
		return notices, err
	}
	persons := `select id from notice where id in (` + first + `) and state = 'waiting' and claimed_until <= $1`
	err = db.Select(ctx, &notices, fmt.Sprintf(claim, persons), now, now.Add(hold), limit, carrier, claimLook,
		now.Add(hold-headStart))
	return notices, err
}

// claimLook is among how many notices the next of each person are looked for.
const claimLook = 1000

// headStart is how long a notice that is on its way keeps back what comes after it to the same address.
const headStart = 3 * time.Second

// Probe lets the severest of what waits for a carrier that fails be tried now, unless something is being tried, so that
// it is known soon when the carrier is back.
func Probe(ctx context.Context, db store.Writer, carrier string, now measure.Instant) error {
	_, err := db.Exec(ctx, `
		update notice set due_at = $2 where id = (
			select id from notice n where state = 'waiting' and carrier = $1
			and not exists (select from notice o where o.state = 'waiting' and o.carrier = $1
			    and (o.due_at <= $2 or o.claimed_until > $2)) order by urgency, id limit 1)`, carrier, now)
	return err
}

// Attempt is what came of one attempt at a notice.
type Attempt struct {
	roster.Delivery
	State     string          // of the notice after it
	DueAgain  measure.Instant // if it waits
	Leapt     *int64          // the sum of the leaps that the clock had taken by then; nil: it is not known
	GatewayID string
	Carrier   string
	Final     bool // the address is wrong, not the carrier
}

// RecordAttempts writes down attempts and what becomes of their notices, and whether their carriers work. What waits
// behind a notice that was given up is given up too: its reader never heard of what it is about.
func RecordAttempts(ctx context.Context, s *store.Store, attempts []Attempt) error {
	n := len(attempts)
	ids, at, ok, answers := make([]int64, n), make([]int64, n), make([]bool, n), make([]string, n)
	states, due, leapt, gateways := make([]string, n), make([]int64, n), make([]*int64, n), make([]string, n)
	for i, a := range attempts {
		ids[i], at[i], ok[i], answers[i], states[i], due[i], leapt[i], gateways[i] = a.NoticeID, int64(a.At), a.OK,
			a.Answer, a.State, int64(a.DueAgain), a.Leapt, a.GatewayID
	}
	tx, err := s.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if _, err = tx.Exec(ctx, `
		with r as (select * from unnest($1::bigint[], $2::bigint[], $3::boolean[], $4::text[], $5::text[], $6::bigint[],
		    $7::text[], $8::bigint[]) as r (id, at, ok, answer, state, due, gateway, leapt)),
		attempt as (insert into delivery (notice_id, at, ok, answer) select id, at, ok, answer from r)
		update notice n set state = case when n.state = 'delivered' then n.state else r.state
		    end, due_at = r.due + l.leapt - coalesce(r.leapt, l.leapt), claimed_until = 0,
		       gateway_id = case when r.gateway <> '' then r.gateway else n.gateway_id end
		from r, ledger l where n.id = r.id`, ids, at, ok, answers, states, due, gateways, leapt); err != nil {
		return err
	}
	if _, err = tx.Exec(ctx, `
		update notice n set state = 'given up' from notice g
		where g.id = any($1) and g.state = 'given up' and g.kind = 'raise' and n.alarm_id = g.alarm_id
		    and n.carrier = g.carrier and n.address = g.address
		  and n.id > g.id and n.state = 'waiting' and n.kind in ('return', 'ease', 'latched', 'taken')
		  and not exists (select from notice o where o.alarm_id = g.alarm_id and o.carrier = g.carrier
		      and o.address = g.address and o.state in ('sent', 'delivered'))`, ids); err != nil {
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
func Notices(ctx context.Context, s *store.Store, q NoticeQuery) ([]roster.Notice, error) {
	// One look, so that no notice has an attempt beside the state from before it.
	t, err := s.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer t.Rollback()
	notices := []roster.Notice{}
	err = t.Select(ctx, &notices, `
		select `+noticeColumns+` from notice
		where ($1 = 0 or alarm_id = $1) and ($2 = 0 or id < $2) and ($4 = '' or state = $4)
		    and ($5 = '' or contact = $5) and ($6 = '' or carrier = $6) order by id desc limit $3`,
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
	if err = t.Select(ctx, &deliveries,
		`select notice_id, at, ok, answer from delivery where notice_id = any($1) order by id`, ids); err != nil {
		return nil, err
	}
	for _, d := range deliveries {
		byID[d.NoticeID].Deliveries = append(byID[d.NoticeID].Deliveries, d)
	}
	return notices, nil
}

// Notice gives one notice; ErrNotFound.
func Notice(ctx context.Context, db store.Reader, id int64) (n roster.Notice, err error) {
	err = db.Get(ctx, &n, `select `+noticeColumns+` from notice where id = $1`, id)
	return n, store.Found(err)
}

// UseLink marks the link of a notice as used; false: it was used before.
func UseLink(ctx context.Context, db store.Writer, id int64, now measure.Instant) (first bool, err error) {
	result, err := db.Exec(ctx, `update notice set taken_at = $2 where id = $1 and taken_at is null`, id, now)
	if err != nil {
		return false, err
	}
	n, err := result.RowsAffected()
	return n > 0, err
}

// LinkUsed tells whether the link of a notice was used.
func LinkUsed(ctx context.Context, db store.Reader, id int64) (used bool, err error) {
	err = db.Get(ctx, &used, `select taken_at is not null from notice where id = $1`, id)
	return used, store.Found(err)
}

// NoticeOfGateway gives the notice that a gateway knows by an ID; ErrNotFound.
func NoticeOfGateway(ctx context.Context, db store.Reader, carrier, gatewayID string) (n roster.Notice, err error) {
	err = db.Get(ctx, &n, `select `+noticeColumns+
		` from notice where carrier = $1 and gateway_id = $2 order by id desc limit 1`, carrier, gatewayID)
	return n, store.Found(err)
}

// NewestTo gives the newest notice to an address about an alarm that nobody has yet; where all are had, the newest
// about any; ErrNotFound.
func NewestTo(ctx context.Context, db store.Reader, carrier, address string) (n roster.Notice, err error) {
	err = db.Get(ctx, &n, `
		select `+noticeColumns+` from notice where id = (
			select n.id from notice n join alarm a on a.id = n.alarm_id
			where n.carrier = $1 and n.address = $2 and n.kind in ('raise', 'worsen', 'hand', 'summary')
			    and n.state in ('sent', 'delivered')
			order by (a.acknowledged_at is null and a.cleared_at is null) desc, n.id desc limit 1)`, carrier, address)
	return n, store.Found(err)
}

// Receipt writes a gateway's receipt down: the notice is delivered, or given up.
func Receipt(ctx context.Context, db store.Writer, d roster.Delivery, state string) error {
	_, err := db.Exec(ctx, `
		with receipt as (insert into delivery (notice_id, at, ok, answer) values ($1, $2, $3, $4))
		update notice set state = $5, delivered_at = case when $3 then $2 end where id = $1
		    and state in ('sent', 'waiting')`, d.NoticeID, d.At, d.OK, d.Answer, state)
	return err
}

// FirstNotice gives the notice of the raise that went to the same address as another of its alarm; ErrNotFound.
func FirstNotice(ctx context.Context, db store.Reader, n roster.Notice) (first roster.Notice, err error) {
	err = db.Get(ctx, &first, `
		select `+noticeColumns+` from notice where alarm_id = $1 and carrier = $2 and address = $3 order by id limit 1`,
		n.AlarmID, n.Carrier, n.Address)
	return first, store.Found(err)
}
