package measure

import (
	"encoding/json"
	"fmt"
	"math/bits"
	"slices"
	"strings"
)

// Reading is one value of one signal at one instant. An on/off signal reads 1 or 0. Value is in the
// signal's stored unit and never NaN or infinite.
type Reading struct {
	At      Instant `json:"at" db:"at" format:"date-time" doc:"when it was measured"`
	Value   float64 `json:"value" db:"value" doc:"in the signal's unit; 1 or 0 for on and off"`
	Quality Quality `json:"quality" db:"quality" nullable:"false" doc:"marks; empty means good"`
	Text    string  `json:"text,omitempty" db:"-" doc:"of a text or data signal; value is then its number"`
}

// Quality is a set of marks on a reading; none means good.
type Quality uint16

// The marks.
const (
	Implausible Quality = 1 << iota // outside the span that the instrument can truly give
	Warming                         // the sensor had not warmed up
	Stuck                           // the last digit has not moved for longer than it should
	Late                            // older than an instant that was already stepped
	Clock                           // the sender's clock was ahead; the instant was shifted
	Corrected                       // rewritten since it was first stored
	Drill                           // made up to prove the way to a person
)

var markNames = [...]string{"implausible", "warming", "stuck", "late", "clock", "corrected", "drill"}

// MarkCount is how many marks there are.
const MarkCount = len(markNames)

// Unusable are the marks of readings that guards, derived signals and totals pass over.
const Unusable = Implausible | Warming | Stuck | Drill

// Usable tells whether guards, derived signals and totals look at a reading of this quality.
func (q Quality) Usable() bool { return q&Unusable == 0 }

// Marks lists the names of the marks, in a fixed order; never nil.
func (q Quality) Marks() []string {
	names := make([]string, 0, bits.OnesCount16(uint16(q)))
	for i, name := range markNames {
		if q&(1<<i) != 0 {
			names = append(names, name)
		}
	}
	return names
}

// String is "good" or the marks with commas between.
func (q Quality) String() string {
	if q == 0 {
		return "good"
	}
	return strings.Join(q.Marks(), ",")
}

// MarshalJSON writes the list of marks.
func (q Quality) MarshalJSON() ([]byte, error) { return json.Marshal(q.Marks()) }

// UnmarshalJSON reads a list of marks.
func (q *Quality) UnmarshalJSON(data []byte) error {
	var names []string
	if err := json.Unmarshal(data, &names); err != nil {
		return err
	}
	parsed, err := ParseQuality(strings.Join(names, ","))
	if err == nil {
		*q = parsed
	}
	return err
}

// ParseQuality reads what String writes; nothing is good too.
func ParseQuality(text string) (q Quality, err error) {
	if text == "" || text == "good" {
		return 0, nil
	}
	for _, name := range strings.Split(text, ",") {
		i := slices.Index(markNames[:], name)
		if i < 0 {
			return 0, fmt.Errorf("%q is not a quality mark; marks are %s", name, strings.Join(markNames[:], ", "))
		}
		q |= 1 << i
	}
	return q, nil
}
