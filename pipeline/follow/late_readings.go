package follow

import (
	"jauntylark/core/measure"
	"jauntylark/pipeline/memory"
	"jauntylark/store/events"
)

// NoteLateFor notes that a late reading came which guards of its signal, and of what is derived from it, did not step.
func (t *Turn) NoteLateFor(s *memory.Signal, from, until measure.Instant) {
	if len(s.Guards) > 0 {
		r, there := t.late[s.ID]
		if !there {
			r = extent{from, until}
		}
		if t.late == nil {
			t.late = map[int64]extent{}
		}
		t.late[s.ID] = extent{min(r.from, from), max(r.until, until)}
	}
	for _, f := range s.Feeds {
		reaches := until
		if m := f.Derived.Machine; m != nil && !m.Lasting() {
			reaches += m.Reach()
		} else {
			reaches = max(reaches, f.Derived.Into.State.At)
		}
		t.NoteLateFor(f.Derived.Into, from, reaches)
	}
}

// NoteLate writes down where late readings came that guards did not step.
func (t *Turn) NoteLate() error {
	for signal, r := range t.late {
		if err := events.NoteLate(t.Ctx, t.Tx, events.LateStretch{Signal: signal, From: r.from, Until: r.until,
			NotedAt: t.Now}); err != nil {
			return err
		}
	}
	return nil
}
