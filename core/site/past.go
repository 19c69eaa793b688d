package site

import "jauntylark/core/measure"

// Clearing is an order to clear a stretch of readings. They are kept aside for undo until they are gone.
type Clearing struct {
	ID        int64           `json:"id" db:"id"`
	What      string          `json:"what" db:"what" doc:"DEVICE/SIGNAL, DEVICE, or empty for all"`
	From      measure.Instant `json:"from" db:"from_at" format:"date-time"`
	Until     measure.Instant `json:"until" db:"until_at" format:"date-time" doc:"what is before this instant is cleared"`
	Readings  int64           `json:"readings" db:"readings" doc:"taken away so far"`
	Who       string          `json:"who" db:"who"`
	OrderedAt measure.Instant `json:"ordered_at" db:"ordered_at" format:"date-time"`
	GoneAt    measure.Instant `json:"gone_at" db:"gone_at" format:"date-time" doc:"from then on there is no undo"`
	State     string          `json:"state" db:"state" enum:"running,cleared,undoing,undone,gone"`
}

// The states of a clearing.
const (
	ClearingRunning = "running"
	ClearingCleared = "cleared"
	ClearingUndoing = "undoing"
	ClearingUndone  = "undone"
	ClearingGone    = "gone"
)

// Stamp says what a stretch of readings is: how many, from when to when, and a number that differs when
// any instant, value or quality does.
type Stamp struct {
	Readings int             `json:"readings"`
	Digest   int64           `json:"digest,string"`
	First    measure.Instant `json:"first" format:"date-time"`
	Last     measure.Instant `json:"last" format:"date-time"`
}

// Add adds the readings of another stretch.
func (s *Stamp) Add(o Stamp) {
	switch {
	case o.Readings == 0:
		return
	case s.Readings == 0:
		s.First, s.Last = o.First, o.Last
	}
	s.First, s.Last = min(s.First, o.First), max(s.Last, o.Last)
	s.Readings, s.Digest = s.Readings+o.Readings, s.Digest+o.Digest
}

// Keep says for how long readings and figures are kept; 0: nobody says.
type Keep struct {
	Readings measure.Duration `json:"keep_readings" db:"keep_readings" yaml:"keep_readings"`
	Figures  measure.Duration `json:"keep_figures" db:"keep_figures" yaml:"keep_figures"`
}

// Or fills in what nobody says from a wider rule.
func (k Keep) Or(wider Keep) Keep {
	if k.Readings == 0 {
		k.Readings = wider.Readings
	}
	if k.Figures == 0 {
		k.Figures = wider.Figures
	}
	return k
}

// LeastKept is the shortest time that readings and figures can be kept.
const LeastKept = measure.Duration(24 * 3600 * 1e9)

// CheckKeep tells what is wrong with a time to keep something.
func CheckKeep(field string, d measure.Duration) error {
	if d != 0 && d < LeastKept {
		return &measure.Fault{Field: field, Reason: "is " + d.String() +
			"; take a day (1d) or more, or 0s to say nothing"}
	}
	return nil
}
