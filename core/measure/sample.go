package measure

// MaxText is how long a value that is text or data may be, in bytes.
const MaxText = 4096

// Sample is one value as its sender wrote it, before anybody knows which signal it belongs to.
type Sample struct {
	Index int     // place in the pack, from 0
	Name  string  // SIGNAL or DEVICE/SIGNAL, unchecked
	At    Instant // 0: the sender gave no time
	Value float64 // finite; 1 and 0 for true and false; of no meaning for text and data
	Form  Form    // how the sender wrote the value
	Text  string  // the value of FormText, and of FormData in base64url
	Unit  Unit    // empty: the sender gave none
	Marks Quality // what is wrong with it by what else its sender sent, as of a frame with dead pixels
	Span  *Span   // what the instrument can truly give, for a signal that is new; nil: nobody says
}

// Span is what an instrument can truly give; nil: nobody says.
type Span struct{ Low, High *float64 }

// Worded tells whether the value is text or data.
func (s *Sample) Worded() bool { return s.Form == FormText || s.Form == FormData }

// Form is how a sender wrote a value.
type Form uint8

// The forms, after SenML's fields.
const (
	FormNumber Form = iota // v
	FormBool               // vb
	FormText               // vs
	FormData               // vd
)

// Field is SenML's name of the form (RFC 8428 section 4.3).
func (f Form) Field() string { return [...]string{"v", "vb", "vs", "vd"}[f] }

// Words says what a value of the form is.
func (f Form) Words() string {
	return [...]string{"a number", "true or false", "text", "data"}[f]
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
