package web

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/intake/httpin"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/credential"
	"jauntylark/store"
	"jauntylark/store/config"
)

const (
	SessionCookie = "jaunty_session"
	SessionLasts  = 30 * 24 * time.Hour
	TokenLasts    = 365 * 24 * time.Hour
	askedWithin   = 10 * time.Second // who asks is known, or nobody is let in
)

type contextKey int

const (
	personKey contextKey = iota
	TokenHashKey
	askedKey
	requestKey
	readerKey
)

// PersonOf gives the person that the request comes from.
func PersonOf(ctx context.Context) site.Person {
	p, _ := ctx.Value(personKey).(site.Person)
	return p
}

// operationOf gives the operation that is asked for.
func operationOf(ctx huma.Context) *api.Operation {
	return ctx.Operation().Metadata["operation"].(*api.Operation)
}

// tokenOf gives the token or the session that a request brings.
func tokenOf(r *http.Request) string {
	token := httpin.Bearer(r.Header.Get("Authorization"))
	if c, err := r.Cookie(SessionCookie); token == "" && err == nil {
		token = c.Value
	}
	return token
}

// NewSecret makes a secret of so many random bytes and its hash, which is all that is stored.
func NewSecret(bytes int) (text string, hash [32]byte) {
	raw := make([]byte, bytes)
	_, _ = rand.Read(raw)
	text = strings.ToLower(base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(raw))
	return text, sha256.Sum256([]byte(text))
}

// signIns bounds how many passwords are tried: at once, since each costs 64 MiB, and after failures.
type signIns struct {
	slots    chan struct{}
	nobodys  func() string // compared with when the address is unknown, so that the answer takes as long
	mu       sync.Mutex
	failures map[string][]time.Time
}

// Failures that are allowed within failuresForget, from one place and for one person. The second is
// larger, so that nobody can shut a person out with a few wrong passwords.
const (
	failuresFrom   = 8
	failuresFor    = 60
	failuresForget = 5 * time.Minute
)

func newSignIns(p Passwords) *signIns {
	return &signIns{slots: make(chan struct{}, 2), failures: map[string][]time.Time{},
		nobodys: sync.OnceValue(func() string {
			hash, _ := p.Hash("nobody has this password")
			return hash
		})}
}

// refused tells how long those at key, who are allowed so many failures, must wait; it forgets old
// failures.
func (s *signIns) refused(key string, allowed int, now time.Time) time.Duration {
	s.mu.Lock()
	defer s.mu.Unlock()
	for k, times := range s.failures {
		for len(times) > 0 && now.Sub(times[0]) > failuresForget {
			times = times[1:]
		}
		if s.failures[k] = times; len(times) == 0 {
			delete(s.failures, k)
		}
	}
	if times := s.failures[key]; len(times) >= allowed {
		return failuresForget - now.Sub(times[len(times)-allowed])
	}
	return 0
}

func (s *signIns) failed(key string, now time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.failures) < 10_000 {
		s.failures[key] = append(s.failures[key], now)
	}
}

// Who is the person behind the request.
func Who(ctx context.Context) pipeline.Actor {
	p := PersonOf(ctx)
	return pipeline.Actor{Called: p.Called(), Email: p.Email}
}

// Actor is what to call the person behind the request.
func Actor(ctx context.Context) string {
	p := PersonOf(ctx)
	return p.Called()
}

// authorise lets an operation run only for people whose role it asks for.
func (v *Server) authorise(ctx huma.Context, next func(huma.Context)) {
	ctx = noteAsked(ctx)
	need := operationOf(ctx).Role
	if need == "" {
		next(ctx)
		return
	}
	token := httpin.Bearer(ctx.Header("Authorization"))
	if token == "" {
		if c, err := huma.ReadCookie(ctx, SessionCookie); err == nil {
			token = c.Value
		}
	}
	asked, person, err := v.mayAsk(ctx.Context(), operationOf(ctx), token)
	ctx = huma.WithContext(ctx, asked)
	if u := ctx.URL(); err == nil {
		err = knownQuery(operationOf(ctx), &u)
	}
	if err != nil {
		v.refuse(ctx, err)
		return
	}
	hash := sha256.Sum256([]byte(token))
	v.operate(huma.WithValue(huma.WithValue(ctx, personKey, person), TokenHashKey, hash[:]), person, next)
}

// whoMay gives the person whom a session or token lets in, who must have a role.
func (v *Server) whoMay(ctx context.Context, token string, need site.Role) (site.Person, error) {
	person, err := v.personByToken(ctx, token)
	switch {
	case errors.Is(err, credential.ErrKeyUnknown):
		return person, huma.Error401Unauthorized("Sign in first.")
	case err != nil:
		return person, v.problem(err)
	case !person.Role.May(need):
		return person, huma.Error403Forbidden(fmt.Sprintf("This takes the role %s; you are %s.", need, person.Role))
	}
	return person, nil
}

// personByToken gives the person whom a session or token lets in.
func (v *Server) personByToken(ctx context.Context, token string) (site.Person, error) {
	if token == "" {
		return site.Person{}, credential.ErrKeyUnknown
	}
	hash := sha256.Sum256([]byte(token))
	ctx, cancel := context.WithTimeout(store.For(ctx, store.Pages), askedWithin)
	defer cancel()
	person, err := config.PersonByToken(ctx, v.Store, hash[:], v.Pipeline.Now())
	if errors.Is(err, store.ErrNotFound) {
		return person, credential.ErrKeyUnknown
	}
	if err != nil && !store.TookTooLong(err) {
		err = fmt.Errorf("%w: %w", commit.ErrAway, err)
	}
	return person, err
}

// CheckPassword gives the person who has this address and password.
func (v *Server) CheckPassword(ctx context.Context, from, email, password string) (site.Person, error) {
	now := time.Now()
	email = strings.ToLower(strings.TrimSpace(email))
	for key, allowed := range map[string]int{from: failuresFrom, email: failuresFor} {
		if wait := v.signIns.refused(key, allowed, now); wait > 0 {
			seconds := fmt.Sprint(int(wait.Seconds()) + 1)
			return site.Person{},
				huma.ErrorWithHeaders(api.WrongPasswords.Problem("Too many wrong passwords. Try again in "+seconds+
					" s."), http.Header{"Retry-After": {seconds}})
		}
	}
	select {
	case v.signIns.slots <- struct{}{}:
		defer func() { <-v.signIns.slots }()
	case <-ctx.Done():
		return site.Person{}, ctx.Err()
	}
	person, hash, err := config.PersonByEmail(ctx, v.Store, email)
	if errors.Is(err, store.ErrNotFound) {
		hash = v.signIns.nobodys()
	} else if err != nil {
		return person, err
	}
	match, hashErr := v.Passwords.match(password, hash)
	if hashErr != nil {
		return person, hashErr
	}
	if !match || err != nil {
		v.signIns.failed(from, now)
		v.signIns.failed(email, now)
		return site.Person{}, huma.Error401Unauthorized("The e-mail address or the password is wrong.")
	}
	return person, nil
}

// LetIn makes a token for a person.
func (v *Server) LetIn(ctx context.Context, person site.Person, session bool,
	lasts time.Duration) (string, measure.Instant, error) {
	token, hash := NewSecret(32)
	now := v.Pipeline.Now()
	return token, now.Add(lasts), config.AddToken(ctx, v.Store, hash[:], person.ID, session, now, now.Add(lasts))
}
