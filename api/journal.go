package api

import (
	"time"

	"jauntylark/core/act"
	"jauntylark/core/site"
)

// Operations on the journal.
var (
	ListJournal = define[ListJournalIn, []site.Entry](viewer, "list-journal",
		"GET /journal", "What happened, newest first")
	WriteNote = define[Body[act.Note], None](keeper, "write-note",
		"POST /journal", "Write a note into the journal: what was done, what was seen; charts show it")
)

// ListJournalIn is the input of ListJournal.
type ListJournalIn struct {
	Page
	Device   string    `query:"device" doc:"only what happened to this device and its signals"`
	Kind     string    `query:"kind" doc:"only entries of this kind, or of all that begin with this word" example:"alarm"`
	Severity string    `query:"severity" enum:"advisory,warning,critical" doc:"only entries about alarms that were as bad at their worst"`
	Words    string    `query:"words" maxLength:"200" doc:"each must begin a word of the entry"`
	Since    time.Time `query:"since" doc:"only what happened then or later"`
}
