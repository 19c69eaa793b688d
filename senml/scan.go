package senml

import (
	"strconv"
	"unicode/utf8"
)

// scan reads the records of a plain pack several times as fast as encoding/json does. It gives up, with
// false, on all that is not plain (escapes, null, labels that are not ours, anything that is wrong), and
// what it reads is what encoding/json would have read.
func scan(body []byte) ([]record, bool) {
	s := scanner{data: body, texts: map[string]*string{}}
	if !s.accept('[') {
		return nil, false
	}
	records := make([]record, 0, len(body)/40+1)
	if s.accept(']') {
		return records, s.atEnd()
	}
	for {
		var r record
		if !s.object(&r) {
			return nil, false
		}
		records = append(records, r)
		if s.accept(',') {
			continue
		}
		return records, s.accept(']') && s.atEnd()
	}
}

type scanner struct {
	data   []byte
	at     int
	texts  map[string]*string // names and units come again and again
	floats []float64
}

func (s *scanner) space() {
	for s.at < len(s.data) {
		switch s.data[s.at] {
		case ' ', '\t', '\n', '\r':
			s.at++
		default:
			return
		}
	}
}

// accept takes one sign after white space.
func (s *scanner) accept(sign byte) bool {
	s.space()
	if s.at < len(s.data) && s.data[s.at] == sign {
		s.at++
		return true
	}
	return false
}

func (s *scanner) atEnd() bool { s.space(); return s.at == len(s.data) }

func (s *scanner) object(r *record) bool {
	if !s.accept('{') {
		return false
	}
	for {
		label, ok := s.text()
		if !ok || !s.accept(':') || !s.field(r, label) {
			return false
		}
		if !s.accept(',') {
			return s.accept('}')
		}
	}
}

func (s *scanner) field(r *record, label []byte) (ok bool) {
	switch string(label) {
	case "bn":
		r.BaseName, ok = s.word()
	case "bt":
		r.BaseTime, ok = s.number()
	case "bu":
		r.BaseUnit, ok = s.word()
	case "bv":
		r.BaseValue, ok = s.number()
	case "bs":
		r.BaseSum, ok = s.number()
	case "bver":
		r.BaseVersion, ok = s.number()
	case "n":
		r.Name, ok = s.word()
	case "u":
		r.Unit, ok = s.word()
	case "v":
		r.Value, ok = s.number()
	case "vb":
		r.Bool, ok = s.boolean()
	case "vs":
		r.Text, ok = s.word()
	case "vd":
		r.Data, ok = s.word()
	case "s":
		r.Sum, ok = s.number()
	case "t":
		r.Time, ok = s.number()
	case "ut":
		r.UpdateTime, ok = s.number()
	}
	return ok
}

// text gives a string without escapes.
func (s *scanner) text() ([]byte, bool) {
	if !s.accept('"') {
		return nil, false
	}
	for begin := s.at; s.at < len(s.data); s.at++ {
		switch c := s.data[s.at]; {
		case c == '"':
			s.at++
			text := s.data[begin : s.at-1]
			return text, utf8.Valid(text)
		case c == '\\' || c < ' ':
			return nil, false
		}
	}
	return nil, false
}

func (s *scanner) word() (*string, bool) {
	text, ok := s.text()
	if !ok {
		return nil, false
	}
	if known := s.texts[string(text)]; known != nil {
		return known, true
	}
	word := string(text)
	s.texts[word] = &word
	return &word, true
}

func (s *scanner) boolean() (*bool, bool) {
	s.space()
	for word, value := range map[string]bool{"true": true, "false": false} {
		if end := s.at + len(word); end <= len(s.data) && string(s.data[s.at:end]) == word {
			s.at = end
			return &value, true
		}
	}
	return nil, false
}

// exact are the powers of ten that a float64 holds exactly: a whole number below 2^53 times or through one
// of them is rounded once, so it is the nearest (W. D. Clinger, How to read floating point numbers
// accurately, PLDI 1990).
var exact = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17,
	1e18, 1e19, 1e20, 1e21, 1e22}

// number reads a number in JSON's grammar.
func (s *scanner) number() (*float64, bool) {
	s.space()
	begin, whole, digits, decimals := s.at, uint64(0), 0, 0
	negative := s.at < len(s.data) && s.data[s.at] == '-'
	if negative {
		s.at++
	}
	first := s.at
	for s.at < len(s.data) && isDigit(s.data[s.at]) {
		whole, digits = whole*10+uint64(s.data[s.at]-'0'), digits+1
		s.at++
	}
	if s.at == first || s.data[first] == '0' && s.at > first+1 {
		return nil, false
	}
	if s.at < len(s.data) && s.data[s.at] == '.' {
		s.at++
		for s.at < len(s.data) && isDigit(s.data[s.at]) {
			whole, digits, decimals = whole*10+uint64(s.data[s.at]-'0'), digits+1, decimals+1
			s.at++
		}
		if decimals == 0 {
			return nil, false
		}
	}
	if s.at < len(s.data) && (s.data[s.at] == 'e' || s.data[s.at] == 'E') || digits > 15 || decimals >= len(exact) {
		return s.slowNumber(begin)
	}
	value := float64(whole) / exact[decimals]
	if negative {
		value = -value
	}
	return s.keep(value), true
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// slowNumber reads the number that begins at a place, whose digits up to here are in JSON's grammar.
func (s *scanner) slowNumber(begin int) (*float64, bool) {
	if s.at < len(s.data) && (s.data[s.at] == 'e' || s.data[s.at] == 'E') {
		if s.at++; s.at < len(s.data) && (s.data[s.at] == '+' || s.data[s.at] == '-') {
			s.at++
		}
		first := s.at
		for s.at < len(s.data) && isDigit(s.data[s.at]) {
			s.at++
		}
		if s.at == first {
			return nil, false
		}
	}
	value, err := strconv.ParseFloat(string(s.data[begin:s.at]), 64)
	return s.keep(value), err == nil
}

// keep gives a place for a number; many share one piece of memory.
func (s *scanner) keep(value float64) *float64 {
	if len(s.floats) == cap(s.floats) {
		s.floats = make([]float64, 0, 256)
	}
	s.floats = append(s.floats, value)
	return &s.floats[len(s.floats)-1]
}
