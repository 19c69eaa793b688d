package api

import (
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// Operations on who is signed in, and what is theirs alone.
var (
	SignIn = define[Body[Credentials], site.Person](nobody, "sign-in",
		"POST /session", "Sign in to the console")
	GetSession  = define[None, site.Person](viewer, "get-session", "GET /session", "Who is signed in")
	SignOut     = define[None, None](viewer, "sign-out", "DELETE /session", "Sign out, or give a token back")
	CreateToken = define[Body[Credentials], Token](nobody, "create-token",
		"POST /tokens", "Get a bearer token for the command line or a program",
		makes(func(*Body[Credentials], Token) Place { return GetSession.At() }))
	SetOwnUnits = define[Body[UnitsOrder], site.Person](viewer, "set-own-units",
		"PUT /session/units", "Say in which units you see values")
	GetPushKey = define[None, PushKey](viewer, "get-push-key",
		"GET /push-key", "The site's public key for Web Push")
	SwitchPushOn = define[Body[PushOrder], roster.Contact](viewer, "switch-push-on",
		"POST /session/push", "Let this browser be told")
	SwitchPushOff = define[Body[PushOrder], roster.Contact](viewer, "switch-push-off",
		"DELETE /session/push", "Let this browser be told no more")
	SetStart = define[Body[StartOrder], site.Person](viewer, "set-start",
		"PUT /session/start", "Say which board you see first")
)

// StartOrder says what a person sees first.
type StartOrder struct {
	Board string `json:"board" doc:"name of a board; empty: what is wrong now"`
}

// UnitsOrder says in which units the person who is signed in sees values.
type UnitsOrder struct {
	Units site.Units `json:"units" doc:"by what they measure; what is not said is as the site says" example:"{\"temperature\":\"[degF]\"}"`
}

// PushKey is the site's own public key for Web Push.
type PushKey struct {
	Key string `json:"key" doc:"base64url, for applicationServerKey"`
}

// PushOrder is a browser's subscription.
type PushOrder struct {
	Endpoint string          `json:"endpoint" maxLength:"1000" doc:"address at the browser's push service"`
	Keys     roster.PushKeys `json:"keys,omitempty" required:"false"`
}

// Credentials are what a person signs in with.
type Credentials struct {
	Email    string `json:"email" maxLength:"254"`
	Password string `json:"password" maxLength:"256"`
}

// Token lets a program in as a person.
type Token struct {
	Token     string          `json:"token" doc:"told once"`
	ExpiresAt measure.Instant `json:"expires_at" format:"date-time"`
	Person    site.Person     `json:"person"`
}

// Operations on people.
var (
	ListPeople = define[None, []site.Person](owner, "list-people", "GET /people", "Who can sign in",
		listed(func(v site.Person) string { return v.Email }))
	AddPerson = define[Body[NewPerson], AddedPerson](owner, "add-person",
		"POST /people", "Let a person sign in",
		makes(func(_ *Body[NewPerson], p AddedPerson) Place { return GetPerson.At(p.Email) }))
	GetPerson = define[PersonPath, site.Person](owner, "get-person", "GET /people/{email}", "One person who can sign in")
	SetRole   = define[SetRoleIn, site.Person](owner, "set-role",
		"PUT /people/{email}/role", "Change a person's role")
	RemovePerson = define[PersonPath, None](owner, "remove-person",
		"DELETE /people/{email}", "Remove a person with all sessions and tokens")
)

// PersonPath is the place of one person.
type PersonPath struct {
	Email string `path:"email"`
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

// SetRoleIn is the input of SetRole.
type SetRoleIn struct {
	PersonPath
	Body RoleOrder
}

// RoleOrder says what a person may do.
type RoleOrder struct {
	Role site.Role `json:"role" enum:"viewer,keeper,owner"`
}
