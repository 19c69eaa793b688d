package calibrate

import (
	"cmp"
	"slices"
	"sort"

	"jauntylark/core/measure"
)

// Calibration is a curve in force from an instant.
type Calibration struct {
	ID      int64           `json:"id" db:"id"`
	From    measure.Instant `json:"from" db:"from_at" format:"date-time" doc:"in force from then on, until another begins"`
	Method  Method          `json:"method" db:"method" enum:"offset,line,corners"`
	Pairs   Pairs           `json:"pairs" db:"pairs" nullable:"false" doc:"what the instrument gave without any correction, and what the reference said"`
	Curve   Curve           `json:"curve" db:"curve"`
	Note    string          `json:"note" db:"note"`
	Who     string          `json:"who" db:"who"`
	MadeAt  measure.Instant `json:"made_at" db:"made_at" format:"date-time"`
	Retired bool            `json:"retired" db:"retired" doc:"taken back; it corrects nothing any more"`
}

// Timeline is the calibrations of one signal in order of their beginning; of those that begin together the
// later made is in force.
type Timeline []Calibration

// NewTimeline puts calibrations in order and leaves out those that were taken back.
func NewTimeline(all []Calibration) Timeline {
	t := slices.DeleteFunc(slices.Clone(all), func(c Calibration) bool { return c.Retired })
	slices.SortFunc(t, func(a, b Calibration) int {
		return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.ID, b.ID))
	})
	return t
}

// index gives the calibration in force at an instant; -1 for none.
func (t Timeline) index(at measure.Instant) int {
	return sort.Search(len(t), func(i int) bool { return t[i].From > at }) - 1
}

// At gives the curve in force at an instant.
func (t Timeline) At(at measure.Instant) *Curve {
	if i := t.index(at); i >= 0 {
		return &t[i].Curve
	}
	return &Identity
}

// Until is the last instant at which what is in force at an instant still is.
func (t Timeline) Until(at measure.Instant) measure.Instant {
	for _, c := range t[t.index(at)+1:] {
		if c.From > at {
			return c.From - 1
		}
	}
	return 1<<62 - 1
}

// Correct puts true values in place of the raw ones of readings, which are in order of time. It takes a few
// nanoseconds a reading.
func (t Timeline) Correct(readings []measure.Reading) {
	for len(t) > 0 && len(readings) > 0 {
		curve, until := t.At(readings[0].At), t.Until(readings[0].At)
		n := len(readings)
		if readings[n-1].At > until {
			n = sort.Search(n, func(i int) bool { return readings[i].At > until })
		}
		if curve != &Identity {
			for i := range readings[:n] {
				readings[i].Value = curve.Apply(readings[i].Value)
			}
		}
		readings = readings[n:]
	}
}
