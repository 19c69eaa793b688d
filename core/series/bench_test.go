package series

import (
	"math"
	"testing"

	"jauntylark/core/measure"
)

// month makes a month of readings a second, as blocks.
func month() (blocks []Block, from, until measure.Instant) {
	const n = 30 * 86400
	readings := make([]measure.Reading, 0, BlockReadings)
	for i := range n {
		readings = append(readings, measure.Reading{At: measure.Instant(i) * 1000,
			Value: math.Round(200+50*math.Sin(float64(i)/9000)+float64(i*7919%11)) / 10})
		if len(readings) == BlockReadings || i == n-1 {
			blocks = append(blocks, Seal(readings))
			readings = readings[:0]
		}
	}
	return blocks, 0, n * 1000
}

func BenchmarkSeal(b *testing.B) {
	blocks, _, _ := month()
	readings, err := Decode(blocks[0].Body, nil)
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		Seal(readings)
	}
	b.ReportMetric(float64(len(blocks[0].Body))/float64(len(readings)), "bytes/reading")
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*len(readings)), "ns/reading")
}

func BenchmarkDecode(b *testing.B) {
	blocks, _, _ := month()
	var room []measure.Reading
	for b.Loop() {
		var err error
		if room, err = Decode(blocks[0].Body, room[:0]); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*len(room)), "ns/reading")
}

// BenchmarkLine reduces 2.6 million readings to 1,200 columns, each block opened.
func BenchmarkLine(b *testing.B) {
	blocks, from, until := month()
	var room []measure.Reading
	for b.Loop() {
		line := Liner{From: from, Until: until, Columns: 1200}
		for i := range blocks {
			if line.Takes(&blocks[i].Head) {
				line.AddHead(&blocks[i].Head)
				continue
			}
			var err error
			if room, err = Decode(blocks[i].Body, room[:0]); err != nil {
				b.Fatal(err)
			}
			line.Add(room)
		}
	}
}
