package store

import (
	"context"
	"errors"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

const (
	personColumns = `id, email, name, role, units, created_at, coalesce((select b.name from board_start s join board b on b.id = s.board_id where s.person_id = person.id and b.removed_at is null), '') as start`
	selectPerson  = `select ` + personColumns + ` from person`
)

// ErrTaken says that a name which must be unique is in use.
var ErrTaken = errors.New("is taken")

// People lists all who can sign in.
func (s *Store) People(ctx context.Context) ([]site.Person, error) {
	people := []site.Person{}
	err := s.db.SelectContext(ctx, &people, selectPerson+` order by email`)
	return people, err
}

// PersonByEmail gives a person and the hash of the password.
func (s *Store) PersonByEmail(ctx context.Context, email string) (p site.Person, passwordHash string, err error) {
	var row struct {
		site.Person
		PasswordHash string `db:"password_hash"`
	}
	err = s.db.GetContext(ctx, &row, `select `+personColumns+`, password_hash from person where email = $1`, email)
	return row.Person, row.PasswordHash, found(err)
}

// AddPerson stores a new person; ErrTaken when the address is known.
func (t *Tx) AddPerson(ctx context.Context, p *site.Person, passwordHash string) error {
	err := t.GetContext(ctx, &p.ID, `insert into person (email, name, role, password_hash, created_at) values ($1, $2, $3, $4, $5) returning id`,
		p.Email, p.Name, p.Role, passwordHash, p.CreatedAt)
	if taken(err) {
		return fmt.Errorf("%s %w", p.Email, ErrTaken)
	}
	return err
}

// SetPassword changes a person's password.
func (t *Tx) SetPassword(ctx context.Context, person int64, passwordHash string) error {
	_, err := t.ExecContext(ctx, `update person set password_hash = $2 where id = $1`, person, passwordHash)
	return err
}

// SetRole changes a person's role.
func (t *Tx) SetRole(ctx context.Context, email string, role site.Role) (site.Person, error) {
	var p site.Person
	err := t.GetContext(ctx, &p, `update person set role = $2 where email = $1 returning `+personColumns, email, role)
	return p, found(err)
}

// SetPersonUnits says in which units a person sees values.
func (t *Tx) SetPersonUnits(ctx context.Context, person int64, units site.Units) error {
	_, err := t.ExecContext(ctx, `update person set units = $2 where id = $1`, person, units)
	return err
}

// RemovePerson removes a person with all sessions and tokens.
func (t *Tx) RemovePerson(ctx context.Context, email string) error {
	var id int64
	return found(t.GetContext(ctx, &id, `delete from person where email = $1 returning id`, email))
}

// AddToken stores what lets a person in until expires.
func (s *Store) AddToken(ctx context.Context, hash []byte, person int64, session bool, created, expires measure.Instant) error {
	_, err := s.db.ExecContext(ctx, `
		with old as (delete from token where expires_at < $4)
		insert into token (hash, person_id, session, created_at, expires_at) values ($1, $2, $3, $4, $5)`, hash, person, session, created, expires)
	return err
}

// PersonByToken gives the person whom an unexpired token lets in.
func (s *Store) PersonByToken(ctx context.Context, hash []byte, now measure.Instant) (site.Person, error) {
	var p site.Person
	err := s.db.GetContext(ctx, &p, selectPerson+` where id = (select person_id from token where hash = $1 and expires_at > $2)`, hash, now)
	return p, found(err)
}

// RemoveToken ends a session or revokes a token.
func (s *Store) RemoveToken(ctx context.Context, hash []byte) error {
	_, err := s.db.ExecContext(ctx, `delete from token where hash = $1`, hash)
	return err
}

// EmailsOf gives the addresses of those who are called so.
func (t *Tx) EmailsOf(ctx context.Context, called string) (addresses []string, err error) {
	err = t.SelectContext(ctx, &addresses, `select email from person where name = $1 or email = $1`, called)
	return addresses, err
}

// Owners gives the addresses of the owners.
func (t *Tx) Owners(ctx context.Context) (addresses []string, err error) {
	err = t.SelectContext(ctx, &addresses, `select email from person where role = 'owner' order by email`)
	return addresses, err
}
