package reading

import (
	"jauntylark/core/feed"
	"jauntylark/pipeline/memory"
	"jauntylark/store/timeseries"
)

// NoteChanged writes down of which signals the turn has changed readings, of derived ones too.
func (t *Turn) NoteChanged() error {
	stretches := make([]feed.Stretch, 0, len(t.rows))
	for i := range t.rows {
		r := &t.rows[i]
		stretches = append(stretches, feed.Stretch{Signal: r.Signal, From: r.At, Until: r.At})
	}
	stretches = feed.Together(stretches)
	taken := stretches[:len(stretches):len(stretches)]
	for _, s := range taken {
		if signal := t.Site.Signals[s.Signal]; signal != nil {
			stretches = follows(stretches, signal, s)
		}
	}
	if len(stretches) > len(taken) {
		stretches = feed.Together(stretches)
	}
	return timeseries.NoteChanged(t.Ctx, t.Tx, t.CommitNo, t.Now, stretches)
}

// follows adds where readings that are derived from a signal change with it: as far as its machine looks back, and no
// further than there are any.
func follows(all []feed.Stretch, s *memory.Signal, of feed.Stretch) []feed.Stretch {
	for _, f := range s.Feeds {
		into := f.Derived.Into
		until := into.State.At
		if m := f.Derived.Machine; m != nil && !m.Lasting() {
			until = min(until, of.Until+m.Reach())
		}
		if until < of.From {
			continue
		}
		reached := feed.Stretch{Signal: into.ID, From: of.From, Until: until}
		all = follows(append(all, reached), into, reached)
	}
	return all
}
