package measure

// Sample is one value as its sender wrote it, before anybody knows which signal it belongs to.
type Sample struct {
	Index  int     // place in the pack, from 0
	Name   string  // SIGNAL or DEVICE/SIGNAL, unchecked
	At     Instant // 0: the sender gave no time
	Value  float64 // finite
	Switch bool    // the sender wrote true or false
	Unit   Unit    // empty: the sender gave none
}

// Refusal says why one record of a pack was not taken.
type Refusal struct {
	Index  int    `json:"index" doc:"place of the record in the pack, from 0"`
	Signal string `json:"signal" doc:"the name that the record gave"`
	Field  string `json:"field" doc:"the field that is wrong"`
	Reason string `json:"reason"`
}

// Fault is one thing that is wrong with a noun: the field, and what is wrong in words.
type Fault struct {
	Field  string
	Reason string
}

// Error gives field and reason.
func (f *Fault) Error() string { return f.Field + ": " + f.Reason }
