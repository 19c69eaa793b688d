package roster

import (
	"fmt"
	"net/url"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
)

// SiteReach is what the site itself has to tell, and to whom.
type SiteReach struct {
	Tell      []string        `json:"tell" db:"-" required:"false" nullable:"false" maxItems:"50" doc:"whom the service tells of itself: a full disk, a carrier that fails, an outage; rosters, contacts, e-mail addresses; empty: the owners"`
	Templates alarm.Templates `json:"templates" db:"templates" required:"false" nullable:"false" maxItems:"20" doc:"the site's own words, after those of a contact and a guard"`
	Heartbeat *Heartbeat      `json:"heartbeat,omitempty" db:"heartbeat" required:"false" doc:"tells somebody outside that the service lives"`
	QuietWord *QuietWord      `json:"quiet_word,omitempty" db:"quiet_word" required:"false" doc:"a word once a day that all is quiet, or what stands"`
	Flood     *FloodLimit     `json:"flood,omitempty" db:"flood" required:"false" doc:"when a reader gets one message for all in place of one for each; 8 within 3m when left out"`
}

// FloodLimit says when a reader is told too much at once: from so many messages within so long on, what comes waits
// until they are over, and is told in one message. From half as many on, what one guard says waits so, and nothing
// else. What is critical never waits, and the first word from another device FirstWord at most.
type FloodLimit struct {
	Messages int              `json:"messages" minimum:"1" maximum:"10000" example:"8"`
	Within   measure.Duration `json:"within" doc:"10s to 1h" example:"180"`
}

// FirstWord is how long a flood delays the raise of an alarm on a device of which a reader has heard nothing meanwhile.
const FirstWord = 10 * time.Second

// OfOne is from how many messages on a single guard counts as noisy.
func (f FloodLimit) OfOne() int { return max(f.Messages/2, 1) }

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
	Every measure.Duration `json:"every" doc:"30s to 1d" example:"300"`
}

// QuietWord is a message once a day.
type QuietWord struct {
	To string `json:"to" doc:"a contact or an e-mail address"`
	At string `json:"at" doc:"time of day in the site's time zone" example:"08:00"`
}

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
	if f := s.Flood; f != nil && (f.Within < measure.Duration(10*time.Second) ||
		f.Within > measure.Duration(time.Hour)) {
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
	heard := "Every device that should have sent has sent."
	if silent > 0 {
		heard = prose.Count(silent, "device is silent.", "devices are silent.")
	}
	if len(standing) > 0 {
		says := SummaryOf(w.Site, "This is the word of the day of "+w.Site.Name+". "+heard, standing)
		says.Asks = "" // it is about no one alarm
		return says
	}
	says := "All is quiet"
	if since != 0 {
		says += " since " + When(w.Site, since)
	}
	look := "When this word does not come, look whether the service runs."
	return w.message("All is quiet at "+w.Site.Name, []string{heard}, says+".\n\n"+heard+"\n"+look)
}

// message is one that is about no alarm.
func (w World) message(short string, rest []string, long string) Message {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n", long)
	MessageData{Site: w.Site}.sign(&b)
	return Message{Short: short, Rest: rest, Long: b.String()}
}

// BlindWords say how long the service was away: "Jaunty Lark was away for 2 hours, until …".
func BlindWords(w World, from, until measure.Instant) string {
	return fmt.Sprintf("Jaunty Lark was away for %s, until %s. What happened meanwhile may be told late, or not at "+
		"all where devices keep nothing.", prose.Length(until.Sub(from)), When(w.Site, until))
}

// OutageWords is the journal's entry about something that was away for a while.
func OutageWords(w World, what string, from, until measure.Instant) string {
	length := max(until.Sub(from).Round(time.Second), time.Second)
	return fmt.Sprintf("%s was away for %s, until %s", prose.Capital(what), prose.Length(length), When(w.Site, until))
}

// LeapWords is the journal's entry about a clock that leapt.
func LeapWords(by time.Duration) string {
	way := "forward"
	if by < 0 {
		way = "back"
	}
	return fmt.Sprintf("The service's clock was set %s by %s. What runs (delays, silences, escalations, shelves) "+
		"ends when it would have ended; schedules go by the new time", way, prose.Length(by.Abs()))
}

// BlindMessage tells that the service was away.
func BlindMessage(w World, from, until measure.Instant) Message {
	says := BlindWords(w, from, until)
	rest := fmt.Sprintf("What happened from %s to %s may be told late, or not at all where devices keep nothing.",
		clockAt(w.Site, from, until), clockAt(w.Site, until, until))
	return w.message(fmt.Sprintf("%s was not watched for %s", w.Site.Name, prose.Length(until.Sub(from))),
		[]string{rest}, says)
}

// TestMessage proves that an address is reached.
func TestMessage(w World, contact, who string) Message {
	says := fmt.Sprintf("This is a test for %s, sent by %s. Nothing is wrong.", contact, who)
	return w.message("Test: "+w.Site.Name+" reaches you", []string{says, "Nothing is wrong."}, says+
		"\n\nIf you read or hear this, alarms reach you by this way.")
}
