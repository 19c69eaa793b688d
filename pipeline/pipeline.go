// Package pipeline turns what happens (packs of readings, delays that end, acts of people) into committed transactions.
//
// It puts the floors of a turn together with the engine of commits: what is begun, taken, written down and told in each
// commit, and in which order. What follows from a reading (changed guards, alarms, journal, planned notices) is in its
// transaction; Submit and Do return after that is committed, never before.
//
// Below it are the floors, each a package that docs/architecture.md names; above it are the acts of people, what falls
// due, and what answers questions. The service makes one pipeline for each process.
package pipeline

import (
	"log/slog"

	"jauntylark/clock"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/meter"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
)

// Options say what a pipeline works with besides its store.
type Options struct {
	Log   *slog.Logger
	Clock *clock.Clock // nil: this machine's
	// address of an alarm in the console; nil: messages carry no links
	Link func(alarm int64) string
	// address of the page with the button "I have it"; nil: messages carry none
	TakeLink func(notice int64, now measure.Instant) string
	OnNotice func()       // called after a commit that planned notices
	Meter    *meter.Meter // counts; nil: nothing is counted
	// called after a commit that ordered outputs something else, with these
	OnOrder func([]drive.Output)
}

// Pipeline commits for one process.
type Pipeline struct {
	*commit.Engine[*reading.Turn, *reading.Pack, reading.Outcome]
}

// New makes a pipeline; Run makes it work.
func New(s *store.Store, o Options) *Pipeline {
	return &Pipeline{commit.New(s, &work{options: o}, commit.Options{Log: o.Log, Clock: o.Clock, Meter: o.Meter})}
}

// work is what commits do.
type work struct {
	options Options
	memory  memory.Memory
}

// Weigh counts the samples of a pack.
func (w *work) Weigh(p *reading.Pack) int { return len(p.Samples) }

// Begin makes a turn, and takes in what happened to the service since the commit before: that the clock leapt, that it
// was away.
func (w *work) Begin(c *commit.Turn) (*reading.Turn, error) {
	m, err := w.memory.Begin(c)
	if err != nil {
		return nil, err
	}
	t := reading.New(m, notice.Links{Link: w.options.Link, TakeLink: w.options.TakeLink})
	if c.Moved != 0 {
		if err := t.AfterLeap(c.Moved); err != nil {
			return nil, err
		}
	}
	if c.MayHaveBeenAway {
		err = t.NoteAbsence()
	}
	return t, err
}

// Take takes packs.
func (w *work) Take(t *reading.Turn, packs []*reading.Job) error {
	t.AlterAll()
	return t.TakePacks(packs)
}

// Finish tells what happened and writes down what the turn has gathered.
func (w *work) Finish(t *reading.Turn) error {
	for _, do := range []func() error{t.TellAll, t.DriveOutputs, t.SaveReadings, t.NoteChanged, t.NoteTouches, t.NoteLate,
		t.Save, t.SaveEvents} {
		if err := do(); err != nil {
			return err
		}
	}
	return nil
}

// Ended takes what the turn has changed in memory, or puts it back, and has told what was planned and ordered.
func (w *work) Ended(t **reading.Turn, committed bool) {
	if t == nil {
		w.memory.Forget()
		return
	}
	if w.memory.Ended(committed); !committed {
		return
	}
	if orders := (*t).Orders; len(orders) > 0 && w.options.OnOrder != nil {
		w.options.OnOrder(orders)
	}
	if (*t).Planned && w.options.OnNotice != nil {
		w.options.OnNotice()
	}
}
