package events

import (
	"context"
	"fmt"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

// ClaimNotices takes waiting notices of a carrier that are due, limit at most, for as long as hold: nobody else gets
// them until then. The severest come first, then the oldest; of what waits for a person nothing goes beside what is
// more severe, for headStart. A notice waits until what was planned before it for the same alarm and address is done,
// so that a return never overtakes its raise.
func ClaimNotices(ctx context.Context, db store.Writer, carrier string, now measure.Instant, hold time.Duration,
	limit int) (notices []roster.Notice, err error) {
	first := `
		select id from (select id, address, urgency, min(urgency) over (partition by address) as severest
		                from (` + ableNotices + ` limit $5) as able) as a
		where urgency = severest
		and not exists (select from notice o where o.carrier = $4 and o.address = a.address and o.state = 'waiting'
		    and o.urgency < a.urgency and o.claimed_until > $6)
		order by urgency, id limit $3`
	const claim = `
		update notice set claimed_until = $2, attempts = attempts + 1
		where (select set_config('synchronous_commit', 'off', true)) = 'off' and id in (%s for update skip locked)
		returning ` + noticeColumns
	const still = `select id from notice where id in (%s) and state = 'waiting' and claimed_until <= $1`
	if carrier == roster.Webhook {
		err = db.Select(ctx, &notices, fmt.Sprintf(claim, fmt.Sprintf(still, inTurn+` limit $3`)), now, now.Add(hold), limit,
			carrier)
		return notices, err
	}
	err = db.Select(ctx, &notices, fmt.Sprintf(claim, fmt.Sprintf(still, first)), now, now.Add(hold), limit, carrier, claimLook,
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
	if err := freeBacklog(ctx, tx, attempts); err != nil {
		return err
	}
	if err := noteCarriers(ctx, tx, attempts); err != nil {
		return err
	}
	return tx.Commit()
}

// ableNotices are those of a carrier that may be tried now: what is told of one alarm is told in order.
const ableNotices = `
	select id, address, urgency from notice n where state = 'waiting' and carrier = $4 and due_at <= $1 and claimed_until <= $1
	and (select o.id from notice o where o.alarm_id = n.alarm_id and o.carrier = n.carrier and o.address = n.address
	    and o.id < n.id and o.state = 'waiting'
	     order by o.id limit 1) is null
	order by urgency, id`

// inTurn are the notices that may be tried now of other systems: side by side, but for a system that has failed. That is
// tried with the oldest of what waits for it, whenever any is due; what comes after follows one at a time and in order, so
// that one that it will not take holds up nothing.
const inTurn = `
	with waiting as (
		select id, address, urgency, attempts, due_at, claimed_until, -- told of one alarm is in order
		    alarm_id is null or row_number() over (partition by address, alarm_id order by id) = 1 as able
		from notice where state = 'waiting' and carrier = $4),
	head as (
		select address, min(id) as id, bool_or(attempts > 1 or attempts = 1 and claimed_until <= $1) as failed,
		    bool_or(claimed_until > $1) as busy, min(id) filter (where due_at <= $1 and claimed_until <= $1 and able) as due,
		    max(due_at) filter (where due_at <= $1) as due_at
		from waiting group by address),
	tried as (select head.*, case when failed then (select max(at) from delivery where notice_id = head.id) end as at
		from head)
	select n.id from waiting n join tried using (address)
	where n.claimed_until <= $1 and n.able
	and case when not failed then n.due_at <= $1
	    when busy then false
	    when n.id = tried.id then n.due_at <= $1 or tried.due_at > coalesce(tried.at, 0)
	    else n.id = due and n.due_at <= coalesce(tried.at, 0) end
	order by urgency, n.id`

// freeBacklog lets what waits for another system go at once when something has reached it, but for what it has just
// refused while it took others.
func freeBacklog(ctx context.Context, tx *store.Tx, attempts []Attempt) error {
	var reached []int64
	now := measure.Instant(0)
	for _, a := range attempts {
		if a.OK && a.Carrier == roster.Webhook {
			reached, now = append(reached, a.NoticeID), max(now, a.At)
		}
	}
	if len(reached) == 0 {
		return nil
	}
	_, err := tx.Exec(ctx, `
		update notice set due_at = $2 where state = 'waiting' and carrier = 'webhook' and due_at > $2 and attempts > 0
		    and claimed_until <= $2 and address in (select address from notice where id = any($1))
		    and not exists (
		        select from delivery d, notice o join delivery taken on taken.notice_id = o.id
		        where d.notice_id = notice.id and d.at >= $2 - $3 and o.carrier = 'webhook' and o.address = notice.address
		            and o.created_at >= $2 - $4 and taken.ok and taken.id < d.id and taken.at >= d.at - $3)`, reached, now,
		refusedLately.Milliseconds(), giveUpAfter.Milliseconds())
	return err
}

const (
	refusedLately = 2 * time.Second // what another system refused while it took others waits for its own time
	giveUpAfter   = 24 * time.Hour
)

// DropUntold leaves out what was tried in vain to tell another system of an alarm that is over: what tells that it is
// over says it all. A system that is back is not told of it as if it were new.
func DropUntold(ctx context.Context, db store.Writer, alarmID int64, now measure.Instant) error {
	_, err := db.Exec(ctx, `
		update notice set state = 'summed up', held_why = 'old news'
		where alarm_id = $1 and carrier = 'webhook' and state = 'waiting' and attempts > 0 and claimed_until <= $2
		    and kind in ('raise', 'worsen', 'ease', 'latched', 'hand')`, alarmID, now)
	return err
}
