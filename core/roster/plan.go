package roster

import (
	"slices"
	"strconv"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
)

// World is what a plan depends on besides the roster.
type World struct {
	Site     site.Site
	Contacts map[string]*Contact
}

func (w World) zone() *time.Location { return w.Site.Location() }

// Progress is how far a roster has come with one alarm. The zero Progress with Since set is its beginning.
type Progress struct {
	// from when its steps count: the raise, or earlier when a step was brought forward
	Since  measure.Instant `db:"since"`
	Spoken int64           `db:"spoken"` // bit i: step i has spoken
	Rounds int             `db:"rounds"` // so many times all were told again
}

// Call is one moment at which a roster speaks.
type Call struct {
	At    measure.Instant
	Steps []int
	Again bool // everybody is told again
}

// Next gives the next call of a roster about an alarm of a severity, and the progress after it; false: there is none.
//
// Each step that is for the severity speaks once: when it is due, or as soon after that as its hours begin. After the
// last one, Repeat later and then again and again, all whose hours it is are told anew. So there is no instant from
// which on nobody would be told while some step's hours are still to come, and no step speaks twice in one round.
func (r *Roster) Next(p Progress, a About, w World) (Call, Progress, bool) {
	call := Call{}
	for i := range r.Steps {
		if p.Spoken>>i&1 == 1 || !r.isFor(i, a) {
			continue
		}
		at := r.open(i, p.Since.Add(time.Duration(r.Steps[i].After)), w)
		switch {
		case at == 0:
		case call.At == 0 || at < call.At:
			call.At, call.Steps = at, []int{i}
		case at == call.At:
			call.Steps = append(call.Steps, i)
		}
	}
	if again, round := r.again(p, a, w); again.At != 0 && (call.At == 0 || again.At <= call.At) {
		call, p.Rounds = again, round
	}
	for _, i := range call.Steps {
		p.Spoken |= 1 << i
	}
	return call, p, call.At != 0
}

// About is what a roster is called for: an alarm of a severity and a kind.
type About struct {
	Severity alarm.Severity
	Kind     string // one of Kinds; empty: any
}

// The kinds of alarms that steps of a roster can be for.
const (
	OfLimit   = "limit"   // a guard found a value beyond what is asked
	OfSilence = "silence" // nothing comes
	// a sensor, a clock, an output, a carrier, a disk, or the service itself does not do what it should
	OfFault    = "fault"
	OfReminder = "reminder" // a verification or a drill is due
)

// Kinds lists them.
var Kinds = []string{OfLimit, OfSilence, OfFault, OfReminder}

// AboutOf gives what an alarm with a test is about.
func AboutOf(a alarm.Alarm, test alarm.Test) About {
	kind := OfFault
	switch {
	case a.Kind == alarm.BySilence || test.Kind == alarm.Silent:
		kind = OfSilence
	case a.Kind == alarm.ByDueDate || a.Kind == alarm.ByDrills:
		kind = OfReminder
	case a.Kind == alarm.ByGuard && test.Kind != alarm.Stuck && test.Kind != alarm.Faulty:
		kind = OfLimit
	}
	return About{a.Severity, kind}
}

func (r *Roster) isFor(step int, a About) bool {
	s := &r.Steps[step]
	return !s.From.Above(a.Severity) && (len(s.Severities) == 0 || slices.Contains(s.Severities, a.Severity)) &&
		(len(s.Kinds) == 0 || a.Kind == "" || slices.Contains(s.Kinds, a.Kind))
}

// open gives the first instant from at on in a step's hours; 0: there is none within a year.
func (r *Roster) open(step int, at measure.Instant, w World) measure.Instant {
	calendar, err := wall.NewCalendar(r.Steps[step].Hours, w.zone(), w.Site.Holidays)
	if err != nil || calendar == nil || calendar.At(at) {
		return at
	}
	return calendar.Next(at)
}

// again gives the next call at which all are told anew, and the number of its round.
func (r *Roster) again(p Progress, a About, w World) (Call, int) {
	if r.Repeat <= 0 {
		return Call{}, 0
	}
	last := measure.Duration(0)
	var fits []int
	for i := range r.Steps {
		if r.isFor(i, a) {
			fits, last = append(fits, i), max(last, r.Steps[i].After)
		}
	}
	base := p.Since.Add(time.Duration(last))
	round := p.Rounds + 1
	for range 1000 { // from one opening to the next
		at := base.Add(time.Duration(r.Repeat) * time.Duration(round))
		call, soonest := Call{At: at, Again: true}, measure.Instant(0)
		for _, i := range fits {
			opens := r.open(i, at, w)
			if opens == at {
				call.Steps = append(call.Steps, i)
			}
			if opens != 0 && (soonest == 0 || opens < soonest) {
				soonest = opens
			}
		}
		if len(call.Steps) > 0 {
			return call, round
		}
		if soonest == 0 {
			return Call{}, 0
		}
		repeat := int64(time.Duration(r.Repeat).Milliseconds())
		round = int((int64(soonest-base) + repeat - 1) / repeat)
	}
	return Call{}, 0
}

// Hurry brings what comes next of a roster forward to now.
func (r *Roster) Hurry(p Progress, a About, w World, now measure.Instant) Progress {
	for i := range r.Steps { // the first step that has not spoken counts, whatever its hours
		if p.Spoken>>i&1 == 0 && r.isFor(i, a) {
			if due := p.Since.Add(time.Duration(r.Steps[i].After)); due > now {
				p.Since -= due - now
			}
			return p
		}
	}
	return p
}

// CaughtUp passes over the rounds that are due by now: after a break all are told again once, not once for each round.
func (r *Roster) CaughtUp(p Progress, a About, w World, now measure.Instant) Progress {
	again, round := r.again(p, a, w)
	if again.At == 0 || again.At > now {
		return p
	}
	p.Rounds = round + int(now.Sub(again.At)/time.Duration(r.Repeat))
	return p
}

// Reaches tells whether a contact of any step that is for a severity has an address that the step calls on.
func (r *Roster) Reaches(a About, w World) bool {
	for i := range r.Steps {
		names := r.Steps[i].Who
		if slices.Contains(names, OnDuty) && r.Rotation != nil {
			names = append(slices.Clone(names), r.Rotation.Who...)
		}
		for _, name := range names {
			if r.isFor(i, a) && len(w.Reach(name, r.Steps[i].By, 0, a.Severity)) > 0 {
				return true
			}
		}
	}
	return false
}

// Recipient is one address that a notice goes to, and why.
type Recipient struct {
	Contact string // name; empty: an address alone
	Address
	Quiet measure.Instant  // until when quiet hours hold it back; 0: they do not
	Gap   measure.Duration // the least time between two messages to it; 0: none
	Why   string           // which step of which roster
	Step  int              // of the roster, from 1; 0: none called on it
}

// Readers gives whom steps of a roster reach at an instant, each address once.
func (r *Roster) Readers(call Call, a About, w World) (readers []Recipient) {
	for _, i := range call.Steps {
		step := &r.Steps[i]
		for _, name := range step.Who {
			if name == OnDuty {
				if r.Rotation == nil {
					continue
				}
				name = r.Rotation.onDuty(call.At, w.zone())
			}
			for _, reader := range w.Reach(name, step.By, call.At, a.Severity) {
				reader.Why, reader.Gap, reader.Step = r.why(i, call.Again), step.LeastGap, i+1
				readers = append(readers, reader)
			}
		}
	}
	return Distinct(readers)
}

func (r *Roster) why(step int, again bool) string {
	if again {
		return "roster " + r.Name + ", again"
	}
	return "roster " + r.Name + ", step " + strconv.Itoa(step+1)
}

// Distinct leaves each address once; one who is reached at once counts before one who is quiet.
func Distinct(readers []Recipient) (out []Recipient) {
	for _, r := range readers {
		if i := slices.IndexFunc(out, func(o Recipient) bool { return o.Same(r.Address) }); i < 0 {
			out = append(out, r)
		} else if r.Quiet == 0 {
			out[i].Quiet = 0
		}
	}
	return out
}

// Reach gives the addresses of a contact, by some carriers or all, at an instant: those of who is told instead while
// the contact is away.
func (w World) Reach(name string, by []string, at measure.Instant, s alarm.Severity) (readers []Recipient) {
	c := w.present(name, at)
	if c == nil {
		return nil
	}
	quiet := c.quietUntil(at, s, w)
	for _, a := range c.Addresses {
		if len(by) == 0 || slices.Contains(by, a.Carrier) {
			readers = append(readers, Recipient{Contact: c.Name, Address: a, Quiet: quiet})
		}
	}
	return readers
}

// QuietUntil gives when the quiet hours of a contact end that keep a severity back at an instant; 0: nothing does.
func (w World) QuietUntil(name string, at measure.Instant, s alarm.Severity) measure.Instant {
	if c := w.Contacts[name]; c != nil {
		return c.quietUntil(at, s, w)
	}
	return 0
}

// present gives the contact, or who is told instead. When all who stand in for each other are away, the first is told.
func (w World) present(name string, at measure.Instant) *Contact {
	first := w.Contacts[name]
	c := first
	for range len(w.Contacts) {
		if c == nil {
			return first
		}
		if c.Away == nil || at < c.Away.From || at >= c.Away.Until {
			return c
		}
		c = w.Contacts[c.Away.Instead]
	}
	return first
}
