package alarm

import (
	"testing"

	"jauntylark/core/measure"
)

func BenchmarkStep(b *testing.B) {
	g := &Guard{Rung: Rung{When: Test{Kind: Above, A: 30}, Deadband: 1, OnDelay: measure.Duration(10e9),
		OffDelay: measure.Duration(10e9), Severity: Warning}}
	if err := g.Check(); err != nil {
		b.Fatal(err)
	}
	values := make([]float64, 1024)
	for i := range values {
		values[i] = 28 + float64((i*37)%100)/25
	}
	out := make([]Transition, 0, 4)
	var s State
	b.ReportAllocs()
	at := measure.Instant(0)
	for b.Loop() {
		at += 1000
		s, out = Step(g, s, Event{Kind: NewReading, At: at, Value: values[at/1000&1023]}, out[:0])
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds()/1e6, "Msteps/s")
}
