package series

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"

	"jauntylark/core/measure"
)

// plot draws a line through readings, one pixel wide: in each column all rows between the lowest and the
// highest that the line has there, and a straight step from column to column.
func plot(readings []measure.Reading, from, until measure.Instant, columns, rows int, low, high float64) *image.Gray {
	img := image.NewGray(image.Rect(0, 0, columns, rows))
	place := func(r measure.Reading) (x, y int) {
		return int(int64(r.At-from) * int64(columns) / int64(until-from)),
			int(math.Floor((r.Value - low) / (high - low) * float64(rows-1)))
	}
	for i := range readings {
		x1, y1 := place(readings[max(0, i-1)])
		x2, y2 := place(readings[i])
		steps := max(abs(x2-x1), abs(y2-y1), 1)
		for s := 0; s <= steps; s++ {
			img.SetGray(x1+(x2-x1)*s/steps, y1+(y2-y1)*s/steps, color.Gray{255})
		}
	}
	return img
}

func abs(n int) int { return max(n, -n) }

func TestTheLineDrawsTheSamePixelsAsAllReadings(t *testing.T) {
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 1))
		readings := make([]measure.Reading, 1+r.IntN(5000))
		at, value := measure.Instant(r.IntN(1e9)), 0.0
		from := at - measure.Instant(r.IntN(2000))
		for i := range readings {
			value += r.NormFloat64()
			if r.IntN(500) == 0 {
				at += 50_000
			}
			readings[i] = measure.Reading{At: at, Value: math.Round(value*10) / 10}
			at += measure.Instant(1 + r.IntN(500))
		}
		until, columns := at+measure.Instant(r.IntN(2000)), 1+r.IntN(300)
		// Some come as blocks by their heads, others one by one, as it falls.
		line := Liner{From: from, Until: until, Columns: columns}
		for rest := readings; len(rest) > 0; {
			n := min(len(rest), 1+r.IntN(60))
			if b := Seal(rest[:n]); line.Takes(&b.Head) {
				line.AddHead(&b.Head)
			} else {
				line.Add(rest[:n])
			}
			rest = rest[n:]
		}
		kept, of := line.Line()
		if of != len(readings) || len(kept) > 4*columns {
			t.Fatalf("seed %d: %d kept of %d, for %d columns; there are %d", seed, len(kept), of, columns,
				len(readings))
		}
		low, high := math.Inf(1), math.Inf(-1)
		for _, x := range readings {
			low, high = min(low, x.Value), max(high, x.Value)
		}
		if low == high {
			high++
		}
		want, got := plot(readings, from, until, columns, 120, low, high), plot(kept, from, until, columns, 120, low,
			high)
		for i := range want.Pix {
			if want.Pix[i] != got.Pix[i] {
				t.Fatalf("seed %d: the pixel %d,%d differs; %d kept of %d", seed, i%columns, i/columns, len(kept), of)
			}
		}
	}
}
