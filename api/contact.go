package api

import (
	"jauntylark/core/roster"
)

// Operations on contacts.
var (
	ListContacts = define[None, []roster.Contact](viewer, "list-contacts",
		"GET /contacts", "All contacts")
	GetContact = define[ContactPath, roster.Contact](viewer, "get-contact",
		"GET /contacts/{contact}", "One contact")
	PutContact = define[PutContactIn, roster.Contact](keeper, "put-contact",
		"PUT /contacts/{contact}", "Save a contact; secrets of new webhooks are told once")
	RemoveContact = define[ContactPath, None](keeper, "remove-contact",
		"DELETE /contacts/{contact}", "Remove a contact that nothing names")
	TestContact = define[TestContactIn, TestSent](keeper, "test-contact",
		"POST /contacts/{contact}/test", "Send a test to a contact now")
)

// PutContactIn is the input of PutContact.
type PutContactIn struct {
	ContactPath
	Body roster.Contact
}

// TestContactIn is the input of TestContact.
type TestContactIn struct {
	ContactPath
	Body *TestOrder
}

// ContactPath is the place of one contact.
type ContactPath struct {
	Contact string `path:"contact"`
}

// TestOrder says by which carriers a contact is tested.
type TestOrder struct {
	By []string `json:"by,omitempty" required:"false" nullable:"false" doc:"carriers; all that the contact has when left out"`
}

// TestSent tells which notices carry a test.
type TestSent struct {
	Notices []int64 `json:"notices" nullable:"false" doc:"their numbers"`
}
