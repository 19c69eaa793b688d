package web

import "github.com/alexedwards/argon2id"

// Passwords hashes passwords with argon2id (RFC 9106).
type Passwords struct {
	Cost *argon2id.Params // nil: 64 MiB and one pass, on all processors
}

// Hash gives what is stored of a password.
func (p Passwords) Hash(password string) (string, error) {
	if p.Cost == nil {
		p.Cost = argon2id.DefaultParams
	}
	return argon2id.CreateHash(password, p.Cost)
}

// match tells whether a password is the one that was hashed.
func (Passwords) match(password, hash string) (bool, error) {
	return argon2id.ComparePasswordAndHash(password, hash)
}
