package measure

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// Instant is a point in time: milliseconds since 1970-01-01T00:00:00Z. The zero Instant stands for
// "no instant" wherever one is optional.
type Instant int64

// rfc3339Milli is RFC 3339 in UTC with exactly three decimals, so that texts sort as instants do.
const rfc3339Milli = "2006-01-02T15:04:05.000Z"

// InstantOf is the instant that t falls in, cut to the millisecond.
func InstantOf(t time.Time) Instant { return Instant(t.UnixMilli()) }

// Time is the instant as a time in UTC.
func (i Instant) Time() time.Time { return time.UnixMilli(int64(i)).UTC() }

// Add moves the instant by d, cut to the millisecond.
func (i Instant) Add(d time.Duration) Instant { return i + Instant(d.Milliseconds()) }

// Sub is the time from o to i.
func (i Instant) Sub(o Instant) time.Duration { return time.Duration(i-o) * time.Millisecond }

// String is the instant as RFC 3339 in UTC with milliseconds.
func (i Instant) String() string { return i.Time().Format(rfc3339Milli) }

// MarshalText writes RFC 3339 in UTC.
func (i Instant) MarshalText() ([]byte, error) { return []byte(i.String()), nil }

// UnmarshalText reads RFC 3339 with any offset.
func (i *Instant) UnmarshalText(text []byte) error {
	t, err := time.Parse(time.RFC3339Nano, string(text))
	if err != nil {
		return fmt.Errorf("%q is not a time; write it like 2026-03-01T14:05:00Z (RFC 3339)", text)
	}
	*i = InstantOf(t)
	return nil
}

// Duration is a length of time. People write it as text: 10s, 1m30s, 2h, 3d; in JSON it is a number of seconds.
type Duration time.Duration

// ParseDuration reads what Duration writes, and ISO 8601 (PT1M30S, P3D) without years and months, whose length differs;
// a day (d, D) counts 24 hours. It takes no negative length, and no number without a unit: people mean minutes by it.
func ParseDuration(text string) (Duration, error) {
	if strings.HasPrefix(text, "P") {
		return parseISO(text)
	}
	rest, days := text, int64(0)
	if head, tail, found := strings.Cut(text, "d"); found {
		n, err := strconv.ParseInt(head, 10, 32)
		if err != nil {
			return 0, badDuration(text)
		}
		days, rest = n, tail
	}
	d := time.Duration(0)
	if rest != "" {
		var err error
		if d, err = time.ParseDuration(rest); err != nil {
			return 0, badDuration(text)
		}
	} else if text == "" {
		return 0, badDuration(text)
	}
	d += time.Duration(days) * 24 * time.Hour
	if d < 0 || days < 0 {
		return 0, fmt.Errorf("%q is negative; a duration is 0s or longer", text)
	}
	return Duration(d), nil
}

func badDuration(text string) error {
	return fmt.Errorf("%q is not a duration; write it like 10s, 1m30s, 2h or 3d", text)
}

// String writes the duration without empty parts: 90 s is 1m30s, 48 h is 2d.
func (d Duration) String() string {
	std := time.Duration(d)
	if std == 0 {
		return "0s"
	}
	text := ""
	if days := std / (24 * time.Hour); days > 0 {
		text, std = fmt.Sprintf("%dd", days), std%(24*time.Hour)
	}
	if std == 0 {
		return text
	}
	rest := std.String()
	if strings.HasSuffix(rest, "m0s") {
		rest = strings.TrimSuffix(rest, "0s")
	}
	if strings.HasSuffix(rest, "h0m") {
		rest = strings.TrimSuffix(rest, "0m")
	}
	return text + rest
}

// isoDuration is a duration of ISO 8601-1:2019, 5.5.2.
var isoDuration = regexp.MustCompile(`^P(?:(\d+)W)?(?:(\d+)D)?(T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:[.,]\d+)?)S)?)?$`)

func parseISO(text string) (Duration, error) {
	parts := isoDuration.FindStringSubmatch(text)
	if parts == nil || strings.HasSuffix(text, "P") || strings.HasSuffix(text, "T") {
		return 0, badDuration(text)
	}
	seconds := 0.0
	for i, unit := range map[int]float64{1: 7 * 86400, 2: 86400, 4: 3600, 5: 60, 6: 1} {
		if parts[i] != "" {
			n, _ := strconv.ParseFloat(strings.Replace(parts[i], ",", ".", 1), 64)
			seconds += n * unit
		}
	}
	return durationOf(seconds, text)
}

// durationOf gives a number of seconds as a duration, to the nanosecond.
func durationOf(seconds float64, text string) (Duration, error) {
	switch {
	case seconds < 0:
		return 0, fmt.Errorf("%q is negative; a duration is 0s or longer", text)
	case !(seconds < math.MaxInt64/1e9):
		return 0, badDuration(text)
	}
	return Duration(math.Round(seconds * 1e9)), nil
}

// MarshalJSON writes the duration as a number of seconds.
func (d Duration) MarshalJSON() ([]byte, error) {
	return strconv.AppendFloat(nil, time.Duration(d).Seconds(), 'f', -1, 64), nil
}

// UnmarshalJSON reads a number of seconds, or a text as ParseDuration does.
func (d *Duration) UnmarshalJSON(raw []byte) (err error) {
	text := string(raw)
	switch {
	case text == "null":
		return nil
	case text[0] == '"':
		if err = json.Unmarshal(raw, &text); err != nil {
			return err
		}
		*d, err = ParseDuration(text)
		return err
	}
	var seconds float64
	if err = json.Unmarshal(raw, &seconds); err != nil {
		return badDuration(text)
	}
	*d, err = durationOf(seconds, text)
	return err
}

// UnmarshalYAML reads, in files that people write, a number of seconds or a text as ParseDuration does.
func (d *Duration) UnmarshalYAML(read func(any) error) (err error) {
	var said any
	if err = read(&said); err != nil {
		return err
	}
	switch said := said.(type) {
	case nil:
		return nil
	case string:
		*d, err = ParseDuration(said)
	case float64:
		*d, err = durationOf(said, fmt.Sprint(said))
	case uint64:
		*d, err = durationOf(float64(said), fmt.Sprint(said))
	default:
		err = badDuration(fmt.Sprint(said))
	}
	return err
}

// MarshalText writes the duration as String does.
func (d Duration) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText reads the duration as ParseDuration does.
func (d *Duration) UnmarshalText(text []byte) (err error) {
	*d, err = ParseDuration(string(text))
	return err
}

// FarAhead is beyond every reading: they are at most a day ahead.
const FarAhead = 25 * time.Hour

// Millis is a length of time that was found out, in milliseconds; it may be negative. In JSON it is a number of seconds.
type Millis int64

// MarshalJSON writes the length as a number of seconds.
func (m Millis) MarshalJSON() ([]byte, error) {
	return strconv.AppendFloat(nil, float64(m)/1000, 'f', -1, 64), nil
}

// UnmarshalJSON reads a number of seconds.
func (m *Millis) UnmarshalJSON(raw []byte) error {
	var seconds float64
	if err := json.Unmarshal(raw, &seconds); err != nil {
		return err
	}
	*m = Millis(math.Round(seconds * 1000))
	return nil
}
