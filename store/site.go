package store

import (
	"context"

	"jauntylark/core/site"
)

// Site gives the site.
func (s *Store) Site(ctx context.Context) (site.Site, error) {
	var out site.Site
	err := s.db.GetContext(ctx, &out, `select name, zone, currency from site`)
	return out, err
}

// Site gives the site.
func (t *Tx) Site(ctx context.Context) (site.Site, error) {
	var out site.Site
	err := t.GetContext(ctx, &out, `select name, zone, currency from site`)
	return out, err
}

// SetSite changes the site.
func (t *Tx) SetSite(ctx context.Context, v site.Site) error {
	_, err := t.NamedExecContext(ctx, `update site set name = :name, zone = :zone, currency = :currency`, v)
	return err
}
