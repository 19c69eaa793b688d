package config

import (
	"context"
	"encoding/json"

	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/store"
)

const selectOutput = `
	select o.id, d.name as device, o.name, o.title, o.kind, o.on_sends, o.off_sends, o.low, o.high, o.step, o.unit,
	    o.length, o.safe, o.rest, o.least_on, o.least_off,
	       o.starts_per_hour, o.hands_off, o.hand_holds, o.dangerous, o.expires, o.confirm_within, o.mute, ` + outputState + `
	from output o join device d on d.id = o.device_id join output_state st on st.output_id = o.id`

const outputState = `st.ordered, st.order_no, st.ordered_at, st.ordered_by, st.interlock, st.who, st.why, st.hand, st.waiting, st.turned_at, st.started,
	       st.confirmed, st.confirmed_at, st.differs_since, st.alarm_id`

// Outputs lists all outputs, or those of some devices, by device and name.
func Outputs(ctx context.Context, db store.Reader, devices ...int64) ([]drive.Output, error) {
	outputs := []drive.Output{}
	query, args := of(devices, selectOutput+` where true`, "o.device_id = any($devices)")
	err := db.Select(ctx, &outputs, query+` order by d.name, o.name`, args...)
	return outputs, err
}

// Output gives one output; ErrNotFound.
func Output(ctx context.Context, db store.Reader, device, name string) (drive.Output, error) {
	var o drive.Output
	err := db.Get(ctx, &o, selectOutput+` where d.name = $1 and o.name = $2`, device, name)
	return o, store.Found(err)
}

// Orders is what there is to be told to devices.
type Orders struct {
	ConfigNo int64           `db:"config_no"` // another than before: outputs may have come or gone
	UpAt     measure.Instant `db:"beat_at"`   // when a process last noted that it is at work
	Outputs  []drive.Output  `db:"-"`         // those that commits after the asked one have changed
	Newest   int64           `db:"commit_no"` // the newest commit
}

// OrdersSince gives the outputs that commits after since have changed, and what it takes to know whether they still
// hold.
func OrdersSince(ctx context.Context, s *store.Store, since int64) (out Orders, err error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return out, err
	}
	defer tx.Rollback()
	if err = tx.Get(ctx, &out, `select config_no, commit_no, beat_at from ledger, way_in`); err == nil {
		out.Outputs, err = OutputsSince(ctx, tx, since)
	}
	return out, err
}

// OutputsSince gives the outputs that commits after since have changed.
func OutputsSince(ctx context.Context, db store.Reader, since int64) ([]drive.Output, error) {
	outputs := []drive.Output{}
	err := db.Select(ctx, &outputs, selectOutput+` where st.changed_in > $1 order by o.id`, since)
	return outputs, err
}

// SaveOutput stores an output of a device, new when its ID is 0.
func SaveOutput(ctx context.Context, tx *store.Tx, o *drive.Output, device int64) error {
	if o.ID == 0 {
		if err := tx.Get(ctx, &o.ID,
			`insert into output (device_id, name, kind, safe) values ($1, $2, $3, $4) returning id`, device, o.Name,
			o.Kind, o.Safe); err != nil {
			return err
		}
	}
	_, err := tx.NamedExec(ctx, `
		update output set title = :title, kind = :kind, on_sends = :on_sends, off_sends = :off_sends, low = :low,
		    high = :high, step = :step, unit = :unit, length = :length,
		       safe = :safe, rest = :rest, least_on = :least_on, least_off = :least_off,
		           starts_per_hour = :starts_per_hour, hands_off = :hands_off, hand_holds = :hand_holds,
		       dangerous = :dangerous, expires = :expires, confirm_within = :confirm_within, mute = :mute
		where id = :id`, o)
	return err
}

// RemoveOutput removes an output with its interlocks.
func RemoveOutput(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from output where id = $1`, id)
	return err
}

// OutputState is what an output is ordered and confirms.
type OutputState struct {
	Output int64 `db:"output_id"`
	drive.State
}

// OutputStates gives the states that commits after since have changed, or all of some devices.
func OutputStates(ctx context.Context, db store.Reader, since int64,
	devices ...int64) (states []OutputState, err error) {
	query, args := statesOf(devices, since, `select st.output_id, `+outputState+` from output_state st where`,
		ofOutputs)
	err = db.Select(ctx, &states, query, args...)
	return states, err
}

// SaveOutputState writes how an output stands, new or not, and when it must be looked at again (0: never).
func SaveOutputState(ctx context.Context, tx *store.Tx, o *drive.Output, due measure.Instant, commitNo int64) error {
	row := struct {
		*drive.Output
		ChangedIn int64            `db:"changed_in"`
		DueAt     *measure.Instant `db:"due_at"`
	}{Output: o, ChangedIn: commitNo}
	if due != 0 {
		row.DueAt = &due
	}
	_, err := tx.NamedExec(ctx, `
		insert into output_state (output_id, changed_in, ordered, order_no, ordered_at, ordered_by, interlock, who, why,
		    hand, waiting, turned_at, started, confirmed, confirmed_at, differs_since, alarm_id, due_at)
		values (:id, :changed_in, :ordered, :order_no, :ordered_at, :ordered_by, :interlock, :who, :why, :hand,
		    :waiting, :turned_at, :started, :confirmed, :confirmed_at, :differs_since, :alarm_id, :due_at)
		on conflict (output_id) do update set changed_in = excluded.changed_in, ordered = excluded.ordered,
		    order_no = excluded.order_no, ordered_at = excluded.ordered_at,
		     ordered_by = excluded.ordered_by, interlock = excluded.interlock, who = excluded.who, why = excluded.why,
		         hand = excluded.hand, waiting = excluded.waiting,
		     turned_at = excluded.turned_at, started = excluded.started, confirmed = excluded.confirmed,
		         confirmed_at = excluded.confirmed_at,
		     differs_since = excluded.differs_since, alarm_id = excluded.alarm_id, due_at = excluded.due_at`, row)
	return err
}

// DueOutputs gives the outputs that must be looked at by an instant.
func DueOutputs(ctx context.Context, db store.Reader, at measure.Instant) (ids []int64, err error) {
	err = db.Select(ctx, &ids, `select output_id from output_state where due_at <= $1 order by due_at, output_id`, at)
	return ids, err
}

// orderChannel is where each commit is announced that orders an output something else.
const orderChannel = "jaunty_order_"

// AnnounceOrders tells all processes, when the transaction commits, that outputs were ordered something else.
func AnnounceOrders(ctx context.Context, db store.Writer, commitNo int64) error {
	_, err := db.Exec(ctx, `select pg_notify('`+orderChannel+`' || `+store.SecretOfSite+`, $1::bigint::text)`, commitNo)
	return err
}

// ListenOrders is Listen for what outputs are ordered.
func ListenOrders(ctx context.Context, s *store.Store, heard func(commitNo int64)) error {
	return store.ListenOn(ctx, s, orderChannel, `select commit_no from ledger`, heard)
}

// Emergency gives the emergency that holds; nil: none does.
func Emergency(ctx context.Context, db store.Reader) (*drive.AllSafe, error) {
	var text []byte
	if err := db.Get(ctx, &text, `select emergency from site`); err != nil || text == nil {
		return nil, err
	}
	e := &drive.AllSafe{}
	return e, json.Unmarshal(text, e)
}

// SetEmergency notes that an emergency holds, or does no longer (nil).
func SetEmergency(ctx context.Context, db store.Writer, e *drive.AllSafe) error {
	_, err := db.Exec(ctx, `update site set emergency = $1`, e)
	return err
}
