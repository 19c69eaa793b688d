package reading

import (
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/follow"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/store/timeseries"
)

// Turn is one commit in the making.
type Turn struct {
	*follow.Turn
	rows   []timeseries.Row // readings to store
	stored map[at]float64   // readings that doubtful ones are compared with
	noted  int              // so many of rows are in stored
	packs  int              // so many packs were begun
}

// Job is a pack on its way, or an act.
type Job = commit.Job[*Turn, *Pack, Outcome]

// Ticket is a pack that waits for its commit.
type Ticket = commit.Ticket[*Turn, *Pack, Outcome]

// New makes a turn of what is in memory, whose messages have addresses.
func New(m *memory.Turn, l notice.Links) *Turn { return &Turn{Turn: follow.New(m, l)} }
