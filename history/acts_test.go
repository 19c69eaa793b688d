package history_test

import (
	"context"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/calibrate"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/total"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/record"
)

// People change recipes, totals and calibrations while the background work is at it: neither waits for the other for
// ever, and none fails.
func TestActsDuringTheWork(t *testing.T) {
	p := newPlace(t, nil)
	ctx := context.Background()
	p.past("v", 20_000)
	recipe := func(window int) derive.Recipe {
		return derive.Recipe{Kind: "moving-mean", Window: measure.Duration(time.Duration(window) * time.Minute),
			Of: of("v")}
	}
	for i := range 25 {
		v := total.Total{Name: "sum", Signal: "d/mean", Kind: total.Integral}
		from := p.at() - 3_600_000
		for what, act := range map[string]func() error{
			"derive": func() error {
				return configure.Derive(ctx, p.Pipeline, "d/mean", "", recipe(5+i%3), pipeline.Actor{})
			},
			"calibrate": func() error {
				_, err := record.Calibrate(ctx, p.Pipeline, "d/v",
					act.CalibrationOrder{From: &from, Pairs: calibrate.Pairs{{Shown: 1, Reference: 1.5}}},
					pipeline.Actor{})
				return err
			},
			"total": func() error {
				if err := configure.Derive(ctx, p.Pipeline, "d/mean", "", recipe(7), pipeline.Actor{}); err != nil {
					return err
				}
				return record.AddTotal(ctx, p.Pipeline, &v, pipeline.Actor{})
			},
		} {
			p.soon()
			if err := act(); err != nil {
				t.Fatalf("%s, time %d: %v", what, i, err)
			}
		}
		if err := record.RemoveTotal(ctx, p.Pipeline, "sum", pipeline.Actor{}); err != nil {
			t.Fatal(err)
		}
		if i%5 == 4 {
			if err := configure.RemoveDerived(ctx, p.Pipeline, "d/mean", pipeline.Actor{}); err != nil {
				t.Fatal(err)
			}
		}
	}
	p.settled()
}
