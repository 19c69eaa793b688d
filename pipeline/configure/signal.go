package configure

import (
	"context"
	"fmt"

	"jauntylark/core/act"
	"jauntylark/pipeline"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
)

// SetSignal changes what is said of a signal. A unit can be stated when there is none; one that is
// stored stays.
func SetSignal(ctx context.Context, p *pipeline.Pipeline, path string, c act.SignalChange, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(path)
		if err != nil {
			return err
		}
		v := s.Signal
		if err := c.Onto(&v); err != nil {
			return err
		}
		if err := checkFaults(t, v.Faults); err != nil {
			return err
		}
		t.ConfigChanged(s.Home.Change())
		step := s.Step
		s.Signal = v
		if err := config.SaveSignal(t.Ctx, t.Tx, &v); err != nil {
			return err
		}
		if err := t.StepFollows(s, step); err != nil {
			return err
		}
		if c.Interval != nil {
			if err := judgeAnew(t, s.Home, "what is expected of the device was changed"); err != nil {
				return err
			}
		}
		if err := t.Enter("signal set", path, who.Called, fmt.Sprintf("Signal %s is called %q, unit %q", path, v.Title,
			v.Unit)); err != nil {
			return err
		}
		return nil
	})
}
