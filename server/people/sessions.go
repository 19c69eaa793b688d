package people

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
	"jauntylark/server/web"
	"jauntylark/store/config"
)

// sessionsOperations has the operations of this file answered.
func sessionsOperations(v *web.Server) {
	web.AnswerAs(v, api.SignIn, signIn)
	web.Answer(v, api.GetSession, getSession)
	web.AnswerAs(v, api.SignOut, signOut)
	web.Answer(v, api.CreateToken, createToken)
	web.Keep(v, api.GetSite, getSite, api.PutSite, putSite, api.PatchSite)
	web.Answer(v, api.ListPeople, listPeople)
	web.Answer(v, api.AddPerson, addPerson)
	web.Answer(v, api.GetPerson, getPerson)
	web.Answer(v, api.SetRole, setRole)
	web.Carry(v, api.RemovePerson, removePerson)
}

// withCookie is an answer that sets the session's cookie.
type withCookie[T any] struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      T
}

func sessionCookieOf(v *web.Server, value string, lasts time.Duration) http.Cookie {
	return http.Cookie{Name: web.SessionCookie, Value: value, Path: "/", HttpOnly: true, Secure: v.Secure,
		SameSite: http.SameSiteLaxMode, MaxAge: int(lasts.Seconds())}
}

func signIn(ctx context.Context, v *web.Server, in *api.Body[api.Credentials]) (*withCookie[site.Person], error) {
	person, err := v.CheckPassword(ctx, web.AskedOf(ctx).From, in.Body.Email, in.Body.Password)
	if err != nil {
		return nil, err
	}
	token, _, err := v.LetIn(ctx, person, true, web.SessionLasts)
	return &withCookie[site.Person]{sessionCookieOf(v, token, web.SessionLasts), person}, err
}

func getSession(ctx context.Context, v *web.Server, _ *api.None) (site.Person, error) {
	return web.PersonOf(ctx), nil
}

// onlyCookie is an answer that sets the session's cookie, and nothing else.
type onlyCookie struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

func signOut(ctx context.Context, v *web.Server, _ *api.None) (*onlyCookie, error) {
	hash, _ := ctx.Value(web.TokenHashKey).([]byte)
	gone := sessionCookieOf(v, "", 0)
	gone.MaxAge = -1
	defer v.RecheckStreams()
	return &onlyCookie{SetCookie: gone}, config.RemoveToken(ctx, v.Store, hash)
}

func createToken(ctx context.Context, v *web.Server, in *api.Body[api.Credentials]) (api.Token, error) {
	person, err := v.CheckPassword(ctx, web.AskedOf(ctx).From, in.Body.Email, in.Body.Password)
	if err != nil {
		return api.Token{}, err
	}
	token, expires, err := v.LetIn(ctx, person, false, web.TokenLasts)
	return api.Token{Token: token, ExpiresAt: expires, Person: person}, err
}

func getSite(ctx context.Context, v *web.Server, _ *api.None) (site.Site, error) {
	return config.Site(ctx, v.Store)
}

func putSite(ctx context.Context, v *web.Server, in *api.Body[api.SiteChange]) (site.Site, error) {
	here, err := config.Site(ctx, v.Store)
	if err != nil {
		return site.Site{}, err
	}
	if err := json.Unmarshal(in.Body.Fields, &here); err != nil {
		return site.Site{}, web.Wrong("body", err.Error())
	}
	if _, err := time.LoadLocation(here.Zone); err != nil || here.Zone == "Local" || here.Zone == "" {
		return site.Site{}, web.Wrong("zone", `"`+here.Zone+`" is not a time zone; write it like Europe/Dublin`)
	}
	if err := errors.Join(site.CheckKeep("keep_readings", here.KeepReadings),
		site.CheckKeep("keep_figures", here.KeepFigures), site.CheckKeep("keep_alarms", here.KeepAlarms),
		site.CheckKeep("keep_journal", here.KeepJournal), here.Units.Check(), here.Holidays.Check()); err != nil {
		return site.Site{}, err
	}
	return here, respond.SetSite(ctx, v.Pipeline, here, web.Actor(ctx))
}

func listPeople(ctx context.Context, v *web.Server, _ *api.None) ([]site.Person, error) {
	return config.People(ctx, v.Store)
}

func addPerson(ctx context.Context, v *web.Server, in *api.Body[api.NewPerson]) (api.AddedPerson, error) {
	out := api.AddedPerson{Person: site.Person{Name: strings.TrimSpace(in.Body.Name), Role: in.Body.Role}}
	var err error
	if out.Email, err = site.CheckEmail(in.Body.Email); err != nil {
		return api.AddedPerson{}, web.Wrong("email", err.Error())
	}
	password := in.Body.Password
	if password == "" {
		out.Password, _ = web.NewSecret(12)
		password = out.Password
	}
	if err := site.CheckPassword(password); err != nil {
		return api.AddedPerson{}, web.Wrong("password", err.Error())
	}
	hash, err := v.Passwords.Hash(password)
	if err != nil {
		return api.AddedPerson{}, err
	}
	err = AddPerson(ctx, v.Pipeline, &out.Person, hash, web.Actor(ctx))
	return out, err
}

// AddPerson lets a person sign in with the password of a hash.
func AddPerson(ctx context.Context, p *pipeline.Pipeline, person *site.Person, hash, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		person.CreatedAt = t.Now
		if err := config.AddPerson(ctx, t.Tx, person, hash); err != nil {
			return err
		}
		return t.Enter("person added", person.Email, who, person.Email+" may sign in as "+string(person.Role))
	})
}

var errLastOwner = huma.Error409Conflict("This is the last owner; make another person owner first.")

func setRole(ctx context.Context, v *web.Server, in *api.SetRoleIn) (site.Person, error) {
	var person site.Person
	err := v.Pipeline.Do(ctx, func(t *reading.Turn) (err error) {
		if person, err = config.SetRole(ctx, t.Tx, strings.ToLower(in.Email), in.Body.Role); err != nil {
			return noPerson(ctx, v, in.Email, err)
		}
		return keepAnOwner(ctx, v, t, "role set", in.Email, in.Email+" is now "+string(in.Body.Role))
	})
	return person, err
}

func getPerson(ctx context.Context, v *web.Server, in *api.PersonPath) (site.Person, error) {
	all, err := config.People(ctx, v.Store)
	return web.Named(all, err, "person", strings.ToLower(in.Email), func(p site.Person) string { return p.Email })
}

func removePerson(ctx context.Context, v *web.Server, in *api.PersonPath) error {
	defer v.RecheckStreams()
	email := strings.ToLower(in.Email)
	return v.Pipeline.Do(ctx, func(t *reading.Turn) error {
		if err := configure.KeepRemoved(t, "person", email, "", web.Actor(ctx), "person", "email", email); err != nil {
			return err
		}
		if err := config.RemovePerson(ctx, t.Tx, email); err != nil {
			return noPerson(ctx, v, in.Email, err)
		}
		return keepAnOwner(ctx, v, t, "person removed", in.Email, in.Email+" may not sign in any more")
	})
}

// keepAnOwner refuses what would leave the site without an owner.
func keepAnOwner(ctx context.Context, v *web.Server, t *reading.Turn, kind, subject, text string) error {
	owners, err := config.Owners(ctx, t.Tx)
	if err != nil {
		return err
	}
	if len(owners) == 0 {
		return errLastOwner
	}
	return t.Enter(kind, subject, web.Actor(ctx), text)
}

// noPerson names the nearest person when there is none with the address.
func noPerson(ctx context.Context, v *web.Server, email string, err error) error {
	people, listErr := config.People(ctx, v.Store)
	if listErr != nil {
		return err
	}
	emails := make([]string, len(people))
	for i, p := range people {
		emails[i] = p.Email
	}
	return web.Missing(err, "person", email, emails)
}
