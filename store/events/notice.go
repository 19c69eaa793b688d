package events

import (
	"context"
	"encoding/json"

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

// SentBefore gives what was sent to the address of a notice about its alarm before it, oldest first.
func SentBefore(ctx context.Context, db store.Reader, n roster.Notice) (before []roster.Notice, err error) {
	err = db.Select(ctx, &before, `
		select `+noticeColumns+` from notice where alarm_id = $1 and carrier = $2 and address = $3 and id < $4
		    and state in ('sent', 'delivered') order by id`, n.AlarmID, n.Carrier, n.Address, n.ID)
	return before, err
}
