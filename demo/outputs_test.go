package demo

import (
	"testing"
	"time"

	"jauntylark/core/measure"
)

// The loop is closed: without the fan the gas rises far, with it the gas falls; and what was read once is read again
// the same.
func TestTheFanLowersTheGas(t *testing.T) {
	live := measure.InstantOf(time.Date(2026, 11, 26, 4, 0, 0, 0, time.UTC))
	highest := func(driven bool) (high float64, starts int) {
		air, fan := clock{live: live}.flue(), false
		for at := live; at < live.Add(15*time.Minute); at = at.Add(2 * time.Second) {
			ppm := air.read(at)
			high = max(high, ppm)
			if air.read(at) != ppm {
				t.Fatal("the same instant reads another value")
			}
			if was := fan; driven {
				if fan = ppm > 18 || fan && ppm > 12; fan != was {
					air.turn(fan, at.Time())
				}
				if fan && !was {
					starts++
				}
			}
		}
		return high, starts
	}
	if high, _ := highest(false); high < 33 || high > 37 {
		t.Errorf("without the fan it comes to %v ppm", high)
	}
	if high, starts := highest(true); high > 20 || starts < 3 {
		t.Errorf("with the fan it comes to %v ppm, in %d starts", high, starts)
	}
	varnish, most := clock{live: live}.varnish(), 0.0
	for at := live; at < live.Add(10*time.Minute); at = at.Add(15 * time.Second) {
		most = max(most, varnish.read(at))
	}
	if most < 300 {
		t.Errorf("varnish gives off %v ppb at the most", most)
	}
	if (clock{}).flue().read(live) != 0 {
		t.Error("there is gas in the history")
	}
}
