package memory

import (
	"jauntylark/core/site"
	"jauntylark/pipeline/credential"
)

// Site is the state that the newest commit left, kept in memory so that a commit need not read it.
type Site struct {
	credential.Directory
	commitNo, configNo int64
	Settings           site.Site
	Audience
	Drives
	Plans   map[string]*Plan
	Devices map[int64]*Device
	Named   map[string]*Device
	Signals map[int64]*Signal
	Guards  map[int64]*Guard
	Retires map[int64]bool // keys whose first use ends others

	going       []*Device        // those that were removed and not taken off all that stays yet
	homeless    []*Signal        // those that were taken off their devices, to be joined with them anew
	conditional map[int64]*Guard // guards that something may suppress
	suppressed  []suppression    // what suppresses them, as it is linked
}
