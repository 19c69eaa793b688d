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
	Site    *Site
	signals map[int64]*Signal            // those whose state changed
	guards  map[int64]*Guard             // those whose state may have to be saved
	lives   map[int64]*Device            // those whose life changed
	runs    map[int64]*events.SwitchRuns // what was seen of the runs of switches
	altered map[int64]*Device            // those of which something else was changed in memory
	all     bool                         // anything may be
	changes []store.Change               // of the configuration
	changed bool                         // this process has not taken all of them in
}

// Changed has the state of a signal saved.
func (t *Turn) Changed(s *Signal) {
	if t.signals == nil {
		t.signals = map[int64]*Signal{}
	}
	t.signals[s.ID] = s
}

// ConfigChanged says what is changed of the configuration in the database, so that every process, this one too, takes
// just that anew.
func (t *Turn) ConfigChanged(changes ...store.Change) {
	t.changed = true
	t.changes = append(t.changes, changes...)
}

// ConfigTaken is ConfigChanged where this process has taken the change in already.
func (t *Turn) ConfigTaken(changes ...store.Change) { t.changes = append(t.changes, changes...) }

// announce tells all processes what the turn has changed of the configuration.
func (t *Turn) announce() error {
	if len(t.changes) == 0 {
		return nil
	}
	configNo, err := store.RaiseConfig(t.Ctx, t.Tx, t.changes...)
	if !t.changed {
		t.Site.configNo = configNo
	}
	return err
}

// DeviceChanged has the state of a device saved.
func (t *Turn) DeviceChanged(d *Device) {
	if t.lives == nil {
		t.lives = map[int64]*Device{}
	}
	t.lives[d.ID] = d
}

// GuardChanged has the state of a guard saved.
func (t *Turn) GuardChanged(g *Guard) {
	if t.guards == nil {
		t.guards = map[int64]*Guard{}
	}
	t.guards[g.ID] = g
}

// Alter says that something of a device is changed in memory that is saved elsewhere: how its outputs and interlocks
// stand.
func (t *Turn) Alter(d *Device) {
	if t.all {
		return
	}
	if t.altered == nil {
		t.altered = map[int64]*Device{}
	}
	t.altered[d.ID] = d
}

// AlterAll says that anything may be changed in memory, as readings do.
func (t *Turn) AlterAll() { t.all = true }

// touched is all that the turn has changed in memory.
func (t *Turn) touched() []store.Change {
	if t.all {
		return []store.Change{{Scope: store.OfAll}}
	}
	devices := maps.Clone(t.altered)
	if devices == nil {
		devices = map[int64]*Device{}
	}
	for _, s := range t.signals {
		devices[s.Home.ID] = s.Home
	}
	for _, g := range t.guards {
		devices[g.Subject.Home.ID] = g.Subject.Home
	}
	maps.Copy(devices, t.lives)
	changes := t.changes
	for _, d := range devices {
		changes = append(changes, d.Change())
		if d.Gateway != nil { // it was heard with it
			changes = append(changes, d.Gateway.Change())
		}
	}
	return changes
}

// PackNo names a pack: its commit, and its place there.
type PackNo struct {
	Commit int64
	Place  int
}

// TakeAnew takes in what the turn itself has changed of devices in the database.
func (t *Turn) TakeAnew(devices ...int64) error {
	if len(devices) == 0 {
		return nil
	}
	loading := loader{t.Site, t.Ctx, t.Tx}
	return loading.renewDevices(devices)
}

// RemoveSignal forgets a signal that goes. What looks at it is taken off it when its device is taken anew.
func (t *Turn) RemoveSignal(s *Signal) {
	t.Alter(s.Home)
	delete(t.signals, s.ID)
	delete(s.Home.Signals, s.Name)
	s.Home.going = append(s.Home.going, s)
}

// RemoveDevice forgets a device that goes, likewise.
func (t *Turn) RemoveDevice(d *Device) {
	t.Alter(d)
	delete(t.Site.Devices, d.ID)
	delete(t.Site.Named, d.Name)
	t.Site.going = append(t.Site.going, d)
}

// ChangedSignals are those whose state the turn has changed.
func (t *Turn) ChangedSignals() iter.Seq[*Signal] { return maps.Values(t.signals) }
