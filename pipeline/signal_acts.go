package pipeline

import (
	"context"
	"fmt"

	"jauntylark/core/act"
)

// SetSignal changes what is said of a signal. A unit can be stated when there is none; one that is
// stored stays.
func (p *Pipeline) SetSignal(ctx context.Context, path string, c act.SignalChange, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		s, err := t.live.find(path)
		if err != nil {
			return err
		}
		v := s.Signal
		if err := c.Onto(&v); err != nil {
			return err
		}
		if err := t.checkFaults(v.Faults); err != nil {
			return err
		}
		t.touched = true
		step := s.Step
		s.Signal = v
		if err := t.Tx.SaveSignal(t.ctx, &v); err != nil {
			return err
		}
		if err := t.stepFollows(s, step); err != nil {
			return err
		}
		if c.Interval != nil {
			if err := t.lookAnew(s.device, "what is expected of the device was changed"); err != nil {
				return err
			}
		}
		if err := t.Enter("signal set", path, who.Called, fmt.Sprintf("Signal %s is called %q, unit %q", path, v.Title, v.Unit)); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}
