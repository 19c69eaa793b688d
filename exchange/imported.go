package exchange

import (
	"slices"

	"jauntylark/core/measure"
)

// Imported tells what an import did, or would do.
type Imported struct {
	Readings  int                  `json:"readings" doc:"read so far"`
	Added     int                  `json:"added"`
	Same      int                  `json:"same" doc:"were there already"`
	Replaced  int                  `json:"replaced"`
	Conflicts int                  `json:"conflicts" doc:"another value is there already; left as it is, unless replacing"`
	Refused   int                  `json:"refused" doc:"lines or records that are wrong"`
	Samples   []Refused            `json:"samples" nullable:"false" doc:"the first of what was refused, or is in conflict"`
	Signals   map[string]*Received `json:"signals" doc:"by DEVICE/SIGNAL"`
}

// Copy gives one that does not change with this one.
func (i Imported) Copy() Imported {
	i.Samples = slices.Clone(i.Samples)
	signals := make(map[string]*Received, len(i.Signals))
	for path, got := range i.Signals {
		so := *got
		signals[path] = &so
	}
	i.Signals = signals
	return i
}

// Received tells what an import brings to one signal.
type Received struct {
	New   bool            `json:"new" doc:"the signal is made"`
	Added int             `json:"added"`
	From  measure.Instant `json:"from" format:"date-time"`
	Until measure.Instant `json:"until" format:"date-time"`
}
