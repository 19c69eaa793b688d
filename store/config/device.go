package config

import (
	"context"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

const selectDevice = `

	with mine as (
		select s.device_id, count(*) as signals, max(st.received_at) as heard_at,
		       max(w.text) filter (where s.name = 'firmware') as firmware,
		       max(st.value) filter (where s.unit = '%EL' or s.name like 'battery%'
		           and s.unit in ('%', 'V')) as battery,
		       max(s.unit) filter (where s.unit = '%EL' or s.name like 'battery%'
		           and s.unit in ('%', 'V')) as battery_unit
		from signal s join signal_state st on st.signal_id = s.id
		left join word w on s.kind = 'text' and s.name = 'firmware' and st.at > 0 and w.id = st.value::bigint
		group by s.device_id)
	select d.id, d.name, d.title, coalesce(g.name, '') as behind, d.kit, d.closed, d.interval, d.uptime, d.clock_offset,
	    d.silence_alarm, d.faults, d.enrolled,
	       d.settings, d.settings_version, nullif(d.settings_at, 0) as settings_at, d.running, d.running_version,
	           nullif(d.running_at, 0) as running_at,
	       d.created_at, coalesce(m.signals, 0) as signals, nullif(m.heard_at, 0) as heard_at,
	           coalesce(m.firmware, '') as firmware,
	       m.battery, coalesce(m.battery_unit, '') as battery_unit, nullif(ds.silent_since, 0) as silent_since,
	       nullif(greatest(c.at, m.heard_at), 0) as seen_at, coalesce(c.protocol, '') as protocol,
	           coalesce(c.address, '') as address,
	           coalesce(c.online_until > extract(epoch from clock_timestamp()) * 1000, false) as connected,
	       c.clock_behind / 1000.0 as clock_behind, coalesce(c.per_minute, 0) as per_minute,
	           nullif(c.refused_at, 0) as refused_at, coalesce(c.refused, '') as refused
	from device d left join device g on g.id = d.behind_id left join mine m on m.device_id = d.id
	left join device_state ds on ds.device_id = d.id left join device_contact c on c.device_id = d.id`

// Devices lists all devices by name, as they are at now.
func Devices(ctx context.Context, db store.Reader, now measure.Instant) ([]site.Device, error) {
	devices := []site.Device{}
	err := db.Select(ctx, &devices, selectDevice+` order by d.name`)
	for i := range devices {
		devices[i].Title = site.Title(devices[i].Title, devices[i].Name)
		devices[i].Look(now)
	}
	return devices, err
}

// Device gives one device, as it is at now.
func Device(ctx context.Context, db store.Reader, name string, now measure.Instant) (site.Device, error) {
	var d site.Device
	err := db.Get(ctx, &d, selectDevice+` where d.name = $1`, name)
	d.Title = site.Title(d.Title, d.Name)
	d.Look(now)
	return d, store.Found(err)
}

// AddDevice stores a new device; ErrTaken when the name is in use.
func AddDevice(ctx context.Context, db store.Writer, d *site.Device, commitNo int64) error {
	err := db.Get(ctx, &d.ID, `
		with new as (insert into device (name, title, created_at) values ($1, $2, $3) returning id)
		insert into device_state (device_id, changed_in) select id, $4 from new returning device_id`, d.Name, d.Title,
		d.CreatedAt, commitNo)
	if store.Taken(err) {
		return fmt.Errorf("%s %w", d.Name, store.ErrTaken)
	}
	return err
}

// SaveDevice writes what can be said of a device.
func SaveDevice(ctx context.Context, tx *store.Tx, d *site.Device) error {
	_, err := tx.NamedExec(ctx, `
		update device set title = :title, behind_id = (select id from device g where g.name = :behind), kit = :kit,
		    closed = :closed, interval = :interval,
		       uptime = :uptime, clock_offset = :clock_offset, silence_alarm = :silence_alarm, faults = :faults,
		           enrolled = :enrolled, settings = :settings,
		       settings_version = :settings_version, settings_at = coalesce(cast(:settings_at as bigint), 0),
		       running = :running, running_version = :running_version,
		           running_at = coalesce(cast(:running_at as bigint), 0)
		where id = :id`, d)
	return err
}

// RemoveDevice removes a device with its signals and guards; DropReadings takes the readings away. Its
// keys are remembered.
func RemoveDevice(ctx context.Context, db store.Writer, d *site.Device, now measure.Instant) error {
	for _, statement := range []string{
		`insert into former_key (hash, name, sealed, deleted_at) select hash, $2::text, sealed, $3::bigint
			from device_key where device_id = $1
		 on conflict (hash) do update set name = excluded.name, deleted_at = excluded.deleted_at`,
		`delete from device where id = $1 and ($2::text, $3::bigint) is not null`,
	} {
		if _, err := db.Exec(ctx, statement, d.ID, d.Name, now); err != nil {
			return err
		}
	}
	return nil
}

// PlainDevices gives all devices, or some, without what is counted or seen of them.
func PlainDevices(ctx context.Context, db store.Reader, devices ...int64) (all []site.Device, err error) {
	query, args := of(devices, plainDevices+` where true`, "d.id = any($devices)")
	err = db.Select(ctx, &all, query, args...)
	return all, err
}

const plainDevices = `

		select d.id, d.name, d.title, coalesce(g.name, '') as behind, d.kit, d.closed, d.interval, d.uptime,
		    d.clock_offset, d.silence_alarm, d.faults, d.enrolled, d.settings,
		       d.settings_version, nullif(d.settings_at, 0) as settings_at, d.running, d.running_version,
		           nullif(d.running_at, 0) as running_at, d.created_at
		from device d left join device g on g.id = d.behind_id`

// DeviceState is what the pipeline keeps of a device's life.
type DeviceState struct {
	Device        int64           `db:"device_id"`
	SilentSince   measure.Instant `db:"silent_since"`
	CountedFrom   measure.Instant `db:"counted_from"`
	LateSince     measure.Instant `db:"late_since"`
	CatchingSince measure.Instant `db:"catching_since"`
	// the service was away since then, and the device was not heard since; 0: it was
	AbsentFrom   measure.Instant  `db:"absent_from"`
	AbsentUntil  measure.Instant  `db:"absent_until"` // and until then; 0: its delays go on, though it was not heard
	AlarmID      *int64           `db:"alarm_id"`
	ClockAlarmID *int64           `db:"clock_alarm_id"`
	DueAt        *measure.Instant `db:"due_at"`
}

// DeviceStates gives the states that commits after since have changed, or all of some devices.
func DeviceStates(ctx context.Context, db store.Reader, since int64,
	devices ...int64) (states []DeviceState, err error) {
	query, args := statesOf(devices, since, `
		select device_id, silent_since, counted_from, late_since, catching_since, absent_from, absent_until, alarm_id,
		    clock_alarm_id, due_at from device_state where`, "device_id = any($devices)")
	err = db.Select(ctx, &states, query, args...)
	return states, err
}

// SaveDeviceState writes a state.
func SaveDeviceState(ctx context.Context, db store.Writer, s DeviceState, commitNo int64) error {
	_, err := db.Exec(ctx, `
		update device_state set changed_in = $2, silent_since = $3, counted_from = $4, late_since = $5,
		    catching_since = $6, alarm_id = $7, clock_alarm_id = $8, due_at = $9, absent_from = $10, absent_until = $11
		where device_id = $1`, s.Device, commitNo, s.SilentSince, s.CountedFrom, s.LateSince, s.CatchingSince,
		s.AlarmID, s.ClockAlarmID, s.DueAt, s.AbsentFrom, s.AbsentUntil)
	return err
}

// DueDevices gives the devices that must be looked at by at, limit at most.
func DueDevices(ctx context.Context, db store.Reader, at measure.Instant, limit int) (ids []int64, err error) {
	err = db.Select(ctx, &ids,
		`select device_id from device_state where due_at <= $1 order by due_at, device_id limit $2`, at, limit)
	return ids, err
}
