package site

import (
	"fmt"
	"net/mail"
	"strings"

	"jauntylark/core/measure"
)

// Role says what a person may do. Each role may do all that the ones before it may.
type Role string

// The roles, least first.
const (
	Viewer Role = "viewer" // looks
	Keeper Role = "keeper" // acknowledges, sets and drills
	Owner  Role = "owner"  // does everything
)

// Roles lists them, least first.
var Roles = []string{string(Viewer), string(Keeper), string(Owner)}

// May tells whether a person of role r may do what needs role need.
func (r Role) May(need Role) bool { return r.rank() >= need.rank() && r.rank() > 0 }

func (r Role) rank() int {
	switch r {
	case Viewer:
		return 1
	case Keeper:
		return 2
	case Owner:
		return 3
	}
	return 0
}

// Person is somebody who can sign in.
type Person struct {
	ID        int64           `json:"id" db:"id" readOnly:"true"`
	Email     string          `json:"email" db:"email" maxLength:"254"`
	Name      string          `json:"name" db:"name" required:"false" maxLength:"80"`
	Role      Role            `json:"role" db:"role" enum:"viewer,keeper,owner"`
	Units     Units           `json:"units" db:"units" required:"false" doc:"in which unit this person sees values, by what they measure; what is not said is as the site says"`
	Start     string          `json:"start" db:"start" readOnly:"true" doc:"name of the board that this person sees first; empty: what is wrong now"`
	CreatedAt measure.Instant `json:"created_at" db:"created_at" readOnly:"true" format:"date-time"`
}

// Called is what to call the person in a sentence.
func (p *Person) Called() string {
	if p.Name != "" {
		return p.Name
	}
	return p.Email
}

// CheckEmail gives the address in the form it is kept in, or says why it is none.
func CheckEmail(text string) (string, error) {
	address := strings.ToLower(strings.TrimSpace(text))
	if parsed, err := mail.ParseAddress(address); err != nil || parsed.Address != address {
		return "", fmt.Errorf("%q is not an e-mail address", text)
	}
	return address, nil
}

const minPassword, maxPassword = 8, 256

// CheckPassword tells why text cannot be a password.
func CheckPassword(text string) error {
	if len(text) < minPassword || len(text) > maxPassword {
		return fmt.Errorf("a password has %d to %d characters; this one has %d", minPassword, maxPassword, len(text))
	}
	return nil
}
