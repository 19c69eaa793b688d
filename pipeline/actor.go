package pipeline

// Actor is the person behind an act.
type Actor struct {
	Called string // in sentences
	Email  string
}
