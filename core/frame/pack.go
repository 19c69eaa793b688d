package frame

import (
	"encoding/binary"
	"errors"
	"hash/crc32"
	"math"
	"math/bits"
)

// A packed frame is: the form (1), width and height, scale and offset as IEEE 754 doubles, the places of dead pixels as
// gaps, all else in one stream of bits, and a CRC-32C of all that. Numbers are varints.
//
// Each count is told as the difference to what its neighbours predict, by that one of three ways which has been nearest
// lately: the median edge detector of LOCO-I (Weinberger, Seroussi, Sapiro, "The LOCO-I lossless image compression
// algorithm", IEEE Trans. Image Processing 9(8), 2000), the plane through three neighbours, and their smoothed mean.
// The difference is a Golomb-Rice code, whose length follows the mean of those before. What was before is remembered in
// eight contexts, by how rough the neighbourhood is.

const packedForm = 1

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// ErrDamaged says that a packed frame is not what was packed.
var ErrDamaged = errors.New("the packed frame is damaged")

const (
	contexts = 8
	longRun  = 24 // a quotient from here on is written as a whole number
	halveAt  = 64 // so many differences of a context are remembered
)

// context is what is known of one sort of neighbourhood: how long differences are, and how far each way of predicting
// was off.
type context struct {
	sum, count uint64
	off        [ways]uint64
}

const ways = 3

// shift is the parameter of the code: about the logarithm of the mean.
func (c *context) shift() uint {
	if c.sum <= c.count {
		return 0
	}
	return uint(bits.Len64((c.sum - 1) / c.count))
}

// best is the way that was nearest lately.
func (c *context) best() int {
	way := 0
	for i, off := range c.off {
		if off < c.off[way] {
			way = i
		}
	}
	return way
}

// learn takes in what a pixel was, beside what was predicted.
func (c *context) learn(code uint64, was int64, predicted *[ways]int64) {
	c.sum, c.count = c.sum+code, c.count+1
	for i := range predicted {
		c.off[i] += uint64(size(was - predicted[i]))
	}
	if c.count == halveAt {
		c.sum, c.count = c.sum/2, c.count/2
		for i := range c.off {
			c.off[i] /= 2
		}
	}
}

func newContexts() (all [contexts]context) {
	for i := range all {
		all[i] = context{sum: 8, count: 1}
	}
	return all
}

// neighbours gives what the neighbours of a pixel predict, in each way, and in which context that is.
func neighbours(row, above []int64, x int) (predicted [ways]int64, context int) {
	var a, b, c, d int64 // left, above, above left, above right
	switch {
	case above == nil && x == 0:
		return predicted, contexts - 1
	case above == nil:
		a = row[x-1]
		return [ways]int64{a, a, a}, 0
	case x == 0:
		b = above[0]
		a, c = b, b
	default:
		a, b, c = row[x-1], above[x], above[x-1]
	}
	if d = b; x+1 < len(above) {
		d = above[x+1]
	}
	plane := a + b - c
	switch {
	case c >= max(a, b):
		predicted[0] = min(a, b)
	case c <= min(a, b):
		predicted[0] = max(a, b)
	default:
		predicted[0] = plane
	}
	predicted[1], predicted[2] = plane, (a+b)/2+(d-c)/4
	rough := uint64(size(d-b) + size(b-c) + size(c-a))
	return predicted, min(contexts-1, (bits.Len64(rough)+1)/2)
}

func size(n int64) int64 { return max(n, -n) }

// Pack writes a grid without loss.
func Pack(g *Grid) []byte {
	out := []byte{packedForm}
	out = binary.AppendUvarint(out, uint64(g.Width))
	out = binary.AppendUvarint(out, uint64(g.Height))
	out = binary.LittleEndian.AppendUint64(out, math.Float64bits(g.Scale))
	out = binary.LittleEndian.AppendUint64(out, math.Float64bits(g.Offset))
	dead := 0
	for _, c := range g.Counts {
		if c == Dead {
			dead++
		}
	}
	out = binary.AppendUvarint(out, uint64(dead))
	last := -1
	for i, c := range g.Counts {
		if c == Dead {
			out = binary.AppendUvarint(out, uint64(i-last))
			last = i
		}
	}
	w := bitWriter{out: out}
	known := newContexts()
	var above []int64
	rows := [2][]int64{make([]int64, g.Width), make([]int64, g.Width)}
	for y := range g.Height {
		row := rows[y%2]
		for x, count := range g.Counts[y*g.Width : (y+1)*g.Width] {
			predicted, at := neighbours(row, above, x)
			if row[x] = predicted[known[at].best()]; count == Dead {
				continue
			}
			code := zigzag(int64(count) - row[x])
			row[x] = int64(count)
			w.rice(code, known[at].shift())
			known[at].learn(code, row[x], &predicted)
		}
		above = row
	}
	out = w.end()
	return binary.LittleEndian.AppendUint32(out, crc32.Checksum(out, castagnoli))
}

// Unpack reads what Pack wrote; ErrDamaged.
func Unpack(packed []byte) (*Grid, error) {
	if len(packed) < 4 || packed[0] != packedForm {
		return nil, ErrDamaged
	}
	body := packed[:len(packed)-4]
	if crc32.Checksum(body, castagnoli) != binary.LittleEndian.Uint32(packed[len(body):]) {
		return nil, ErrDamaged
	}
	in := reader{body[1:], false}
	g := &Grid{Width: int(in.number()), Height: int(in.number())}
	g.Scale, g.Offset = in.double(), in.double()
	if in.short || checkSize(g.Width, g.Height) != nil {
		return nil, ErrDamaged
	}
	g.Counts = make([]int32, g.Width*g.Height)
	at := -1
	for range min(in.number(), MaxPixels) {
		if at += int(min(in.number(), MaxPixels)); in.short || at < 0 || at >= len(g.Counts) {
			return nil, ErrDamaged
		}
		g.Counts[at] = Dead
	}
	return g, g.unpackCounts(&bitReader{in: in.rest})
}

func (g *Grid) unpackCounts(in *bitReader) error {
	known := newContexts()
	var above []int64
	rows := [2][]int64{make([]int64, g.Width), make([]int64, g.Width)}
	for y := range g.Height {
		row := rows[y%2]
		for x := range row {
			count := &g.Counts[y*g.Width+x]
			predicted, at := neighbours(row, above, x)
			if row[x] = predicted[known[at].best()]; *count == Dead {
				continue
			}
			code := in.rice(known[at].shift())
			row[x] += unzigzag(code)
			known[at].learn(code, row[x], &predicted)
			*count = int32(row[x])
		}
		above = row
	}
	if in.short {
		return ErrDamaged
	}
	return nil
}

func zigzag(n int64) uint64   { return uint64(n<<1) ^ uint64(n>>63) }
func unzigzag(c uint64) int64 { return int64(c>>1) ^ -int64(c&1) }

// bitWriter writes bits, the first into the highest of each byte.
type bitWriter struct {
	out  []byte
	held uint64 // the newest bits, at the low end
	many uint
}

func (w *bitWriter) bits(v uint64, n uint) {
	w.held, w.many = w.held<<n|v, w.many+n
	for w.many >= 8 {
		w.many -= 8
		w.out = append(w.out, byte(w.held>>w.many))
	}
}

// rice writes a Golomb-Rice code: the quotient in ones, a zero, the rest in k bits.
func (w *bitWriter) rice(code uint64, k uint) {
	quotient := code >> k
	if quotient >= longRun {
		w.bits(1<<longRun-1, longRun)
		w.bits(code>>16, 24)
		w.bits(code&0xffff, 16)
		return
	}
	w.bits((1<<quotient-1)<<1, uint(quotient)+1)
	w.bits(code&(1<<k-1), k)
}

func (w *bitWriter) end() []byte {
	if w.many > 0 {
		w.bits(0, 8-w.many)
	}
	return w.out
}

// bitReader reads what bitWriter wrote.
type bitReader struct {
	in    []byte
	held  uint64 // bits not read yet, at the high end
	many  uint
	short bool
}

func (r *bitReader) fill() {
	for r.many <= 56 && len(r.in) > 0 {
		r.held |= uint64(r.in[0]) << (56 - r.many)
		r.in, r.many = r.in[1:], r.many+8
	}
}

func (r *bitReader) bits(n uint) uint64 {
	if n == 0 {
		return 0
	}
	if r.many < n {
		if r.fill(); r.many < n {
			r.short = true
			return 0
		}
	}
	v := r.held >> (64 - n)
	r.held, r.many = r.held<<n, r.many-n
	return v
}

func (r *bitReader) rice(k uint) uint64 {
	r.fill()
	quotient := uint(bits.LeadingZeros64(^r.held))
	if quotient >= longRun {
		r.bits(longRun)
		return r.bits(24)<<16 | r.bits(16)
	}
	r.bits(quotient + 1)
	return uint64(quotient)<<k | r.bits(k)
}

// reader reads the head of a packed frame.
type reader struct {
	rest  []byte
	short bool
}

func (r *reader) number() uint64 {
	v, n := binary.Uvarint(r.rest)
	if n <= 0 {
		r.short = true
		return 0
	}
	r.rest = r.rest[n:]
	return v
}

func (r *reader) double() float64 {
	if len(r.rest) < 8 {
		r.short = true
		return 0
	}
	v := math.Float64frombits(binary.LittleEndian.Uint64(r.rest))
	r.rest = r.rest[8:]
	return v
}
