package series

import (
	"encoding/binary"
	"math"

	"jauntylark/core/measure"
)

// mostInBody bounds what a body may claim to hold.
const mostInBody = 1 << 20

// Decode appends the readings of a block's body to readings. The error says that the body is broken.
func Decode(body []byte, readings []measure.Reading) ([]measure.Reading, error) {
	if len(body) == 0 || body[0] != bodyVersion {
		return readings, errBody
	}
	rest := body[1:]
	count, n := binary.Uvarint(rest)
	if n <= 0 || count == 0 || count > mostInBody {
		return readings, errBody
	}
	times, rest, ok := cutSection(rest[n:])
	if !ok {
		return readings, errBody
	}
	values, rest, ok := cutSection(rest)
	if !ok || times.form == timesEach && uint64(len(times.data)) < count || uint64(len(values.data)) < count {
		return readings, errBody
	}
	base := len(readings)
	if need := base + int(count); cap(readings) >= need {
		readings = readings[:need]
	} else {
		readings = append(readings, make([]measure.Reading, count)...)
	}
	to := readings[base:]
	clear(to)
	if !readTimes(times, to) || !readValues(values, to) || !readQualities(rest, to) {
		return readings[:base], errBody
	}
	return readings, nil
}

func cutSection(data []byte) (section, []byte, bool) {
	if len(data) == 0 {
		return section{}, nil, false
	}
	length, n := binary.Uvarint(data[1:])
	if n <= 0 || length > uint64(len(data)-1-n) {
		return section{}, nil, false
	}
	start := 1 + n
	return section{data[0], data[start : start+int(length)]}, data[start+int(length):], true
}

func readTimes(s section, to []measure.Reading) bool {
	first, n := binary.Varint(s.data)
	if n <= 0 {
		return false
	}
	data, at, step := s.data[n:], first, int64(0)
	to[0].At = measure.Instant(at)
	switch s.form {
	case timesEach:
		for i := 1; i < len(to); i++ {
			change, n := varint(data)
			if n <= 0 {
				return false
			}
			data = data[n:]
			step += change
			at += step
			to[i].At = measure.Instant(at)
		}
	case timesRuns:
		for i := 1; i < len(to); {
			change, n := varint(data)
			if n <= 0 {
				return false
			}
			times, m := binary.Uvarint(data[n:])
			if m <= 0 || times == 0 || times > uint64(len(to)-i) {
				return false
			}
			data = data[n+m:]
			run := to[i : i+int(times)]
			for k := range run {
				step += change
				at += step
				run[k].At = measure.Instant(at)
			}
			i += len(run)
		}
	default:
		return false
	}
	return len(data) == 0
}

// varint is binary.Varint with a short way for one byte.
func varint(data []byte) (int64, int) {
	if len(data) > 0 && data[0] < 0x80 {
		return int64(data[0]>>1) ^ -int64(data[0]&1), 1
	}
	return binary.Varint(data)
}

func readValues(s section, to []measure.Reading) bool {
	if s.form == valuesBits {
		return readBits(s.data, to)
	}
	if s.form < valuesDecimal || s.form > valuesDecimal+mostDecimals {
		return false
	}
	power, data, whole, next := powers[s.form-valuesDecimal], s.data, int64(0), 0
	for i := range to {
		if next >= len(data) {
			return false
		}
		change := int64(data[next]>>1) ^ -int64(data[next]&1)
		if data[next] < 0x80 {
			next++
		} else {
			var n int
			if change, n = binary.Varint(data[next:]); n <= 0 {
				return false
			}
			next += n
		}
		whole += change
		to[i].Value = float64(whole) / power
	}
	return next == len(data)
}

func readBits(data []byte, to []measure.Reading) bool {
	last := uint64(0)
	for i := range to {
		if len(data) == 0 {
			return false
		}
		before, after := int(data[0]>>4), int(data[0]&0xf)
		length := 8 - before - after
		if length < 0 || len(data) < 1+length || before > 8 {
			return false
		}
		differ := uint64(0)
		for _, b := range data[1 : 1+length] {
			differ = differ<<8 | uint64(b)
		}
		data = data[1+length:]
		last ^= differ << (8 * after)
		to[i].Value = math.Float64frombits(last)
	}
	return len(data) == 0
}

func readQualities(data []byte, to []measure.Reading) bool {
	if len(data) == 0 {
		return true
	}
	for i := 0; i < len(to); {
		quality, n := binary.Uvarint(data)
		if n <= 0 || quality > math.MaxUint16 {
			return false
		}
		times, m := binary.Uvarint(data[n:])
		if m <= 0 || times == 0 || times > uint64(len(to)-i) {
			return false
		}
		data = data[n+m:]
		for end := i + int(times); i < end; i++ {
			to[i].Quality = measure.Quality(quality)
		}
	}
	return len(data) == 0
}
