package drive

import (
	"fmt"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

// Rank is what kind of thing asks: who wins over whom.
type Rank string

// The ranks, the strongest first (docs/semantics.md 24).
const (
	Emergency Rank = "emergency"
	Safety    Rank = "safety"
	ByHand    Rank = "hand"
	Driven    Rank = "interlock"
	Scheduled Rank = "schedule"
	Rested    Rank = "rest"
)

var ranks = []Rank{Emergency, Safety, ByHand, Driven, Scheduled, Rested}

// Over tells whether r wins over o.
func (r Rank) Over(o Rank) bool { return slices.Index(ranks, r) < slices.Index(ranks, o) }

// Unbound tells whether a demand of the rank ignores least times and the most starts.
func (r Rank) Unbound() bool { return r == Emergency || r == Safety }

// Demand is what somebody or something asks of an output.
type Demand struct {
	Rank      Rank
	Value     Value
	Interlock string         // by name; empty: a person, or nothing
	Order     int64          // of interlocks: the smaller was made first
	Severity  alarm.Severity // of the alarms that an interlock looks for, the mildest; none for other interlocks
	Who       string         // the person; empty: none
	Why       string         // a clause: "Boiler room: carbon monoxide is above 30 ppm"
}

// Choose gives the demand that wins; the output rests when there is none. Between two of one rank the safe state wins,
// then what looks for the higher severity, then what was made first.
func (o *Output) Choose(demands []Demand) Demand {
	best := Demand{Rank: Rested, Value: o.Resting(), Why: "nothing asks for anything else"}
	for _, d := range demands {
		if o.wins(d, best) {
			best = d
		}
	}
	return best
}

func (o *Output) wins(d, best Demand) bool {
	switch dSafe, bestSafe := d.Value == o.Safe, best.Value == o.Safe; {
	case d.Rank != best.Rank:
		return d.Rank.Over(best.Rank)
	case dSafe != bestSafe:
		return dSafe
	case d.Severity != best.Severity:
		return d.Severity.Above(best.Severity)
	}
	return d.Order < best.Order
}

// Hand is a setting by hand.
type Hand struct {
	To    Value           `json:"to"`
	By    string          `json:"by"`
	Why   string          `json:"why,omitempty"`
	At    measure.Instant `json:"at" format:"date-time"`
	Until measure.Instant `json:"until" format:"date-time"`
}

// AllSafe is an emergency: all outputs of the site are in their safe states until somebody ends it.
type AllSafe struct {
	By  string          `json:"by"`
	Why string          `json:"why"`
	At  measure.Instant `json:"at" format:"date-time"`
}

// Wait is a state that something asks for and that may not be yet.
type Wait struct {
	To    Value           `json:"to"`
	Until measure.Instant `json:"until" format:"date-time"`
	Why   string          `json:"why"`
}

// State is how an output stands: what it was ordered, by whom and why, and what its device says.
type State struct {
	Ordered   Value           `json:"ordered" db:"ordered" readOnly:"true" doc:"what it was told to do"`
	No        int64           `json:"order_no" db:"order_no" readOnly:"true" doc:"counts the orders of the site: a greater one is newer"`
	OrderedAt measure.Instant `json:"ordered_at" db:"ordered_at" readOnly:"true" format:"date-time" doc:"since when, by the same"`
	By        Rank            `json:"by" db:"ordered_by" readOnly:"true" enum:"emergency,safety,hand,interlock,schedule,rest" doc:"what kind of thing orders it"`
	Interlock string          `json:"interlock,omitempty" db:"interlock" readOnly:"true" doc:"which interlock does"`
	Who       string          `json:"who,omitempty" db:"who" readOnly:"true" doc:"which person does"`
	Why       string          `json:"why" db:"why" readOnly:"true" doc:"why, in a clause"`
	Hand      *Hand           `json:"hand" db:"hand" readOnly:"true" doc:"the setting by hand that holds, whether it wins or not"`
	Waiting   *Wait           `json:"waiting" db:"waiting" readOnly:"true" doc:"what it is to do as soon as it may"`
	TurnedAt  measure.Instant `json:"-" db:"turned_at"` // when it last started or stopped
	Started   Instants        `json:"-" db:"started"`   // its starts of the last hour

	Confirmed    *Value           `json:"confirmed" db:"confirmed" readOnly:"true" doc:"what the device says that it does; null: it has not said"`
	ConfirmedAt  *measure.Instant `json:"confirmed_at" db:"confirmed_at" readOnly:"true" format:"date-time" doc:"when it last said so"`
	DiffersSince *measure.Instant `json:"differs_since" db:"differs_since" readOnly:"true" format:"date-time" doc:"since when the device does something else than it was ordered, or has not said; null: it does not"`
	AlarmID      *int64           `json:"alarm_id" db:"alarm_id" readOnly:"true" doc:"the standing alarm that it does not do what it was ordered"`
}

// Order moves the state to what the winning demand asks at now, or lets it wait for that; turned tells whether what is
// ordered is another than before. The caller numbers the order.
func (o *Output) Order(s State, d Demand, now measure.Instant) (after State, turned bool) {
	s.Waiting = nil
	first := s.By == ""
	if !first && d.Value != s.Ordered {
		if until, why := o.mayTurn(s, d, now); until > now {
			s.Waiting = &Wait{d.Value, until, why}
			return s, false
		}
	}
	turned = first || d.Value != s.Ordered
	if runs := o.Running(d.Value); runs != (!first && o.Running(s.Ordered)) {
		s.TurnedAt = now
		if runs {
			s.Started = append(o.recent(s, now), now)
		}
	}
	if turned || d.Rank != s.By || d.Interlock != s.Interlock || d.Who != s.Who {
		s.Ordered, s.OrderedAt = d.Value, now
	}
	s.By, s.Interlock, s.Who, s.Why = d.Rank, d.Interlock, d.Who, d.Why
	return s, turned
}

const hour = measure.Instant(3600 * 1000)

// recent gives the starts of the hour before now.
func (o *Output) recent(s State, now measure.Instant) (starts Instants) {
	for _, at := range s.Started {
		if at > now-hour && at <= now {
			starts = append(starts, at)
		}
	}
	return starts
}

// mayTurn gives from when on the state may become what a demand asks, and why not before; not after now: at once.
func (o *Output) mayTurn(s State, d Demand, now measure.Instant) (until measure.Instant, why string) {
	runs, shall := o.Running(s.Ordered), o.Running(d.Value)
	if d.Rank.Unbound() || runs == shall {
		return 0, ""
	}
	least, word := o.LeastOff, "stand still"
	if runs {
		least, word = o.LeastOn, "run"
	}
	turned := min(s.TurnedAt, now) // a clock that was set back lets it wait no longer than the least time
	if s.TurnedAt != 0 {
		if until = turned.Add(time.Duration(least)); until > now {
			why = fmt.Sprintf("it is to %s for %v at least", word, least)
		}
	}
	if starts := o.recent(s, now); shall && o.Starts > 0 && len(starts) >= o.Starts {
		if at := starts[len(starts)-o.Starts] + hour; at > until {
			until, why = at, fmt.Sprintf("it may start %d times an hour", o.Starts)
		}
	}
	return until, why
}

// Agrees tells whether the device says that it does what it was ordered, and has said so lately: each renewal of an
// order is confirmed too, so what it said holds no longer than an order does.
func (o *Output) Agrees(now measure.Instant) bool {
	return o.Confirmed != nil && *o.Confirmed == o.Ordered && o.ConfirmedAt.Add(o.Expiry()) > now
}

// Compare brings DiffersSince up to now.
func (o *Output) Compare(now measure.Instant) {
	switch {
	case o.Mute || o.Agrees(now):
		o.DiffersSince = nil
	case o.DiffersSince == nil:
		since := now
		if o.Confirmed != nil && *o.Confirmed == o.Ordered {
			since = min(now, o.ConfirmedAt.Add(o.Expiry()))
		}
		o.DiffersSince = &since
	}
}

// Overdue tells whether the device has differed for so long that it is an alarm. One that never confirmed anything may
// have no firmware for it yet: that counts once something else than rest is asked of it.
func (o *Output) Overdue(now measure.Instant) bool {
	return o.DiffersSince != nil && o.DiffersSince.Add(o.Patience()) <= now &&
		(o.Confirmed != nil || o.Ordered != o.Resting())
}

// Due is when the output must be looked at again by itself; 0: never.
func (o *Output) Due() (due measure.Instant) {
	consider := func(at measure.Instant) {
		if due == 0 || at < due {
			due = at
		}
	}
	if o.Hand != nil {
		consider(o.Hand.Until)
	}
	if o.Waiting != nil {
		consider(o.Waiting.Until)
	}
	switch {
	case o.Mute || o.AlarmID != nil:
	case o.DiffersSince != nil:
		if o.Confirmed != nil || o.Ordered != o.Resting() {
			consider(o.DiffersSince.Add(o.Patience()))
		}
	case o.ConfirmedAt != nil:
		consider(o.ConfirmedAt.Add(o.Expiry()))
	}
	return due
}
