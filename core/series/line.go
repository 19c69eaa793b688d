package series

import "jauntylark/core/measure"

// Liner reduces readings to what a chart of so many pixel columns can show: the first, the lowest, the
// highest and the last reading of each column. A line through what is kept covers the same pixels as
// a line through all. It is fed in order of time, whole blocks by their heads where these suffice, and
// takes time proportional to what it is fed.
type Liner struct {
	From, Until measure.Instant // readings from from and before until are taken
	Columns     int

	kept  []measure.Reading
	count int
	open  column
}

// column is what is known of the pixel column that is being filled.
type column struct {
	number                 int64
	filled                 bool
	first, low, high, last measure.Reading
	count                  int
}

// ColumnOf is the column that an instant falls in.
func (l *Liner) ColumnOf(at measure.Instant) int64 {
	return int64(at-l.From) * int64(l.Columns) / int64(l.Until-l.From)
}

// Takes tells whether a block falls into one column, so that its head is all that is needed of it.
func (l *Liner) Takes(h *Head) bool {
	return h.FirstAt >= l.From && h.LastAt < l.Until && l.ColumnOf(h.FirstAt) == l.ColumnOf(h.LastAt)
}

// AddHead takes a block that falls into one column.
func (l *Liner) AddHead(h *Head) {
	c := l.enter(l.ColumnOf(h.FirstAt))
	c.add(measure.Reading{At: h.FirstAt, Value: h.First}, 1)
	for _, r := range inOrder(measure.Reading{At: h.LowAt, Value: h.Low},
		measure.Reading{At: h.HighAt, Value: h.High}) {
		c.add(r, 0)
	}
	c.add(measure.Reading{At: h.LastAt, Value: h.Last}, h.Count-1)
}

func inOrder(a, b measure.Reading) [2]measure.Reading {
	if b.At < a.At {
		return [2]measure.Reading{b, a}
	}
	return [2]measure.Reading{a, b}
}

// Add takes readings.
func (l *Liner) Add(readings []measure.Reading) {
	readings = Cut(readings, l.From, l.Until-1)
	for start := 0; start < len(readings); {
		number := l.ColumnOf(readings[start].At)
		// The first instant of the next column ends this one.
		next := l.From + measure.Instant(((number+1)*int64(l.Until-l.From)+int64(l.Columns)-1)/int64(l.Columns))
		end := len(readings)
		if readings[end-1].At >= next {
			end = start + len(Cut(readings[start:], readings[start].At, next-1))
		}
		c := l.enter(number)
		c.add(readings[start], 1)
		c.scan(readings[start:end])
		start = end
	}
}

// scan takes the rest of readings of which the first is taken.
func (c *column) scan(readings []measure.Reading) {
	low, high, lowest, highest := c.low.Value, c.high.Value, -1, -1
	for i := range readings {
		if v := readings[i].Value; v < low {
			low, lowest = v, i
		} else if v > high {
			high, highest = v, i
		}
	}
	if lowest >= 0 {
		c.low = readings[lowest]
	}
	if highest >= 0 {
		c.high = readings[highest]
	}
	c.last, c.count = readings[len(readings)-1], c.count+len(readings)-1
}

// enter gives the column of a number, closing the one before.
func (l *Liner) enter(number int64) *column {
	if l.open.filled && l.open.number != number {
		l.close()
	}
	l.open.number = number
	return &l.open
}

func (c *column) add(r measure.Reading, count int) {
	if !c.filled {
		c.filled, c.first, c.low, c.high = true, r, r, r
	}
	if r.Value < c.low.Value {
		c.low = r
	}
	if r.Value > c.high.Value {
		c.high = r
	}
	c.last, c.count = r, c.count+count
}

func (l *Liner) close() {
	c := &l.open
	l.count += c.count
	extremes := inOrder(c.low, c.high)
	for _, r := range [4]measure.Reading{c.first, extremes[0], extremes[1], c.last} {
		if n := len(l.kept); n == 0 || l.kept[n-1].At < r.At {
			l.kept = append(l.kept, r)
		}
	}
	*c = column{}
}

// Line gives what is kept, in order of time, at most four readings a column, and how many readings it
// stands for.
func (l *Liner) Line() (kept []measure.Reading, of int) {
	if l.open.filled {
		l.close()
	}
	return l.kept, l.count
}
