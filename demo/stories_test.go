package demo

import (
	"testing"
	"time"

	"jauntylark/core/measure"
)

// The history tells the stories that the demo site is described with.
func TestTheHistoryTellsItsStories(t *testing.T) {
	begun := measure.InstantOf(time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC))
	const aDay = 86_400_000
	values := map[string]func(measure.Instant) float64{}
	for _, d := range devices(clock{begun: begun}) {
		for _, s := range d.Signals {
			values[d.Name+"/"+s.Name] = s.Value
		}
	}
	// span gives the lowest and highest value of a stretch, in days before the site was set up.
	span := func(signal string, from, until float64, step measure.Instant) (low, high float64) {
		low, high = 1e9, -1e9
		for at := begun - measure.Instant(from*aDay); at < begun-measure.Instant(until*aDay); at += step {
			v := values[signal](at)
			low, high = min(low, v), max(high, v)
		}
		return low, high
	}
	cycles := func(from float64) (n int) {
		running := false
		for at := begun - measure.Instant(from*aDay); at < begun-measure.Instant((from-1)*aDay); at += 1000 {
			now := values["fog-pump/supply"](at) > 11
			if now && !running {
				n++
			}
			running = now
		}
		return n
	}
	if usual, last := cycles(10), cycles(1); usual < 8 || usual > 10 || last < 40 || last > 60 {
		t.Errorf("the pump ran %d times on a usual day, %d on the last", usual, last)
	}
	peaks := []float64{}
	for _, before := range []float64{9.5, 5.8, 1.6} {
		_, high := span("boiler-room/carbon-monoxide", before, before-0.4, 2000)
		peaks = append(peaks, high)
	}
	if !(peaks[0] > 35 && peaks[0] < peaks[1] && peaks[1] < peaks[2] && peaks[2] > 200) {
		t.Errorf("exposures of %v ppm", peaks)
	}
	if low, _ := span("cistern/level", 3, 2, 2000); low > 1150 {
		t.Errorf("the cistern fell to %v", low)
	}
	if low, _ := span("pond/oxygen", 9, 8, 2000); low != 0 {
		t.Errorf("the probe was not lifted: %v", low)
	}
	if low, _ := span("pond/oxygen", 5.1, 4.5, 2000); low > 50 || low == 0 {
		t.Errorf("the still night: %v", low)
	}
	if _, high := span("compost/core", 1, 0, 15_000); high < 65 {
		t.Errorf("the heap is at %v", high)
	}
	c := clock{begun: begun}
	terminal := func(days float64) float64 {
		return switchboardEye.Look(c.grid(c.begun-measure.Instant(days*86_400_000)), &switchboardEye.Regions[1]).Highest
	}
	if cool, warm := terminal(8), terminal(0.01); cool > 35 || warm < 50 || warm > 70 {
		t.Errorf("the terminal was at %.1f °C a week ago, and is at %.1f", cool, warm)
	}
	before, _ := span("gate-node/cell", 14, 13.1, 300_000)
	cloudy, _ := span("gate-node/cell", 8, 6, 300_000)
	after, _ := span("gate-node/cell", 2, 1, 300_000)
	if !(cloudy < before-0.06 && after > cloudy+0.06) {
		t.Errorf("the battery: %v before, %v in the clouds, %v after", before, cloudy, after)
	}
	if low, _ := span("bench/root-zone", 1, 0.5, 15_000); low > 62 { // °F
		t.Errorf("the heat mat did not fail: %v", low)
	}
	if low, _ := span("lamp-meter/amperes", 9, 7, 5000); low < 8 {
		t.Errorf("the lamps were off on the weekend: %v", low)
	}
	// What the live guards watch is quiet when the devices go on from the history.
	for signal, limits := range map[string][2]float64{"fern-house/air": {8, 30}, "pond/oxygen": {55, 200},
		"fern-house/co2": {0, 900}, "cistern/level": {1150, 4095}} {
		if low, high := span(signal, 0, -1, 15_000); low <= limits[0] || high >= limits[1] {
			t.Errorf("%s goes from %v to %v on the first live day", signal, low, high)
		}
	}
}

// Whenever the site is set up, the lamps were left on for a weekend, and the probe is lifted while somebody looks.
func TestStoriesFallWhereTheyAreTold(t *testing.T) {
	for d := range 7 {
		c := clock{begun: measure.InstantOf(time.Date(2026, 11, 23+d, 0, 0, 0, 0, time.UTC))}
		hours := 0
		for at := c.begun.Add(-12 * 24 * time.Hour); at < c.begun; at = at.Add(time.Hour) {
			if !c.forgotten(at) {
				continue
			}
			hours++
			if when := at.Time().UTC(); when.Weekday() > time.Monday && when.Weekday() < time.Friday ||
				c.begun.Sub(at) < 48*time.Hour {
				t.Errorf("set up on %v, the lamps were left on on %v", c.begun, when)
			}
		}
		if hours != 60 {
			t.Errorf("the lamps were left on for %d hours", hours)
		}
	}
	live := measure.InstantOf(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	c := clock{begun: live.Add(-time.Hour), live: live}
	for minutes, lifted := range map[int]bool{5: false, 7: true, 10: false, 27: true} {
		if (c.oxygen(live.Add(time.Duration(minutes)*time.Minute)) == 0) != lifted {
			t.Errorf("after %d minutes the probe is lifted: %v", minutes, !lifted)
		}
	}
}
