package api

import (
	"jauntylark/core/site"
)

// Operations on people.
var (
	ListPeople = define[None, []site.Person](owner, "list-people",
		"GET /people", "Who can sign in")
	AddPerson = define[Body[NewPerson], AddedPerson](owner, "add-person",
		"POST /people", "Let a person sign in", created)
	SetRole = define[SetRoleIn, site.Person](owner, "set-role",
		"PUT /people/{email}/role", "Change a person's role")
	RemovePerson = define[RemovePersonIn, None](owner, "remove-person",
		"DELETE /people/{email}", "Remove a person with all sessions and tokens")
)

// RemovePersonIn is the input of RemovePerson.
type RemovePersonIn struct {
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
	Email string `path:"email"`
	Body  RoleOrder
}

// RoleOrder says what a person may do.
type RoleOrder struct {
	Role site.Role `json:"role" enum:"viewer,keeper,owner"`
}
