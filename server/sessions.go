package server

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/store"
)

// Credentials are what a person signs in with.
type Credentials struct {
	Email    string `json:"email" maxLength:"254"`
	Password string `json:"password" maxLength:"256"`
}

type signInInput struct {
	from string
	Body Credentials
}

// Resolve learns where the request comes from.
func (in *signInInput) Resolve(ctx huma.Context) []error {
	in.from = ctx.RemoteAddr()
	return nil
}

type signInOutput struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      site.Person
}

func (v *Server) cookie(value string, lasts time.Duration) http.Cookie {
	return http.Cookie{Name: sessionCookie, Value: value, Path: "/", HttpOnly: true, Secure: v.Secure, SameSite: http.SameSiteLaxMode, MaxAge: int(lasts.Seconds())}
}

func (v *Server) signIn(ctx context.Context, in *signInInput) (*signInOutput, error) {
	person, err := v.checkPassword(ctx, in.from, in.Body.Email, in.Body.Password)
	if err != nil {
		return nil, err
	}
	token, _, err := v.letIn(ctx, person, true, sessionLasts)
	return &signInOutput{v.cookie(token, sessionLasts), person}, err
}

func (v *Server) session(ctx context.Context, _ *none) (*body[site.Person], error) {
	return answer(personOf(ctx), nil)
}

type signOutOutput struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

func (v *Server) signOut(ctx context.Context, _ *none) (*signOutOutput, error) {
	hash, _ := ctx.Value(tokenHashKey).([]byte)
	gone := v.cookie("", 0)
	gone.MaxAge = -1
	defer v.hub.recheck()
	return &signOutOutput{gone}, v.store.RemoveToken(ctx, hash)
}

// Token lets a program in as a person.
type Token struct {
	Token     string          `json:"token" doc:"told once"`
	ExpiresAt measure.Instant `json:"expires_at" format:"date-time"`
	Person    site.Person     `json:"person"`
}

func (v *Server) createToken(ctx context.Context, in *signInInput) (*body[Token], error) {
	person, err := v.checkPassword(ctx, in.from, in.Body.Email, in.Body.Password)
	if err != nil {
		return nil, err
	}
	token, expires, err := v.letIn(ctx, person, false, tokenLasts)
	return answer(Token{token, expires, person}, err)
}

func (v *Server) getSite(ctx context.Context, _ *none) (*body[site.Site], error) {
	return answer(v.store.Site(ctx))
}

// siteSaid is what is said of the site: what is left out stays as it is.
type siteSaid struct{ fields json.RawMessage }

// UnmarshalJSON keeps the fields as they stand.
func (s *siteSaid) UnmarshalJSON(text []byte) error {
	s.fields = slices.Clone(text)
	return nil
}

// Schema is that of a site.
func (siteSaid) Schema(r huma.Registry) *huma.Schema {
	return r.Schema(reflect.TypeFor[site.Site](), true, "Site")
}

func (v *Server) putSite(ctx context.Context, in *body[siteSaid]) (*body[site.Site], error) {
	here, err := v.store.Site(ctx)
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(in.Body.fields, &here); err != nil {
		return nil, wrong("body", err.Error())
	}
	if _, err := time.LoadLocation(here.Zone); err != nil || here.Zone == "Local" || here.Zone == "" {
		return nil, wrong("zone", `"`+here.Zone+`" is not a time zone; write it like Europe/Dublin`)
	}
	if err := errors.Join(site.CheckKeep("keep_readings", here.KeepReadings), site.CheckKeep("keep_figures", here.KeepFigures), site.CheckKeep("keep_alarms", here.KeepAlarms), site.CheckKeep("keep_journal", here.KeepJournal), here.Units.Check(), here.Holidays.Check()); err != nil {
		return nil, err
	}
	return answer(here, v.pipeline.SetSite(ctx, here, actor(ctx)))
}

// who is the person behind the request.
func who(ctx context.Context) pipeline.Actor {
	p := personOf(ctx)
	return pipeline.Actor{Called: p.Called(), Email: p.Email}
}

// actor is what to call the person behind the request.
func actor(ctx context.Context) string {
	p := personOf(ctx)
	return p.Called()
}

func (v *Server) listPeople(ctx context.Context, _ *none) (*body[[]site.Person], error) {
	return answer(v.store.People(ctx))
}

// NewPerson is a person who is to be let in. Without a password one is made and told once.
type NewPerson struct {
	Email    string    `json:"email" maxLength:"254"`
	Name     string    `json:"name" required:"false" maxLength:"80"`
	Role     site.Role `json:"role" enum:"viewer,keeper,owner"`
	Password string    `json:"password" required:"false" maxLength:"256"`
}

// AddedPerson is a person who was let in.
type AddedPerson struct {
	site.Person
	Password string `json:"password,omitempty" doc:"told once, when it was made here"`
}

func (v *Server) addPerson(ctx context.Context, in *body[NewPerson]) (*body[AddedPerson], error) {
	out := AddedPerson{Person: site.Person{Name: strings.TrimSpace(in.Body.Name), Role: in.Body.Role}}
	var err error
	if out.Email, err = site.CheckEmail(in.Body.Email); err != nil {
		return nil, wrong("email", err.Error())
	}
	password := in.Body.Password
	if password == "" {
		out.Password, _ = secret(12)
		password = out.Password
	}
	if err := site.CheckPassword(password); err != nil {
		return nil, wrong("password", err.Error())
	}
	err = AddPerson(ctx, v.pipeline, &out.Person, password, actor(ctx))
	return answer(out, err)
}

// AddPerson lets a person sign in with a password.
func AddPerson(ctx context.Context, p *pipeline.Pipeline, person *site.Person, password, who string) error {
	hash, err := HashPassword(password)
	if err != nil {
		return err
	}
	return p.Do(ctx, func(t *pipeline.Turn) error {
		person.CreatedAt = t.Now
		if err := t.Tx.AddPerson(ctx, person, hash); err != nil {
			return err
		}
		return t.Enter("person added", person.Email, who, person.Email+" may sign in as "+string(person.Role))
	})
}

type roleInput struct {
	Email string `path:"email"`
	Body  struct {
		Role site.Role `json:"role" enum:"viewer,keeper,owner"`
	}
}

var errLastOwner = huma.Error409Conflict("This is the last owner; make another person owner first.")

func (v *Server) setRole(ctx context.Context, in *roleInput) (*body[site.Person], error) {
	var person site.Person
	err := v.pipeline.Do(ctx, func(t *pipeline.Turn) (err error) {
		if person, err = t.Tx.SetRole(ctx, strings.ToLower(in.Email), in.Body.Role); err != nil {
			return v.noPerson(ctx, in.Email, err)
		}
		return v.keepAnOwner(ctx, t, "role set", in.Email, in.Email+" is now "+string(in.Body.Role))
	})
	return answer(person, err)
}

func (v *Server) removePerson(ctx context.Context, in *struct {
	Email string `path:"email"`
}) (*none, error) {
	defer v.hub.recheck()
	email := strings.ToLower(in.Email)
	return nil, v.pipeline.Do(ctx, func(t *pipeline.Turn) error {
		if err := t.KeepRemoved("person", email, "", actor(ctx), "person", "email", email); err != nil {
			return err
		}
		if err := t.Tx.RemovePerson(ctx, email); err != nil {
			return v.noPerson(ctx, in.Email, err)
		}
		return v.keepAnOwner(ctx, t, "person removed", in.Email, in.Email+" may not sign in any more")
	})
}

// keepAnOwner refuses what would leave the site without an owner.
func (v *Server) keepAnOwner(ctx context.Context, t *pipeline.Turn, kind, subject, text string) error {
	owners, err := t.Tx.Owners(ctx)
	if err != nil {
		return err
	}
	if len(owners) == 0 {
		return errLastOwner
	}
	return t.Enter(kind, subject, actor(ctx), text)
}

// noPerson names the nearest person when there is none with the address.
func (v *Server) noPerson(ctx context.Context, email string, err error) error {
	people, listErr := v.store.People(ctx)
	if listErr != nil {
		return err
	}
	emails := make([]string, len(people))
	for i, p := range people {
		emails[i] = p.Email
	}
	return missing(err, "person", email, emails)
}

// missing turns store.ErrNotFound into a 404 that names the nearest valid name.
func missing(err error, what, name string, known []string) error {
	if err == nil || !strings.HasSuffix(err.Error(), store.ErrNotFound.Error()) {
		return err
	}
	detail := "There is no " + what + " " + name + "."
	if near := site.Nearest(name, known); near != "" {
		detail += " Did you mean " + near + "?"
	}
	return huma.Error404NotFound(detail)
}
