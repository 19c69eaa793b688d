package config

import (
	"context"
	"encoding/json"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// Kits lists all kits by name.
func Kits(ctx context.Context, db store.Reader) ([]site.Kit, error) {
	var bodies [][]byte
	if err := db.Select(ctx, &bodies, `select body from kit order by name`); err != nil {
		return nil, err
	}
	kits := make([]site.Kit, len(bodies))
	for i := range bodies {
		if err := json.Unmarshal(bodies[i], &kits[i]); err != nil {
			return nil, err
		}
	}
	return kits, nil
}

// Kit gives one kit.
func Kit(ctx context.Context, db store.Reader, name string) (k site.Kit, err error) {
	var body []byte
	if err = db.Get(ctx, &body, `select body from kit where name = $1`, name); err != nil {
		return k, store.Found(err)
	}
	return k, json.Unmarshal(body, &k)
}

// SaveKit stores a kit, in place of one of the same name.
func SaveKit(ctx context.Context, db store.Writer, k *site.Kit, now measure.Instant) error {
	body, err := json.Marshal(k)
	if err != nil {
		return err
	}
	_, err = db.Exec(ctx, `
		insert into kit (name, version, body, changed_at) values ($1, 1, $2, $3)
		on conflict (name) do update set version = kit.version + 1, body = excluded.body,
		    changed_at = excluded.changed_at`, k.Name, string(body), now)
	return err
}

// RemoveKit removes a kit; devices that were made from it stay as they are.
func RemoveKit(ctx context.Context, db store.Writer, name string) error {
	_, err := db.Exec(ctx, `delete from kit where name = $1`, name)
	return err
}
