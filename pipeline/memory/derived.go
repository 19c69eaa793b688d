package memory

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store/config"
)

// Derived is a derived signal at work. Its values are not stored as they come: what is newer than a while
// is computed whenever somebody asks, from the readings themselves, and upkeep stores the
// rest. Here they make the newest value, step guards, and feed what is derived from it in turn.
type Derived struct {
	config.Derivation
	Into    *Signal
	From    []*Signal
	Rank    int             // it comes after all that it is computed from
	Machine *derive.Machine // nil until it is needed
	MadeIn  int64           // the commit in which it was made
	Behind  bool            // another process took readings of its inputs
	Seen    measure.Instant // the newest instant that it was fed
}

// Feed is an input of a derived signal, seen from the input.
type Feed struct {
	Derived *Derived
	Place   int
}

// Sources describes the inputs for the recipe.
func (d *Derived) Sources() []derive.Source {
	sources := make([]derive.Source, len(d.From))
	for i, in := range d.From {
		sources[i] = derive.Source{Path: in.Path(), Kind: in.Kind, Unit: in.Unit,
			Hold: derive.Hold(in.EffectiveInterval()), Step: in.Step}
	}
	return sources
}

// EffectiveInterval is how often a reading of the signal is expected; of a derived one, as often as of the slowest that
// it is computed from. Text and data are said when they change: without an interval of their own none is expected.
func (s *Signal) EffectiveInterval() measure.Duration {
	switch {
	case s.Interval != 0:
		return s.Interval
	case s.Worded():
		return 0
	case s.Derived == nil:
		return s.Home.Interval
	}
	slowest := measure.Duration(0)
	for _, in := range s.Derived.From {
		slowest = max(slowest, in.EffectiveInterval())
	}
	return slowest
}

// begin forgets what has come: what it is computed from may be another now.
func (d *Derived) begin() {
	*d = Derived{Derivation: d.Derivation, Into: d.Into, From: d.From, Rank: d.Rank}
}

// link joins derived signals with their inputs, and ranks them.
func (l *Site) link(all []config.Derivation) error {
	for _, row := range all {
		d := &Derived{Derivation: row, Into: l.Signals[row.Signal]}
		d.Into.Derived = d
		for place, input := range row.Inputs {
			in := l.Signals[input]
			d.From = append(d.From, in)
			in.Feeds = append(in.Feeds, Feed{d, place})
			slices.SortStableFunc(in.Feeds, func(a, b Feed) int {
				return cmp.Compare(a.Derived.Signal, b.Derived.Signal)
			})
		}
	}
	for _, row := range all {
		if err := l.Signals[row.Signal].Derived.rerank(len(l.Signals)); err != nil {
			return err
		}
	}
	return nil
}

// rerank sets how many derived signals stand one above the other below it, most at most, and with it the ranks of all
// above it.
func (d *Derived) rerank(most int) error {
	rank := 0
	for _, in := range d.From {
		if in.Derived != nil {
			rank = max(rank, in.Derived.Rank+1)
		}
	}
	if rank > most {
		return fmt.Errorf("%s is computed from itself", d.Into.Path())
	}
	if rank == d.Rank {
		return nil
	}
	d.Rank = rank
	for _, f := range d.Into.Feeds {
		if err := f.Derived.rerank(most); err != nil {
			return err
		}
	}
	return nil
}

// unlink takes a derived signal off what it is computed from.
func (s *Signal) unlink() {
	if s.Derived == nil {
		return
	}
	for _, in := range s.Derived.From {
		in.Feeds = slices.DeleteFunc(in.Feeds, func(f Feed) bool { return f.Derived == s.Derived })
	}
	s.Derived = nil
}

// Needed tells which derived signals of other devices than one need a signal: nil or a *measure.Fault.
func (s *Signal) Needed(besides *Device) error {
	var by []string
	for _, f := range s.Feeds {
		if f.Derived.Into.Home != besides {
			by = append(by, f.Derived.Into.Path())
		}
	}
	for _, i := range s.Interlocks {
		if i.Drives.Home != besides {
			return &measure.Fault{Field: "signal",
				Reason: fmt.Sprintf("%s drives %s by interlock %s; remove that first", s.Path(), i.Output, i.Name)}
		}
	}
	if len(by) == 0 {
		return nil
	}
	slices.Sort(by)
	return &measure.Fault{Field: "signal", Reason: fmt.Sprintf("%s is what %s is computed from; remove that first",
		s.Path(), strings.Join(slices.Compact(by), " and "))}
}

// Watched gives what is computed for a guard; nil: it looks at the signal itself.
func (l *Site) Watched(s *Signal) *roster.Watched {
	if !s.Helper || s.Derived == nil {
		return nil
	}
	w := &roster.Watched{Recipe: s.Derived.Recipe, Units: l.Settings.Units}
	for _, in := range s.Derived.From {
		w.Of = append(w.Of, roster.Part{Device: in.DeviceTitle(), Signal: site.Title(in.Title, in.Name), Unit: in.Unit,
			Step: in.Step, Switch: in.Kind == site.KindSwitch})
	}
	return w
}
