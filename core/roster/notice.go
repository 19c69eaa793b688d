// Package roster says who is told what: it plans the notices of an alarm and finds the words. It
// sends nothing and reads no clock.
package roster

import (
	"regexp"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

// The kinds of a notice.
const (
	Raise     = "raise"     // something is wrong
	Worsen    = "worsen"    // it is worse
	Ease      = "ease"      // it is less bad
	Latched   = "latched"   // what was wrong is gone, and the alarm waits for a person to reset it
	Return    = "return"    // it is over
	Hand      = "hand"      // somebody asks the reader to take it on
	Taken     = "taken"     // somebody has it
	Summary   = "summary"   // what came and went meanwhile, or too much at once
	Test      = "test"      // proves an address
	Quiet     = "quiet"     // all is quiet
	Blind     = "blind"     // the service was away
	Statement = "statement" // what a month, a week or a day came to
)

// Notice is one message to one address by one carrier, mostly about one alarm.
type Notice struct {
	ID          int64            `json:"id" db:"id"`
	AlarmID     int64            `json:"alarm_id" db:"alarm_id" doc:"0: it is about no alarm"`
	Kind        string           `json:"kind" db:"kind" enum:"raise,worsen,ease,latched,return,hand,taken,summary,test,quiet,blind,statement"`
	Severity    alarm.Severity   `json:"severity" db:"severity" doc:"of the alarm; the severest are sent first; empty: it is about none"`
	Contact     string           `json:"contact" db:"contact" doc:"name of the contact; empty: an address alone"`
	Carrier     string           `json:"carrier" db:"carrier"`
	Address     string           `json:"to" db:"address"`
	Why         string           `json:"why" db:"why" doc:"which step of which roster planned it; empty: the guard names the reader"`
	Subject     string           `json:"subject" db:"subject"`
	Text        string           `json:"text" db:"text"`
	State       string           `json:"state" db:"state" enum:"waiting,sent,delivered,given up,held,summed up"`
	CreatedAt   measure.Instant  `json:"created_at" db:"created_at" format:"date-time"`
	DueAt       measure.Instant  `json:"due_at" db:"due_at" format:"date-time" doc:"not tried before"`
	Attempts    int              `json:"attempts" db:"attempts"`
	Held        string           `json:"held" db:"held_why" enum:",catching up,quiet hours,least gap,step's gap,noisy guard,flood,old news" doc:"why it was held back; empty: it was not"`
	GatewayID   string           `json:"gateway_id" db:"gateway_id" doc:"under which the carrier's gateway knows it"`
	DeliveredAt *measure.Instant `json:"delivered_at" db:"delivered_at" format:"date-time" doc:"when the gateway's receipt came"`
	Deliveries  []Delivery       `json:"deliveries" db:"-" nullable:"false" doc:"each attempt and each receipt, oldest first"`
	Route       Route            `json:"-" db:"route"`
}

// Route is what a carrier must know besides the address.
type Route struct {
	AddressID string           `json:"address,omitempty"`
	Format    string           `json:"format,omitempty"`
	Keys      *PushKeys        `json:"keys,omitempty"`
	Gap       measure.Duration `json:"gap,omitempty"`  // the least time between two messages, as the step says
	Link      string           `json:"link,omitempty"` // the page with the button "I have it"
	Drill     bool             `json:"drill,omitempty"`
	Step      int              `json:"step,omitempty"`      // of the roster that called, from 1
	Statement string           `json:"statement,omitempty"` // name
	Period    measure.Instant  `json:"period,omitempty"`    // when the statement's period begins
}

// takeLink finds the secret of a link in a message.
var takeLink = regexp.MustCompile(`/take/[a-z2-7]{20,}`)

// Public gives the notice without the secret of its link, by which anybody could say in its reader's name "I have it",
// and without what an address may hold of secrets.
func (n Notice) Public() Notice {
	n.Subject = takeLink.ReplaceAllString(n.Subject, "/take/…")
	n.Text = takeLink.ReplaceAllString(n.Text, "/take/…")
	n.Address = Address{Carrier: n.Carrier, To: n.Address}.Hidden().To
	return n
}

// Delivery is one attempt at a notice, or a gateway's receipt for it.
type Delivery struct {
	NoticeID int64           `json:"-" db:"notice_id"`
	At       measure.Instant `json:"at" db:"at" format:"date-time"`
	OK       bool            `json:"ok" db:"ok"`
	Answer   string          `json:"answer" db:"answer" doc:"the server's own words"`
}

// The states of a notice.
const (
	Waiting   = "waiting"
	Sent      = "sent"
	Delivered = "delivered" // the gateway's receipt came
	GivenUp   = "given up"
	HeldBack  = "held"
	SummedUp  = "summed up" // a summary told it, or it mattered no more
)

// Why a notice is held back.
const (
	HeldCatchingUp = "catching up" // its device sends what it had kept
	HeldQuiet      = "quiet hours" // of its reader
	HeldGap        = "least gap"   // its guard spoke just now
	HeldStep       = "step's gap"  // its reader was told something by the same way just now
	HeldNoisy      = "noisy guard" // its guard raises and clears again and again
	HeldFlood      = "flood"       // its reader was told of too much at once
	HeldOld        = "old news"    // it was over before it could be sent
)
