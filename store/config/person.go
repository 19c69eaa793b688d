package config

import (
	"context"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

const (
	personColumns = `id, email, name, role, units, created_at,
		coalesce((select b.name from board_start s join board b on b.id = s.board_id where s.person_id = person.id
		and b.removed_at is null), '') as start`
	selectPerson = `select ` + personColumns + ` from person`
)

// People lists all who can sign in.
func People(ctx context.Context, db store.Reader) ([]site.Person, error) {
	people := []site.Person{}
	err := db.Select(ctx, &people, selectPerson+` order by email`)
	return people, err
}

// PersonByEmail gives a person and the hash of the password.
func PersonByEmail(ctx context.Context, db store.Reader, email string) (p site.Person, passwordHash string, err error) {
	var row struct {
		site.Person
		PasswordHash string `db:"password_hash"`
	}
	err = db.Get(ctx, &row, `select `+personColumns+`, password_hash from person where email = $1`, email)
	return row.Person, row.PasswordHash, store.Found(err)
}

// AddPerson stores a new person; ErrTaken when the address is known.
func AddPerson(ctx context.Context, db store.Writer, p *site.Person, passwordHash string) error {
	err := db.Get(ctx, &p.ID,
		`insert into person (email, name, role, password_hash, created_at) values ($1, $2, $3, $4, $5) returning id`,
		p.Email, p.Name, p.Role, passwordHash, p.CreatedAt)
	if store.Taken(err) {
		return fmt.Errorf("%s %w", p.Email, store.ErrTaken)
	}
	return err
}

// SetPassword changes a person's password.
func SetPassword(ctx context.Context, db store.Writer, person int64, passwordHash string) error {
	_, err := db.Exec(ctx, `update person set password_hash = $2 where id = $1`, person, passwordHash)
	return err
}

// SetRole changes a person's role.
func SetRole(ctx context.Context, db store.Writer, email string, role site.Role) (site.Person, error) {
	var p site.Person
	err := db.Get(ctx, &p, `update person set role = $2 where email = $1 returning `+personColumns, email, role)
	return p, store.Found(err)
}

// SetPersonUnits says in which units a person sees values.
func SetPersonUnits(ctx context.Context, db store.Writer, person int64, units site.Units) error {
	_, err := db.Exec(ctx, `update person set units = $2 where id = $1`, person, units)
	return err
}

// RemovePerson removes a person with all sessions and tokens.
func RemovePerson(ctx context.Context, db store.Writer, email string) error {
	var id int64
	return store.Found(db.Get(ctx, &id, `delete from person where email = $1 returning id`, email))
}

// AddToken stores what lets a person in until expires.
func AddToken(ctx context.Context, db store.Writer, hash []byte, person int64, session bool, created,
	expires measure.Instant) error {
	_, err := db.Exec(ctx, `
		with old as (delete from token where expires_at < $4)
		insert into token (hash, person_id, session, created_at, expires_at) values ($1, $2, $3, $4, $5)`, hash, person,
		session, created, expires)
	return err
}

// PersonByToken gives the person whom an unexpired token lets in.
func PersonByToken(ctx context.Context, db store.Reader, hash []byte, now measure.Instant) (site.Person, error) {
	var p site.Person
	err := db.Get(ctx, &p, selectPerson+` where id = (select person_id from token where hash = $1 and expires_at > $2)`,
		hash, now)
	return p, store.Found(err)
}

// RemoveToken ends a session or revokes a token.
func RemoveToken(ctx context.Context, db store.Writer, hash []byte) error {
	_, err := db.Exec(ctx, `delete from token where hash = $1`, hash)
	return err
}

// EmailsOf gives the addresses of those who are called so.
func EmailsOf(ctx context.Context, db store.Reader, called string) (addresses []string, err error) {
	err = db.Select(ctx, &addresses, `select email from person where name = $1 or email = $1`, called)
	return addresses, err
}

// Owners gives the addresses of the owners.
func Owners(ctx context.Context, db store.Reader) (addresses []string, err error) {
	err = db.Select(ctx, &addresses, `select email from person where role = 'owner' order by email`)
	return addresses, err
}
