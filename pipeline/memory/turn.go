package memory

import (
	"iter"
	"maps"

	"jauntylark/pipeline/commit"
	"jauntylark/store"
	"jauntylark/store/events"
)

// Turn is a turn that changes what is in memory.
type Turn struct {
	*commit.Turn
	Site          *Site
	signals       map[int64]*Signal            // those whose state changed
	guards        map[int64]*Guard             // those whose state may have to be saved
	lives         map[int64]*Device            // those whose life changed
	runs          map[int64]*events.SwitchRuns // what was seen of the runs of switches
	Touched       bool                         // the state in memory is ahead of the database
	configRaised  bool
	configChanged bool // the state in memory must be loaded anew
}

// Changed has the state of a signal saved.
func (t *Turn) Changed(s *Signal) {
	if t.signals == nil {
		t.signals = map[int64]*Signal{}
	}
	t.signals[s.ID] = s
}

// SignalsChanged tells other processes to load anew; this one has already taken the change in.
func (t *Turn) SignalsChanged() (err error) {
	if !t.configRaised {
		t.configRaised = true
		t.Site.configNo, err = store.RaiseConfig(t.Ctx, t.Tx)
	}
	return err
}

// ConfigChanged says that the act changed devices, keys or guards in the database, so that every
// process, this one too, must load anew.
func (t *Turn) ConfigChanged() error {
	t.configChanged = true
	_, err := store.RaiseConfig(t.Ctx, t.Tx)
	return err
}

// DeviceChanged has the state of a device saved.
func (t *Turn) DeviceChanged(d *Device) {
	t.Touched = true
	if t.lives == nil {
		t.lives = map[int64]*Device{}
	}
	t.lives[d.ID] = d
}

// GuardChanged has the state of a guard saved.
func (t *Turn) GuardChanged(g *Guard) {
	t.Touched = true
	if t.guards == nil {
		t.guards = map[int64]*Guard{}
	}
	t.guards[g.ID] = g
}

// PackNo names a pack: its commit, and its place there.
type PackNo struct {
	Commit int64
	Place  int
}

// Reload takes in what the turn itself has changed in the database.
func (t *Turn) Reload() error {
	l, err := Load(t.Ctx, t.Tx)
	if err != nil {
		return err
	}
	l.commitNo, l.configNo = t.Site.commitNo, t.Site.configNo
	t.Site, t.Touched = l, true
	return nil
}

// RemoveSignal forgets a signal that goes.
func (t *Turn) RemoveSignal(s *Signal) {
	delete(t.signals, s.ID)
	delete(s.Home.Signals, s.Name)
}

// ChangedSignals are those whose state the turn has changed.
func (t *Turn) ChangedSignals() iter.Seq[*Signal] { return maps.Values(t.signals) }
