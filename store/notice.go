package store

import (
	"context"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
)

const noticeColumns = `id, alarm_id, kind, carrier, address, subject, text, state, created_at, due_at, attempts`

// AddNotice puts a notice into the outbox, to be sent at once.
func (t *Tx) AddNotice(ctx context.Context, n *roster.Notice) error {
	return t.GetContext(ctx, &n.ID, `
		insert into notice (alarm_id, kind, carrier, address, subject, text, created_at, due_at) values ($1, $2, $3, $4, $5, $6, $7, $7) returning id`,
		n.AlarmID, n.Kind, n.Carrier, n.Address, n.Subject, n.Text, n.CreatedAt)
}

// Hold keeps a notice back for a device that catches up, until an instant.
func (t *Tx) Hold(ctx context.Context, notice, device int64, until measure.Instant) error {
	_, err := t.ExecContext(ctx, `update notice set state = 'held', held_for = $2, due_at = $3 where id = $1`, notice, device, until)
	return err
}

// HeldUntil tells until when the raise of an alarm to an address is held back; 0: it is not.
func (t *Tx) HeldUntil(ctx context.Context, alarmID int64, address string) (until measure.Instant, err error) {
	err = t.GetContext(ctx, &until, `select coalesce(max(due_at), 0) from notice where alarm_id = $1 and address = $2 and state = 'held'`, alarmID, address)
	return until, err
}

// LastKind gives the kind of the newest notice of an alarm; empty: there is none.
func (t *Tx) LastKind(ctx context.Context, alarmID int64) (kind string, err error) {
	err = t.GetContext(ctx, &kind, `select coalesce((select kind from notice where alarm_id = $1 order by id desc limit 1), '')`, alarmID)
	return kind, err
}

// Held is a notice that was held back, with what it says of its alarm.
type Held struct {
	roster.Notice
	Device   int64  `db:"held_for"`
	Over     bool   `db:"over"`
	Sentence string `db:"sentence"`
}

// HeldDue gives the notices that were held back until now, in order.
func (t *Tx) HeldDue(ctx context.Context, now measure.Instant) (held []Held, err error) {
	err = t.SelectContext(ctx, &held, `
		select n.id, n.alarm_id, n.kind, n.carrier, n.address, n.held_for, a.cleared_at is not null as over, a.sentence
		from notice n join alarm a on a.id = n.alarm_id where n.state = 'held' and n.due_at <= $1 order by n.id`, now)
	return held, err
}

// Release lets a notice that was held back go on with a state: waiting, or summed up.
func (t *Tx) Release(ctx context.Context, notice int64, state string, now measure.Instant) error {
	_, err := t.ExecContext(ctx, `update notice set state = $2, due_at = $3 where id = $1`, notice, state, now)
	return err
}

// AddressesTold gives the addresses that were told of the raise of an alarm.
func (t *Tx) AddressesTold(ctx context.Context, alarmID int64) (addresses []string, err error) {
	err = t.SelectContext(ctx, &addresses, `select address from notice where alarm_id = $1 and kind = $2 group by address order by min(id)`, alarmID, roster.Raise)
	return addresses, err
}

// ClaimNotices takes waiting notices that are due, limit at most, for as long as hold: nobody else
// gets them until then. A notice waits until what was planned before it for the same alarm and
// address is done, so that a return never overtakes its raise.
func (s *Store) ClaimNotices(ctx context.Context, now measure.Instant, hold time.Duration, limit int) (notices []roster.Notice, err error) {
	err = s.db.SelectContext(ctx, &notices, `
		update notice set claimed_until = $2, attempts = attempts + 1
		where id in (select id from notice n where state = 'waiting' and due_at <= $1 and claimed_until <= $1
		             and not exists (select from notice o where o.alarm_id = n.alarm_id and o.address = n.address and o.carrier = n.carrier
		                             and o.id < n.id and o.state = 'waiting')
		             order by due_at, id limit $3 for update skip locked)
		returning `+noticeColumns, now, now.Add(hold), limit)
	return notices, err
}

// RecordDelivery writes down an attempt and what becomes of its notice: its state, and when it is due
// again if it waits.
func (s *Store) RecordDelivery(ctx context.Context, d roster.Delivery, state string, dueAgain measure.Instant) error {
	_, err := s.db.ExecContext(ctx, `
		with attempt as (insert into delivery (notice_id, at, ok, answer) values ($1, $2, $3, $4))
		update notice set state = $5, due_at = $6, claimed_until = 0 where id = $1`, d.NoticeID, d.At, d.OK, d.Answer, state, dueAgain)
	return err
}

// Notices gives notices with their deliveries, newest first: those of one alarm when alarmID is not
// 0, those with a lower ID than before when that is not 0.
func (s *Store) Notices(ctx context.Context, alarmID, before int64, limit int) ([]roster.Notice, error) {
	notices := []roster.Notice{}
	err := s.db.SelectContext(ctx, &notices, `
		select `+noticeColumns+` from notice where ($1 = 0 or alarm_id = $1) and ($2 = 0 or id < $2) order by id desc limit $3`, alarmID, before, limit)
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
	if err = s.db.SelectContext(ctx, &deliveries, `select notice_id, at, ok, answer from delivery where notice_id = any($1) order by id`, ids); err != nil {
		return nil, err
	}
	for _, d := range deliveries {
		byID[d.NoticeID].Deliveries = append(byID[d.NoticeID].Deliveries, d)
	}
	return notices, nil
}
