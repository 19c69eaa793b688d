package api

import (
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/statement"
)

// Operations on statements.
var (
	ListStatements = define[None, []statement.Statement](viewer, "list-statements",
		"GET /statements", "All statements", listed(func(v statement.Statement) string { return v.Name }))
	GetStatement = define[StatementPath, statement.Statement](viewer, "get-statement", "GET /statements/{statement}",
		"One statement", tagged)
	PutStatement = define[PutStatementIn, statement.Statement](keeper, "put-statement",
		"PUT /statements/{statement}", "Save a statement", tagged)
	PatchStatement  = inParts(PutStatement, "Change parts of a statement")
	RemoveStatement = define[StatementPath, None](keeper, "remove-statement",
		"DELETE /statements/{statement}", "Remove a statement")
	GetStatementSheet = define[GetStatementSheetIn, statement.Sheet](viewer, "get-statement-sheet",
		"GET /statements/{statement}/sheet", "What a statement says of a period", long)
	SendStatement = define[SendStatementIn, SentStatement](keeper, "send-statement",
		"POST /statements/{statement}/send", "Send a statement now")
)

// PutStatementIn is the input of PutStatement.
type PutStatementIn struct {
	StatementPath
	Body statement.Statement
}

// GetStatementSheetIn is the input of GetStatementSheet.
type GetStatementSheetIn struct {
	StatementPath
	At time.Time `query:"at" doc:"an instant in the period; the newest period that is over when left out"`
}

// SendStatementIn is the input of SendStatement.
type SendStatementIn struct {
	StatementPath
	Body *SendOrder
}

// StatementPath is the place of one statement.
type StatementPath struct {
	Statement string `path:"statement"`
}

// SendOrder sends a statement.
type SendOrder struct {
	At *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"an instant in the period; the newest period that is over when left out"`
	To []string         `json:"to,omitempty" required:"false" nullable:"false" doc:"contacts and e-mail addresses; those whom it is for when left out"`
}

// SentStatement tells how many it was sent to.
type SentStatement struct {
	Notices int `json:"notices"`
}

// GetStatementPage answers with what a statement says of a period.
var GetStatementPage = define[GetStatementPageIn, File](viewer, "get-statement-page",
	"GET /statements/{statement}/page", "What a statement says of a period, as a page to print or as CSV", long,
	gives(textOf("text/html", ""), textOf("text/csv", "")))

// GetStatementPageIn is the input of GetStatementPage.
type GetStatementPageIn struct {
	GetStatementSheetIn
	As string `query:"as" enum:"html,csv" doc:"html when left out"`
}
