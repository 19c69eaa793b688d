package due

import (
	"context"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline"
	"jauntylark/pipeline/reading"
	"jauntylark/store/events"
)

// Lost tells people that the service does without something since an instant: an alarm, which Found ends.
func Lost(ctx context.Context, p *pipeline.Pipeline, what string, since measure.Instant, why string) error {
	if p.Now().Sub(since) < events.BlindFrom {
		return nil
	}
	return p.Do(ctx, func(t *reading.Turn) error {
		standing, err := events.ServiceAlarm(t.Ctx, t.Tx, lostWhen(what))
		if err == nil && standing == 0 {
			_, err = t.RaiseServiceAlarm("reach "+what, alarm.Critical, since, why,
				"What comes by it waits there, if it keeps anything. It is tried again all the time.")
		}
		return err
	})
}

func lostWhen(what string) string { return "cannot reach " + what }

// Found says that something is there again that was away since an instant.
func Found(ctx context.Context, p *pipeline.Pipeline, what string, since measure.Instant) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		standing, err := events.ServiceAlarm(t.Ctx, t.Tx, lostWhen(what))
		if err == nil && standing != 0 {
			err = t.EndServiceAlarm(standing)
		}
		if err == nil {
			err = t.EnterOutage(what, since, t.Now)
		}
		return err
	})
}
