package roster

import (
	"database/sql/driver"
	"fmt"
	"net/url"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

// SiteReach is what the site itself has to tell, and to whom.
type SiteReach struct {
	Tell      []string        `json:"tell" db:"-" required:"false" nullable:"false" maxItems:"50" doc:"whom the service tells of itself: a full disk, a carrier that fails, an outage; rosters, contacts, e-mail addresses; empty: the owners"`
	Templates alarm.Templates `json:"templates" db:"templates" required:"false" nullable:"false" maxItems:"20" doc:"the site's own words, after those of a contact and a guard"`
	Heartbeat *Heartbeat      `json:"heartbeat,omitempty" db:"heartbeat" required:"false" doc:"tells somebody outside that the service lives"`
	QuietWord *QuietWord      `json:"quiet_word,omitempty" db:"quiet_word" required:"false" doc:"a word once a day that all is quiet, or what stands"`
	Flood     *FloodLimit     `json:"flood,omitempty" db:"flood" required:"false" doc:"when a reader gets one message for all in place of one for each; 8 within 3m when left out"`
}

// FloodLimit says when a reader is told too much at once: from so many messages within so long on, what comes waits until they are
// over, and is told in one message. Alarms that are worse than those before are told at once.
type FloodLimit struct {
	Messages int              `json:"messages" minimum:"1" maximum:"10000" example:"8"`
	Within   measure.Duration `json:"within" doc:"10s to 1h" example:"3m"`
}

// Scan reads what Value wrote.
func (f *FloodLimit) Scan(v any) error { return measure.ScanJSON(v, f) }

// Value is the JSON form.
func (f FloodLimit) Value() (driver.Value, error) { return measure.ValueJSON(f) }

// FloodFrom is when a reader of the site is told too much at once.
func (s *SiteReach) FloodFrom() FloodLimit {
	if s.Flood != nil {
		return *s.Flood
	}
	return FloodLimit{8, measure.Duration(3 * time.Minute)}
}

// Heartbeat is a request to an outside address on an interval. When it stays away, that is the outsider's alarm.
type Heartbeat struct {
	URL   string           `json:"url" maxLength:"1000" example:"https://watch.example.org/in/4f7c"`
	Every measure.Duration `json:"every" doc:"30s to 1d" example:"5m"`
}

// QuietWord is a message once a day.
type QuietWord struct {
	To string `json:"to" doc:"a contact or an e-mail address"`
	At string `json:"at" doc:"time of day in the site's time zone" example:"08:00"`
}

// Scan reads what Value wrote.
func (h *Heartbeat) Scan(v any) error { return measure.ScanJSON(v, h) }

// Value is the JSON form.
func (h Heartbeat) Value() (driver.Value, error) { return measure.ValueJSON(h) }

// Scan reads what Value wrote.
func (q *QuietWord) Scan(v any) error { return measure.ScanJSON(v, q) }

// Value is the JSON form.
func (q QuietWord) Value() (driver.Value, error) { return measure.ValueJSON(q) }

// Check tells what is wrong by itself: nil, or a *measure.Fault for the first field.
func (s *SiteReach) Check() error {
	if h := s.Heartbeat; h != nil {
		u, err := url.Parse(h.URL)
		if err != nil || u.Host == "" || (u.Scheme != "https" && u.Scheme != "http") {
			return fault("heartbeat.url", "%q is not an address like https://watch.example.org/in/4f7c", h.URL)
		}
		if h.Every < measure.Duration(30*time.Second) || h.Every > measure.Duration(24*time.Hour) {
			return fault("heartbeat.every", "%v is not between 30s and 1d", h.Every)
		}
	}
	if f := s.Flood; f != nil && (f.Messages < 1 || f.Messages > 10_000) {
		return fault("flood.messages", "%d is not between 1 and 10000", f.Messages)
	}
	if f := s.Flood; f != nil && (f.Within < measure.Duration(10*time.Second) || f.Within > measure.Duration(time.Hour)) {
		return fault("flood.within", "%v is not between 10s and 1h", f.Within)
	}
	if q := s.QuietWord; q != nil {
		if _, err := time.Parse("15:04", q.At); err != nil {
			return fault("quiet_word.at", "%q is no time of day; write it like 08:00", q.At)
		}
	}
	return CheckTemplates(s.Templates)
}

// QuietMessage is the word once a day: that all is quiet since when, or what stands.
func QuietMessage(w World, since measure.Instant, standing []News, silent int) Message {
	if len(standing) > 0 {
		verb := "stand"
		if len(standing) == 1 {
			verb = "stands"
		}
		return SummaryOf(w.Site, fmt.Sprintf("%s of %s %s:", Alarms(len(standing)), w.Site.Name, verb), fmt.Sprintf("%s %s", Alarms(len(standing)), verb), standing)
	}
	var b strings.Builder
	b.WriteString("All is quiet")
	if since != 0 {
		fmt.Fprintf(&b, " since %s", When(w.Site, since))
	}
	b.WriteString(".\n\n")
	switch silent {
	case 0:
		b.WriteString("Every device that should have sent has sent.\n")
	case 1:
		b.WriteString("One device is silent.\n")
	default:
		fmt.Fprintf(&b, "%d devices are silent.\n", silent)
	}
	b.WriteString("When this word does not come, look whether the service runs.\n")
	Matter{Site: w.Site}.sign(&b)
	return Message{Short: "All is quiet at " + w.Site.Name, Long: b.String()}
}

// BlindWords say how long the service was away: "Jaunty Lark was away for 2 hours, until …".
func BlindWords(w World, from, until measure.Instant) string {
	return fmt.Sprintf("Jaunty Lark was away for %s, until %s. What happened meanwhile may be told late, or not at all where devices keep nothing.", Length(until.Sub(from)), When(w.Site, until))
}

// BlindMessage tells that the service was away.
func BlindMessage(w World, from, until measure.Instant) Message {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n", BlindWords(w, from, until))
	Matter{Site: w.Site}.sign(&b)
	return Message{Short: fmt.Sprintf("%s was not watched for %s", w.Site.Name, Length(until.Sub(from))), Long: b.String()}
}

// TestMessage proves that an address is reached.
func TestMessage(w World, contact, who string) Message {
	var b strings.Builder
	fmt.Fprintf(&b, "This is a test for %s, sent by %s. Nothing is wrong.\n\nIf you read or hear this, alarms reach you by this way.\n", contact, who)
	Matter{Site: w.Site}.sign(&b)
	return Message{Short: "Test: " + w.Site.Name + " reaches you", Long: b.String()}
}
