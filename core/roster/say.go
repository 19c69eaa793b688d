package roster

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
)

// Told is one line of who would be told and when.
type Told struct {
	At    measure.Instant `json:"at" format:"date-time"`
	After string          `json:"after" doc:"how long after the raise, in words" example:"at once"`
	Words string          `json:"words" doc:"who, by what, and why" example:"Tadhg by text message and voice call"`
	Again bool            `json:"again" doc:"everybody whose hours it is is told again"`
}

// shownCalls is how many calls a plan in words shows, and shownAhead how far ahead.
const (
	shownCalls = 12
	shownAhead = 7 * 24 * time.Hour
)

// Say tells in words who would be told, and when, of an alarm of a severity that is raised at an instant and that
// nobody takes. After the first time that all are told again it says no more: it goes on so.
func (r *Roster) Say(a About, at measure.Instant, w World) (lines []Told) {
	p := Progress{Since: at}
	for range shownCalls {
		call, next, found := r.Next(p, a, w)
		if !found || call.At.Sub(at) > shownAhead {
			break
		}
		p = next
		line := Told{At: call.At, After: "at once", Again: call.Again}
		if call.At > at {
			line.After = "after " + prose.Length(call.At.Sub(at))
		}
		line.Words = w.say(r.Readers(call, a, w))
		if call.Again {
			line.Words += fmt.Sprintf(", again, and so on every %s until someone has it",
				prose.Length(time.Duration(r.Repeat)))
		}
		lines = append(lines, line)
		if call.Again {
			break
		}
	}
	return lines
}

// say lists readers by contact: "Orla by e-mail, Tadhg by text message and voice call".
func (w World) say(readers []Recipient) string {
	if len(readers) == 0 {
		return "nobody: no contact of it has such an address, so the next step comes at once"
	}
	var parts []string
	for i := 0; i < len(readers); {
		c := readers[i]
		var by []string
		for ; i < len(readers) && readers[i].Contact == c.Contact; i++ {
			if way := wordsOf(readers[i].Carrier); !slices.Contains(by, way) {
				by = append(by, way)
			}
		}
		who := c.Contact
		if known := w.Contacts[c.Contact]; known != nil {
			who = known.Called()
		}
		part := who + " by " + prose.List(by)
		if c.Quiet != 0 {
			part += fmt.Sprintf(" (quiet hours: not before %s)", When(w.Site, c.Quiet))
		}
		parts = append(parts, part)
	}
	return strings.Join(parts, ", ")
}

// wordsOf gives a carrier as people say it.
func wordsOf(carrier string) string {
	c, _ := CarrierOf(carrier)
	return c.Words
}
