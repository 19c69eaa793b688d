package frame

import (
	"bytes"
	"fmt"
	"math"
	"strconv"
	"strings"
)

// decodeCSV reads a line for each row of temperatures, with commas, semicolons or tabs between them. Lines that begin
// with # tell of at, unit, scale and offset. An empty field, and nan, is a dead pixel.
func decodeCSV(body []byte, usual *Eye) (Shot, error) {
	var h head
	t := texts{}
	for number, line := range strings.Split(strings.TrimPrefix(string(body), "\ufeff"), "\n") {
		line = strings.TrimRight(line, "\r")
		switch {
		case strings.HasPrefix(line, "#"):
			if err := h.comment(line[1:]); err != nil {
				return Shot{}, err
			}
			continue
		case strings.TrimSpace(line) == "":
			continue
		}
		if err := t.row(number+1, strings.Split(line, separator(line))); err != nil {
			return Shot{}, err
		}
	}
	g, err := t.grid()
	if err == nil {
		err = h.finish(g, false, usual)
	}
	return Shot{Grid: g, At: h.at}, err
}

// separator is what stands between the numbers of a line.
func separator(line string) string {
	for _, mark := range []string{";", "\t"} {
		if strings.Contains(line, mark) {
			return mark
		}
	}
	return ","
}

// texts gathers numbers that are written out, and how many decimals they have.
type texts struct {
	width, height int
	values        []float64
	decimals      int
}

func (t *texts) row(line int, fields []string) error {
	if t.height == 0 {
		t.width = len(fields)
	}
	if len(fields) != t.width {
		return fault("frame", "has %d columns in line %d; the first row has %d", len(fields), line, t.width)
	}
	t.height++
	if err := checkSize(t.width, t.height); err != nil {
		return err
	}
	for i, text := range fields {
		v, err := t.value(text)
		if err != nil {
			return fault("frame", "%s in line %d, column %d is no temperature", quoted(text), line, i+1)
		}
		t.values = append(t.values, v)
	}
	return nil
}

func quoted(text string) string { return fmt.Sprintf("%.40q", text) }

// value reads one number; NaN of a dead pixel.
func (t *texts) value(text string) (float64, error) {
	text = strings.TrimSpace(text)
	if text == "" || strings.EqualFold(text, "nan") || text == "null" {
		return math.NaN(), nil
	}
	v, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsInf(v, 0) {
		return 0, fmt.Errorf("%q is no number", text)
	}
	t.decimals = max(t.decimals, decimalsOf(text))
	return v, nil
}

// decimalsOf counts the decimals of a number as it is written, up to the finest that is kept.
func decimalsOf(text string) int {
	_, after, found := strings.Cut(text, ".")
	if strings.ContainsAny(text, "eE") {
		return finest
	}
	if !found {
		return 0
	}
	return min(finest, len(strings.TrimRight(after, "0")))
}

func (t *texts) grid() (*Grid, error) {
	if t.height == 0 {
		return nil, fault("frame", "is empty; send a line of temperatures for each row")
	}
	return ofNumbers(t.width, t.height, t.values, t.decimals)
}

func number(field, text string) (*float64, error) {
	v, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return nil, fault(field, "%s is no number", quoted(text))
	}
	return &v, nil
}

// EncodeCSV writes the temperatures of a grid in °C, a line for each row, under comments that say so; Decode reads it
// back.
func EncodeCSV(s Shot) []byte {
	var b bytes.Buffer
	g := s.Grid
	fmt.Fprintf(&b, "# unit=Cel")
	if s.At != 0 {
		fmt.Fprintf(&b, " at=%s", s.At)
	}
	b.WriteByte('\n')
	decimals := g.decimals()
	for y := range g.Height {
		for x := range g.Width {
			if x > 0 {
				b.WriteByte(',')
			}
			if v := g.At(x, y); !math.IsNaN(v) {
				b.Write(strconv.AppendFloat(b.AvailableBuffer(), v, 'f', decimals, 64))
			}
		}
		b.WriteByte('\n')
	}
	return b.Bytes()
}

// decimals is how many decimals tell the temperatures of the grid apart.
func (g *Grid) decimals() int {
	for d := range finest {
		tens := math.Pow10(d)
		scale, offset := g.Scale*tens, g.Offset*tens
		if math.Abs(scale-math.Round(scale)) < 1e-9 && math.Abs(offset-math.Round(offset)) < 1e-6 {
			return d
		}
	}
	return finest
}
