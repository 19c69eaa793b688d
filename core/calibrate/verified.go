package calibrate

// Verified is what came of a signal's newest verification.
type Verified struct {
	Signal string `json:"signal" db:"signal" doc:"DEVICE/SIGNAL"`
	Verification
}
