package pipeline

import (
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
	"jauntylark/store"
)

// noteRun notes that a switch went on or off with a reading that came in order. It is called before the reading is held.
func (t *Turn) noteRun(s *signalLive, at measure.Instant, value float64) {
	was := s.state.HeldAt != 0 && s.state.Held != 0
	if s.Kind != site.KindSwitch || was == (value != 0) {
		return
	}
	if t.runs == nil {
		t.runs = map[int64]*store.Runs{}
	}
	r := t.runs[s.ID]
	if r == nil {
		r = &store.Runs{Signal: s.ID}
		t.runs[s.ID] = r
	}
	if value == 0 {
		r.Until = at
		return
	}
	r.From, r.Until = at, 0
	if day := wall.On(at, t.live.site.Location()).String(); day != r.Day {
		r.Day, r.Times = day, 0
	}
	r.Times++
}

// saveRuns writes down what was seen of runs.
func (t *Turn) saveRuns() error {
	for id, r := range t.runs {
		if t.live.signals[id] == nil {
			continue // removed in this turn
		}
		if err := t.Tx.NoteRuns(t.ctx, *r); err != nil {
			return err
		}
	}
	t.runs = nil
	return nil
}

// ranWords say the newest run of a switch; empty: there is none.
func (t *Turn) ranWords(s *signalLive) (string, error) {
	if err := t.saveRuns(); err != nil {
		return "", err
	}
	r, err := t.Tx.RanOf(t.ctx, s.ID)
	return s.RanWords(&r, t.Now, t.live.site.Location()), err
}
