package config

import (
	"context"
	"fmt"

	"jauntylark/core/roster"
	"jauntylark/store"
)

const selectContact = `select id, name, title, zone, quiet, passes, away, addresses, templates from contact
	order by name`

// Contacts lists all contacts by name.
func Contacts(ctx context.Context, db store.Reader) ([]roster.Contact, error) {
	contacts := []roster.Contact{}
	err := db.Select(ctx, &contacts, selectContact)
	return contacts, err
}

// SaveContact stores a contact, new when its ID is 0; ErrTaken when the name is in use.
func SaveContact(ctx context.Context, tx *store.Tx, c *roster.Contact) error {
	query := `insert into contact (name, title, zone, quiet, passes, away, addresses, templates)
	          values (:name, :title, :zone, :quiet, :passes, :away, :addresses, :templates) returning id`
	if c.ID != 0 {
		query = `update contact set name = :name, title = :title, zone = :zone, quiet = :quiet, passes = :passes,
			away = :away, addresses = :addresses, templates = :templates
		         where id = :id returning id`
	}
	return save(ctx, tx, query, c, &c.ID, "contact "+c.Name)
}

// save runs a named statement that gives the ID of what it stored; ErrTaken when the name is in use.
func save(ctx context.Context, tx *store.Tx, query string, noun any, id *int64, what string) error {
	err := tx.NamedGet(ctx, id, query, noun)
	if store.Taken(err) {
		return fmt.Errorf("%s %w", what, store.ErrTaken)
	}
	return err
}

// RemoveContact removes a contact.
func RemoveContact(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from contact where id = $1`, id)
	return err
}
