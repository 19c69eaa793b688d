package derive

import (
	"math"
	"slices"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// window holds the readings of the last stretch of time, oldest first.
type window struct {
	length measure.Instant
	held   []measure.Reading
	first  int
}

func newWindow(r *Recipe) *window { return &window{length: measure.Instant(r.Window / 1e6)} }

// add adds a reading and calls gone for each that falls out: those as old as the window is long, or older.
func (w *window) add(at measure.Instant, value float64, gone func(measure.Reading)) {
	for w.first < len(w.held) && w.held[w.first].At <= at-w.length {
		gone(w.held[w.first])
		w.first++
	}
	if w.first > 64 && w.first > len(w.held)/2 {
		w.held = append(w.held[:0], w.held[w.first:]...)
		w.first = 0
	}
	w.held = append(w.held, measure.Reading{At: at, Value: value})
}

func (w *window) count() float64 { return float64(len(w.held) - w.first) }

func (m *Machine) same(r *Recipe, in []Source) {
	m.Output, m.reach = Output{Kind: site.KindNumber, Unit: in[0].Unit, Quantity: r.Kind}, measure.Instant(r.Window/1e6)
}

func movingMean(r *Recipe, in []Source, m *Machine) error {
	m.same(r, in)
	w, sum := newWindow(r), exactSum{}
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		w.add(at, v[0], func(old measure.Reading) { sum.add(old.Value, -1) })
		sum.add(v[0], 1)
		return sum.value() / w.count(), true
	}
	return nil
}

// movingDeviation is the sample standard deviation. Squares are added with what rounding took from them.
func movingDeviation(r *Recipe, in []Source, m *Machine) error {
	m.same(r, in)
	if m.Unit.Dimension() == "temperature" {
		m.Unit = "K"
		if err := m.in(in, "Cel"); err != nil {
			return err
		}
	}
	var sum, squares exactSum
	count := func(x float64, sign int64) {
		sum.add(x, sign)
		square := x * x
		if math.IsInf(square, 0) {
			square = math.MaxFloat64
		}
		squares.add(square, sign)
		if rest := math.FMA(x, x, -square); !math.IsInf(rest, 0) {
			squares.add(rest, sign)
		}
	}
	w := newWindow(r)
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		w.add(at, v[0], func(old measure.Reading) { count(old.Value, -1) })
		count(v[0], 1)
		n := w.count()
		if n < 2 {
			return 0, false
		}
		s := sum.value()
		return math.Sqrt(max(0, (squares.value()-s*s/n)/(n-1))), true
	}
	return nil
}

func movingMedian(r *Recipe, in []Source, m *Machine) error {
	m.same(r, in)
	w := newWindow(r)
	var sorted []float64
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		w.add(at, v[0], func(old measure.Reading) {
			i, _ := slices.BinarySearch(sorted, old.Value)
			sorted = slices.Delete(sorted, i, i+1)
		})
		i, _ := slices.BinarySearch(sorted, v[0])
		sorted = slices.Insert(sorted, i, v[0])
		n := len(sorted)
		return (sorted[(n-1)/2] + sorted[n/2]) / 2, true
	}
	return nil
}
