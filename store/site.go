package store

import (
	"context"

	"jauntylark/core/site"
)

// Site gives the site.
func (s *Store) Site(ctx context.Context) (site.Site, error) {
	var out site.Site
	err := s.db.GetContext(ctx, &out, `select name, zone, currency, keep_readings, keep_figures, keep_alarms, keep_journal, units, to_jsonb(holidays) as holidays from site`)
	return out, err
}

// Site gives the site.
func (t *Tx) Site(ctx context.Context) (site.Site, error) {
	var out site.Site
	err := t.GetContext(ctx, &out, `select name, zone, currency, keep_readings, keep_figures, keep_alarms, keep_journal, units, to_jsonb(holidays) as holidays from site`)
	return out, err
}

// SetSite changes the site.
func (t *Tx) SetSite(ctx context.Context, v site.Site) error {
	_, err := t.NamedExecContext(ctx, `update site set name = :name, zone = :zone, currency = :currency, keep_readings = :keep_readings, keep_figures = :keep_figures, keep_alarms = :keep_alarms, keep_journal = :keep_journal, units = :units, holidays = (select coalesce(array_agg(v), '{}') from jsonb_array_elements_text(:holidays) v)`, v)
	return err
}

// DiskAlarm gives the standing alarm of a disk that is nearly full; nil: there is none.
func (t *Tx) DiskAlarm(ctx context.Context) (id *int64, err error) {
	err = t.GetContext(ctx, &id, `select disk_alarm_id from site`)
	return id, err
}

// SetDiskAlarm notes which alarm of a disk that is nearly full stands.
func (t *Tx) SetDiskAlarm(ctx context.Context, id *int64) error {
	_, err := t.ExecContext(ctx, `update site set disk_alarm_id = $1`, id)
	return err
}
