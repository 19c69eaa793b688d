package memory

import (
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
	"jauntylark/store/events"
)

// NoteRun notes that a switch went on or off with a reading that came in order. It is called before the reading is
// held.
func (t *Turn) NoteRun(s *Signal, at measure.Instant, value float64) {
	was := s.State.HeldAt != 0 && s.State.Held != 0
	if s.Kind != site.KindSwitch || was == (value != 0) {
		return
	}
	if t.runs == nil {
		t.runs = map[int64]*events.SwitchRuns{}
	}
	r := t.runs[s.ID]
	if r == nil {
		r = &events.SwitchRuns{Signal: s.ID}
		t.runs[s.ID] = r
	}
	if value == 0 {
		r.Until = at
		return
	}
	r.From, r.Until = at, 0
	if day := wall.On(at, t.Site.Settings.Location()).String(); day != r.Day {
		r.Day, r.Times = day, 0
	}
	r.Times++
}

// saveRuns writes down what was seen of runs.
func (t *Turn) saveRuns() error {
	for id, r := range t.runs {
		if t.Site.Signals[id] == nil {
			continue // removed in this turn
		}
		if err := events.NoteRuns(t.Ctx, t.Tx, *r); err != nil {
			return err
		}
	}
	t.runs = nil
	return nil
}

// RanWords say the newest run of a switch; empty: there is none.
func (t *Turn) RanWords(s *Signal) (string, error) {
	if err := t.saveRuns(); err != nil {
		return "", err
	}
	r, err := events.RanOf(t.Ctx, t.Tx, s.ID)
	return s.RanWords(&r, t.Now, t.Site.Settings.Location()), err
}
