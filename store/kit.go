package store

import (
	"context"
	"encoding/json"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Kits lists all kits by name.
func (s *Store) Kits(ctx context.Context) ([]site.Kit, error) {
	var bodies [][]byte
	if err := s.db.SelectContext(ctx, &bodies, `select body from kit order by name`); err != nil {
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
func (t *Tx) Kit(ctx context.Context, name string) (k site.Kit, err error) {
	var body []byte
	if err = t.GetContext(ctx, &body, `select body from kit where name = $1`, name); err != nil {
		return k, found(err)
	}
	return k, json.Unmarshal(body, &k)
}

// SaveKit stores a kit, in place of one of the same name.
func (t *Tx) SaveKit(ctx context.Context, k *site.Kit, now measure.Instant) error {
	body, err := json.Marshal(k)
	if err != nil {
		return err
	}
	_, err = t.ExecContext(ctx, `
		insert into kit (name, version, body, changed_at) values ($1, 1, $2, $3)
		on conflict (name) do update set version = kit.version + 1, body = excluded.body, changed_at = excluded.changed_at`, k.Name, string(body), now)
	return err
}

// RemoveKit removes a kit; devices that were made from it stay as they are.
func (t *Tx) RemoveKit(ctx context.Context, name string) error {
	_, err := t.ExecContext(ctx, `delete from kit where name = $1`, name)
	return err
}
