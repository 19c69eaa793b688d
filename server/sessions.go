package server

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
)

// withCookie is an answer that sets the session's cookie.
type withCookie[T any] struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      T
}

func (v *Server) cookie(value string, lasts time.Duration) http.Cookie {
	return http.Cookie{Name: sessionCookie, Value: value, Path: "/", HttpOnly: true, Secure: v.Secure, SameSite: http.SameSiteLaxMode, MaxAge: int(lasts.Seconds())}
}

func (v *Server) signIn(ctx context.Context, in *api.Body[api.Credentials]) (*withCookie[site.Person], error) {
	person, err := v.checkPassword(ctx, askedOf(ctx).from, in.Body.Email, in.Body.Password)
	if err != nil {
		return nil, err
	}
	token, _, err := v.letIn(ctx, person, true, sessionLasts)
	return &withCookie[site.Person]{v.cookie(token, sessionLasts), person}, err
}

func (v *Server) session(ctx context.Context, _ *api.None) (site.Person, error) {
	return personOf(ctx), nil
}

func (v *Server) signOut(ctx context.Context, _ *api.None) (*withCookie[api.None], error) {
	hash, _ := ctx.Value(tokenHashKey).([]byte)
	gone := v.cookie("", 0)
	gone.MaxAge = -1
	defer v.hub.recheck()
	return &withCookie[api.None]{SetCookie: gone}, v.store.RemoveToken(ctx, hash)
}

func (v *Server) createToken(ctx context.Context, in *api.Body[api.Credentials]) (api.Token, error) {
	person, err := v.checkPassword(ctx, askedOf(ctx).from, in.Body.Email, in.Body.Password)
	if err != nil {
		return api.Token{}, err
	}
	token, expires, err := v.letIn(ctx, person, false, tokenLasts)
	return api.Token{Token: token, ExpiresAt: expires, Person: person}, err
}

func (v *Server) getSite(ctx context.Context, _ *api.None) (site.Site, error) {
	return v.store.Site(ctx)
}

func (v *Server) putSite(ctx context.Context, in *api.Body[api.SiteChange]) (site.Site, error) {
	here, err := v.store.Site(ctx)
	if err != nil {
		return site.Site{}, err
	}
	if err := json.Unmarshal(in.Body.Fields, &here); err != nil {
		return site.Site{}, wrong("body", err.Error())
	}
	if _, err := time.LoadLocation(here.Zone); err != nil || here.Zone == "Local" || here.Zone == "" {
		return site.Site{}, wrong("zone", `"`+here.Zone+`" is not a time zone; write it like Europe/Dublin`)
	}
	if err := errors.Join(site.CheckKeep("keep_readings", here.KeepReadings), site.CheckKeep("keep_figures", here.KeepFigures), site.CheckKeep("keep_alarms", here.KeepAlarms), site.CheckKeep("keep_journal", here.KeepJournal), here.Units.Check(), here.Holidays.Check()); err != nil {
		return site.Site{}, err
	}
	return here, respond.SetSite(ctx, v.pipeline, here, actor(ctx))
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

func (v *Server) listPeople(ctx context.Context, _ *api.None) ([]site.Person, error) {
	return v.store.People(ctx)
}

func (v *Server) addPerson(ctx context.Context, in *api.Body[api.NewPerson]) (api.AddedPerson, error) {
	out := api.AddedPerson{Person: site.Person{Name: strings.TrimSpace(in.Body.Name), Role: in.Body.Role}}
	var err error
	if out.Email, err = site.CheckEmail(in.Body.Email); err != nil {
		return api.AddedPerson{}, wrong("email", err.Error())
	}
	password := in.Body.Password
	if password == "" {
		out.Password, _ = secret(12)
		password = out.Password
	}
	if err := site.CheckPassword(password); err != nil {
		return api.AddedPerson{}, wrong("password", err.Error())
	}
	err = AddPerson(ctx, v.pipeline, &out.Person, password, actor(ctx))
	return out, err
}

// AddPerson lets a person sign in with a password.
func AddPerson(ctx context.Context, p *pipeline.Pipeline, person *site.Person, password, who string) error {
	hash, err := HashPassword(password)
	if err != nil {
		return err
	}
	return p.Do(ctx, func(t *reading.Turn) error {
		person.CreatedAt = t.Now
		if err := t.Tx.AddPerson(ctx, person, hash); err != nil {
			return err
		}
		return t.Enter("person added", person.Email, who, person.Email+" may sign in as "+string(person.Role))
	})
}

var errLastOwner = huma.Error409Conflict("This is the last owner; make another person owner first.")

func (v *Server) setRole(ctx context.Context, in *api.SetRoleIn) (site.Person, error) {
	var person site.Person
	err := v.pipeline.Do(ctx, func(t *reading.Turn) (err error) {
		if person, err = t.Tx.SetRole(ctx, strings.ToLower(in.Email), in.Body.Role); err != nil {
			return v.noPerson(ctx, in.Email, err)
		}
		return v.keepAnOwner(ctx, t, "role set", in.Email, in.Email+" is now "+string(in.Body.Role))
	})
	return person, err
}

func (v *Server) removePerson(ctx context.Context, in *api.RemovePersonIn) error {
	defer v.hub.recheck()
	email := strings.ToLower(in.Email)
	return v.pipeline.Do(ctx, func(t *reading.Turn) error {
		if err := configure.KeepRemoved(t, "person", email, "", actor(ctx), "person", "email", email); err != nil {
			return err
		}
		if err := t.Tx.RemovePerson(ctx, email); err != nil {
			return v.noPerson(ctx, in.Email, err)
		}
		return v.keepAnOwner(ctx, t, "person removed", in.Email, in.Email+" may not sign in any more")
	})
}

// keepAnOwner refuses what would leave the site without an owner.
func (v *Server) keepAnOwner(ctx context.Context, t *reading.Turn, kind, subject, text string) error {
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
