package memory

import (
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
)

// Drives is what the pipeline keeps in memory of outputs and what drives them.
type Drives struct {
	Outputs    map[int64]*Output
	Interlocks map[int64]*Interlock
	Emergency  *drive.AllSafe
	Driving    *[]alarm.Alarm // alarms that may drive interlocks; nil: to be asked for
	Broken     []*Interlock   // interlocks that cannot work any more
}

// Output is an output at work.
type Output struct {
	drive.Output
	Home       *Device
	Interlocks []*Interlock // in order of their making
}

// FullTitle is what people call the output, with its device: "Boiler room fan".
func (o *Output) FullTitle() string {
	return roster.Thing(site.Title(o.Home.Title, o.Home.Name), site.Title(o.Title, o.Name))
}

// loadOutputs reads outputs and interlocks; their states come with refresh.
func (l *loader) loadOutputs(of []int64) (err error) {
	l.Driving = nil
	outputs, err := config.Outputs(l.ctx, l.tx, of...)
	if err != nil {
		return err
	}
	byPath := map[string]*Output{}
	for _, o := range outputs {
		byPath[o.Path()] = l.AddOutput(o)
	}
	locks, err := config.Interlocks(l.ctx, l.tx, of...)
	if err != nil {
		return err
	}
	for _, i := range locks {
		if _, err := l.addInterlock(i, byPath[i.Output]); err != nil {
			return err
		}
	}
	l.watch()
	return nil
}

// AddOutput takes in an output.
func (l *Site) AddOutput(o drive.Output) *Output {
	entry := &Output{Output: o, Home: l.Named[o.Device]}
	l.Outputs[o.ID], entry.Home.Outputs[o.Name] = entry, entry
	return entry
}

// refreshDrives reads the states of outputs and interlocks; their conditions hold what the signals read that have
// changed.
func (l *loader) refreshDrives(signals map[*Signal]bool, since int64, of ...int64) error {
	l.Driving = nil
	outputs, err := config.OutputStates(l.ctx, l.tx, since, of...)
	if err != nil {
		return err
	}
	for _, st := range outputs {
		l.Outputs[st.Output].State = st.State
	}
	locks, err := config.InterlockStates(l.ctx, l.tx, since, of...)
	if err != nil {
		return err
	}
	for _, st := range locks {
		i := l.Interlocks[st.Interlock]
		i.Memory, i.State.Kept, i.BegunAt, i.DueAt = st.Memory, st.Condition, st.BegunAt, 0
		if st.DueAt != nil {
			i.DueAt = *st.DueAt
		}
		for _, s := range i.DrivenBy() {
			i.Hold(s)
		}
	}
	for s := range signals {
		for _, i := range s.Interlocks {
			i.Hold(s)
		}
	}
	return nil
}

// OutputAt gives the output at DEVICE/OUTPUT; nil: there is none.
func (l *Site) OutputAt(path string) *Output {
	device, name, _ := strings.Cut(path, "/")
	if d := l.Named[device]; d != nil {
		return d.Outputs[name]
	}
	return nil
}

// NoOutput says that there is no such output, with the nearest that there is.
func (l *Site) NoOutput(path string) string {
	var paths []string
	for _, o := range l.Outputs {
		paths = append(paths, o.Path())
	}
	slices.Sort(paths)
	return site.Unknown("output", path, paths)
}

// FindOutput gives the output that an act is about.
func (l *Site) FindOutput(path string) (*Output, error) {
	if o := l.OutputAt(path); o != nil {
		return o, nil
	}
	return nil, fmt.Errorf("%s: %w", l.NoOutput(path), store.ErrNotFound)
}
