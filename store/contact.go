package store

import (
	"context"
	"errors"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
)

const selectContact = `select id, name, title, zone, quiet, passes, away, addresses, templates from contact order by name`

// Contacts lists all contacts by name.
func (s *Store) Contacts(ctx context.Context) ([]roster.Contact, error) {
	contacts := []roster.Contact{}
	err := s.db.SelectContext(ctx, &contacts, selectContact)
	return contacts, err
}

// Contacts gives all contacts.
func (t *Tx) Contacts(ctx context.Context) (contacts []roster.Contact, err error) {
	err = t.SelectContext(ctx, &contacts, selectContact)
	return contacts, err
}

// SaveContact stores a contact, new when its ID is 0; ErrTaken when the name is in use.
func (t *Tx) SaveContact(ctx context.Context, c *roster.Contact) error {
	query := `insert into contact (name, title, zone, quiet, passes, away, addresses, templates)
	          values (:name, :title, :zone, :quiet, :passes, :away, :addresses, :templates) returning id`
	if c.ID != 0 {
		query = `update contact set name = :name, title = :title, zone = :zone, quiet = :quiet, passes = :passes, away = :away, addresses = :addresses, templates = :templates
		         where id = :id returning id`
	}
	return t.save(ctx, query, c, &c.ID, "contact "+c.Name)
}

// save runs a named statement that gives the ID of what it stored; ErrTaken when the name is in use.
func (t *Tx) save(ctx context.Context, query string, noun any, id *int64, what string) error {
	rows, err := t.NamedQuery(query, noun)
	if taken(err) {
		return fmt.Errorf("%s %w", what, ErrTaken)
	}
	if err != nil {
		return err
	}
	defer rows.Close()
	if rows.Next() {
		err = rows.Scan(id)
	}
	err = errors.Join(err, rows.Err())
	if taken(err) {
		return fmt.Errorf("%s %w", what, ErrTaken)
	}
	return err
}

// RemoveContact removes a contact.
func (t *Tx) RemoveContact(ctx context.Context, id int64) error {
	_, err := t.ExecContext(ctx, `delete from contact where id = $1`, id)
	return err
}

const selectRoster = `select id, name, title, steps, repeat_every, rotation, drilled_at, made_at from roster order by name`

// Rosters lists all rosters by name.
func (s *Store) Rosters(ctx context.Context) ([]roster.Roster, error) {
	rosters := []roster.Roster{}
	err := s.db.SelectContext(ctx, &rosters, selectRoster)
	return rosters, err
}

// Rosters gives all rosters.
func (t *Tx) Rosters(ctx context.Context) (rosters []roster.Roster, err error) {
	err = t.SelectContext(ctx, &rosters, selectRoster)
	return rosters, err
}

// SaveRoster stores a roster, new when its ID is 0; ErrTaken when the name is in use.
func (t *Tx) SaveRoster(ctx context.Context, r *roster.Roster) error {
	query := `insert into roster (name, title, steps, repeat_every, rotation, made_at) values (:name, :title, :steps, :repeat_every, :rotation, :made_at) returning id`
	if r.ID != 0 {
		query = `update roster set name = :name, title = :title, steps = :steps, repeat_every = :repeat_every, rotation = :rotation where id = :id returning id`
	}
	return t.save(ctx, query, r, &r.ID, "roster "+r.Name)
}

// RemoveRoster removes a roster.
func (t *Tx) RemoveRoster(ctx context.Context, id int64) error {
	_, err := t.ExecContext(ctx, `delete from roster where id = $1`, id)
	return err
}

// RosterDrilled notes that a drill of a roster went the whole way.
func (t *Tx) RosterDrilled(ctx context.Context, name string, at measure.Instant) error {
	_, err := t.ExecContext(ctx, `update roster set drilled_at = $2 where name = $1`, name, at)
	return err
}

// DrillAlarms gives, by roster, the standing alarms that they were not drilled for long.
func (t *Tx) DrillAlarms(ctx context.Context) (map[int64]int64, error) {
	var rows []struct {
		ID    int64 `db:"id"`
		Alarm int64 `db:"alarm_id"`
	}
	err := t.SelectContext(ctx, &rows, `select id, alarm_id from roster where alarm_id is not null`)
	of := map[int64]int64{}
	for _, r := range rows {
		of[r.ID] = r.Alarm
	}
	return of, err
}

// SetDrillAlarm notes the standing alarm of a roster; nil: there is none.
func (t *Tx) SetDrillAlarm(ctx context.Context, rosterID int64, alarmID *int64) error {
	_, err := t.ExecContext(ctx, `update roster set alarm_id = $2 where id = $1`, rosterID, alarmID)
	return err
}

// Escalation is how far a roster has come with an alarm.
type Escalation struct {
	Alarm  int64 `db:"alarm_id"`
	Roster int64 `db:"roster_id"`
	roster.Progress
	DueAt *measure.Instant `db:"due_at"` // of the next call; nil: there is none
}

// SaveEscalation writes how far a roster has come.
func (t *Tx) SaveEscalation(ctx context.Context, e Escalation) error {
	_, err := t.NamedExecContext(ctx, `
		insert into escalation (alarm_id, roster_id, since, spoken, rounds, due_at) values (:alarm_id, :roster_id, :since, :spoken, :rounds, :due_at)
		on conflict (alarm_id, roster_id) do update set since = excluded.since, spoken = excluded.spoken, rounds = excluded.rounds, due_at = excluded.due_at`, e)
	return err
}

// Escalations gives how far rosters have come with an alarm.
func (t *Tx) Escalations(ctx context.Context, alarmID int64) (all []Escalation, err error) {
	err = t.SelectContext(ctx, &all, `select alarm_id, roster_id, since, spoken, rounds, due_at from escalation where alarm_id = $1 order by roster_id`, alarmID)
	return all, err
}

// EscalationsDue gives those whose next call is due.
func (t *Tx) EscalationsDue(ctx context.Context, now measure.Instant, limit int) (all []Escalation, err error) {
	err = t.SelectContext(ctx, &all, `
		select alarm_id, roster_id, since, spoken, rounds, due_at from escalation where due_at <= $1 order by due_at, alarm_id, roster_id limit $2`, now, limit)
	return all, err
}

// ReplanEscalations lets all rosters that are under way look again at when their next calls are.
func (t *Tx) ReplanEscalations(ctx context.Context, now measure.Instant) error {
	_, err := t.ExecContext(ctx, `update escalation set due_at = $1`, now)
	return err
}

// EndEscalation ends what rosters do about an alarm.
func (t *Tx) EndEscalation(ctx context.Context, alarmID int64) error {
	_, err := t.ExecContext(ctx, `delete from escalation where alarm_id = $1`, alarmID)
	return err
}
