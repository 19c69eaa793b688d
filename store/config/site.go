package config

import (
	"context"

	"jauntylark/core/site"
	"jauntylark/store"
)

// Site gives the site.
func Site(ctx context.Context, db store.Reader) (site.Site, error) {
	var out site.Site
	err := db.Get(ctx, &out,
		`select name, zone, currency, keep_readings, keep_figures, keep_alarms, keep_journal, units,
			to_jsonb(holidays) as holidays from site`)
	return out, err
}

// SetSite changes the site.
func SetSite(ctx context.Context, tx *store.Tx, v site.Site) error {
	_, err := tx.NamedExec(ctx,
		`update site set name = :name, zone = :zone, currency = :currency, keep_readings = :keep_readings,
			keep_figures = :keep_figures, keep_alarms = :keep_alarms, keep_journal = :keep_journal, units = :units,
			holidays = (select coalesce(array_agg(v), '{}') from jsonb_array_elements_text(:holidays) v)`, v)
	return err
}

// DiskAlarm gives the standing alarm of a disk that is nearly full; nil: there is none.
func DiskAlarm(ctx context.Context, db store.Reader) (id *int64, err error) {
	err = db.Get(ctx, &id, `select disk_alarm_id from site`)
	return id, err
}

// SetDiskAlarm notes which alarm of a disk that is nearly full stands.
func SetDiskAlarm(ctx context.Context, db store.Writer, id *int64) error {
	_, err := db.Exec(ctx, `update site set disk_alarm_id = $1`, id)
	return err
}
