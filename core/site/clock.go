package site

import (
	"time"

	"jauntylark/core/measure"
)

// Sent is when something of a device arrived, and when its newest reading says that it was measured.
type Sent struct {
	Arrived, Measured measure.Instant
	Alone             bool // nothing older came with it
}

// clockSlack is by how much a reading that is sent when it is measured may be older or younger than the one before it
// was.
const clockSlack = 2 * time.Second

// ClockRight is how old a reading may be on arrival, or how far ahead, for the clock behind it to be right.
const ClockRight = time.Minute

// Live tells whether a reading was sent when it was measured, so that its age on arrival tells of its device's clock:
// it is hardly old, or as old as the one before it. A backlog grows younger, or older, as it is sent.
func (s Sent) Live(before Sent) bool {
	if s.Arrived.Sub(s.Measured).Abs() < ClockRight {
		return true
	}
	switch before.Arrived {
	case 0:
		return s.Alone // of the first one nobody knows better
	case s.Arrived:
		return false
	}
	passed := s.Arrived.Sub(before.Arrived)
	return (s.Measured.Sub(before.Measured) - passed).Abs() <= max(clockSlack, passed/4)
}
