// Package roster says who is told what: it plans the notices of an alarm and finds the words. It
// sends nothing and reads no clock.
package roster

import "jauntylark/core/measure"

// The kinds of a notice.
const (
	Raise   = "raise"   // something is wrong
	Worsen  = "worsen"  // it is worse
	Ease    = "ease"    // it is less bad
	Latched = "latched" // what was wrong is gone, and the alarm waits for a person to reset it
	Return  = "return"  // it is over
	Hand    = "hand"    // somebody asks the reader to take it on
	Summary = "summary" // what came and went while a device caught up
)

// Mail is the carrier that sends e-mail.
const Mail = "e-mail"

// Notice is one message about one alarm to one address by one carrier.
type Notice struct {
	ID         int64           `json:"id" db:"id"`
	AlarmID    int64           `json:"alarm_id" db:"alarm_id"`
	Kind       string          `json:"kind" db:"kind" enum:"raise,worsen,ease,latched,return,hand,summary"`
	Carrier    string          `json:"carrier" db:"carrier"`
	Address    string          `json:"to" db:"address"`
	Subject    string          `json:"subject" db:"subject"`
	Text       string          `json:"text" db:"text"`
	State      string          `json:"state" db:"state" enum:"waiting,sent,given up,held,summed up"`
	CreatedAt  measure.Instant `json:"created_at" db:"created_at" format:"date-time"`
	DueAt      measure.Instant `json:"due_at" db:"due_at" format:"date-time" doc:"not tried before"`
	Attempts   int             `json:"attempts" db:"attempts"`
	Deliveries []Delivery      `json:"deliveries" db:"-" nullable:"false" doc:"each attempt, oldest first"`
}

// Delivery is one attempt at a notice.
type Delivery struct {
	NoticeID int64           `json:"-" db:"notice_id"`
	At       measure.Instant `json:"at" db:"at" format:"date-time"`
	OK       bool            `json:"ok" db:"ok"`
	Answer   string          `json:"answer" db:"answer" doc:"the server's own words"`
}

// The states of a notice.
const (
	Waiting  = "waiting"
	Sent     = "sent"
	GivenUp  = "given up"
	HeldBack = "held"      // its device catches up
	SummedUp = "summed up" // a summary told it
)
