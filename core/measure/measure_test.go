package measure

import (
	"encoding/json"
	"math"
	"strings"
	"testing"
	"time"

	"jauntylark/core/prose"
)

// Reference points: SI brochure 9th edition (Celsius, hour), NIST SP 811 appendix B.8 (Fahrenheit,
// inch, foot), definitions of bar and kilowatt-hour.
func TestConvertKnownValues(t *testing.T) {
	for _, c := range []struct {
		value    float64
		from, to Unit
		want     float64
	}{
		{68, "[degF]", "Cel", 20}, {-40, "Cel", "[degF]", -40}, {0, "Cel", "K", 273.15}, {1, "bar", "hPa", 1000},
		{1, "kWh", "J", 3.6e6}, {12, "[in_i]", "[ft_i]", 1}, {50, "%", "/", 0.5}, {400, "ppm", "%", 0.04},
		{36, "km/h", "m/s", 10}, {3.6, "m3/h", "l/s", 1}, {30, "dBm", "dBW", 0},
	} {
		got, err := Convert(c.value, c.from, c.to)
		if err != nil || math.Abs(got-c.want) > 1e-9*max(1, math.Abs(c.want)) {
			t.Errorf("%v %s in %s = %v, %v; want %v", c.value, c.from, c.to, got, err, c.want)
		}
	}
	for _, pair := range [][2]Unit{{"Cel", "Pa"}, {"%RH", "%"}, {"", "Cel"}, {"furlong", "m"}} {
		if got, err := Convert(1, pair[0], pair[1]); err == nil {
			t.Errorf("%s in %s = %v; want an error", pair[0], pair[1], got)
		}
	}
}

func TestConvertThereAndBack(t *testing.T) {
	for from, f := range units {
		for to, g := range units {
			if f.dimension != g.dimension {
				continue
			}
			there, err := Convert(12.5, from, to)
			if err != nil {
				t.Fatal(err)
			}
			if back, _ := Convert(there, to, from); math.Abs(back-12.5) > 1e-6 {
				t.Errorf("12.5 %s to %s and back is %v", from, to, back)
			}
		}
	}
}

func TestFigure(t *testing.T) {
	for _, c := range []struct {
		value float64
		unit  Unit
		want  string
	}{{31.2000001, "Cel", "31.2 °C"}, {0, "", "0"}, {math.Copysign(0, -1), "", "0"}, {1234567, "Pa", "1234570 Pa"},
		{0.1 + 0.2, "V", "0.3 V"}, {1e-9, "", "1e-09"}, {3, "count", "3"}} {
		if got := Figure(c.value, c.unit); got != c.want {
			t.Errorf("Figure(%v, %s) = %q, want %q", c.value, c.unit, got, c.want)
		}
	}
}

func TestDurationText(t *testing.T) {
	for text, want := range map[string]Duration{"10s": 10e9, "1m30s": 90e9, "2h": 7200e9, "3d": 3 * 86400e9,
		"1d12h": 36 * 3600e9, "0s": 0, "250ms": 25e7} {
		got, err := ParseDuration(text)
		if err != nil || got != want {
			t.Errorf("ParseDuration(%q) = %v, %v", text, got, err)
		}
		if again := got.String(); again != text {
			t.Errorf("%q is written back as %q", text, again)
		}
	}
	for text, want := range map[string]Duration{"PT1M30S": 90e9, "P3D": 3 * 86400e9, "P1W": 7 * 86400e9, "PT0S": 0,
		"P1DT12H": 36 * 3600e9, "PT0.25S": 25e7, "PT0,25S": 25e7, "PT90M": 5400e9} {
		if got, err := ParseDuration(text); err != nil || got != want {
			t.Errorf("ParseDuration(%q) = %v, %v", text, got, err)
		}
	}
	for _, bad := range []string{"", "10", "-1s", "ten", "1.5d", "-1d", "d", "P", "PT", "P1Y", "P1M", "P1DT", "PT1S1M", "p1d",
		"PT-1S", "P99999999999D"} {
		if got, err := ParseDuration(bad); err == nil {
			t.Errorf("ParseDuration(%q) = %v; want an error", bad, got)
		}
	}
}

// In JSON a length of time is a number of seconds; what people write is read too.
func TestDurationInJSON(t *testing.T) {
	for text, want := range map[string]Duration{"90": 90e9, "0.25": 25e7, `"1m30s"`: 90e9, `"PT1M30S"`: 90e9, "1e3": 1000e9,
		"0": 0, "604800": 7 * 86400e9} {
		var d Duration
		if err := json.Unmarshal([]byte(text), &d); err != nil || d != want {
			t.Errorf("%s is read as %v: %v", text, d, err)
		}
		var again Duration
		out, err := json.Marshal(d)
		if err != nil || json.Unmarshal(out, &again) != nil || again != d || out[0] == '"' {
			t.Errorf("%v is written as %s: %v", d, out, err)
		}
	}
	for _, bad := range []string{`"90"`, "-1", "true", "[]", `""`, "1e300", "{}"} {
		var d Duration
		if err := json.Unmarshal([]byte(bad), &d); err == nil {
			t.Errorf("%s is read as %v", bad, d)
		}
	}
	for m, want := range map[Millis]string{1500: "1.5", -20: "-0.02", 0: "0", 3_600_000: "3600", 1: "0.001"} {
		var again Millis
		out, err := json.Marshal(m)
		if err != nil || string(out) != want || json.Unmarshal(out, &again) != nil || again != m {
			t.Errorf("%d ms are written as %s and read as %d: %v", m, out, again, err)
		}
	}
}

func FuzzDuration(f *testing.F) {
	f.Add("1d2h3m4.5s")
	f.Fuzz(func(t *testing.T, text string) {
		d, err := ParseDuration(text)
		if err != nil {
			return
		}
		if again, err := ParseDuration(d.String()); err != nil || again != d {
			t.Fatalf("%q reads as %d, is written %q and read again as %d, %v", text, d, d, again, err)
		}
	})
}

func TestInstantText(t *testing.T) {
	i := InstantOf(time.Date(2026, 3, 1, 14, 5, 0, 123456789, time.FixedZone("", 3600)))
	data, err := json.Marshal(i)
	if err != nil || string(data) != `"2026-03-01T13:05:00.123Z"` {
		t.Fatalf("%s %v", data, err)
	}
	var back Instant
	if err := json.Unmarshal(data, &back); err != nil || back != i {
		t.Fatalf("%v %v", back, err)
	}
	if json.Unmarshal([]byte(`"yesterday"`), &back) == nil {
		t.Error("read a time from 'yesterday'")
	}
}

func TestQuality(t *testing.T) {
	q := Late | Clock
	data, _ := json.Marshal(q)
	var back Quality
	if err := json.Unmarshal(data, &back); string(data) != `["late","clock"]` || err != nil || back != q {
		t.Fatalf("%s %v %v", data, back, err)
	}
	if json.Unmarshal([]byte(`["odd"]`), &back) == nil {
		t.Error("took an unknown mark")
	}
	if data, _ := json.Marshal(Quality(0)); string(data) != "[]" {
		t.Errorf("good is written %s", data)
	}
	for mark, usable := range map[Quality]bool{0: true, Late: true, Clock: true, Corrected: true, Implausible: false,
		Warming: false, Stuck: false, Drill: false, Late | Stuck: false} {
		if mark.Usable() != usable {
			t.Errorf("%v usable: %v", mark, mark.Usable())
		}
	}
}

func TestBytesAreWrittenForPeople(t *testing.T) {
	for n, want := range map[int64]string{0: "0 B", 999: "999 B", 1000: "1.0 kB", 9949: "9.9 kB", 9951: "10 kB",
		31_000: "31 kB", 999_400: "999 kB", 999_600: "1.0 MB",
		1_234_000_000: "1.2 GB", 31e9: "31 GB", 4e12: "4.0 TB", 5e15: "5.0 PB"} {
		if got := prose.Bytes(n); got != want {
			t.Errorf("%d: %s, want %s", n, got, want)
		}
	}
}

func TestQualitiesAreReadAsTheyAreWritten(t *testing.T) {
	for q := range Quality(1 << MarkCount) {
		got, err := ParseQuality(q.String())
		if err != nil || got != q {
			t.Fatalf("%v is read as %v: %v", q, got, err)
		}
	}
	if q, err := ParseQuality(""); err != nil || q != 0 {
		t.Error(q, err)
	}
	if _, err := ParseQuality("late,later"); err == nil || !strings.Contains(err.Error(), `"later"`) ||
		!strings.Contains(err.Error(), "drill") {
		t.Error(err)
	}
}

func TestDegreesAreConvertedToTheLastDigit(t *testing.T) {
	for _, c := range []struct {
		from, to Unit
		v, want  float64
	}{
		{"[degF]", "Cel", 68, 20}, {"[degF]", "Cel", 50, 10}, {"[degF]", "Cel", 32, 0}, {"[degF]", "Cel", 98.6, 37},
		{"[degF]", "Cel", -40, -40}, {"[degF]", "Cel", 71.3, 21.833333333},
		{"Cel", "[degF]", 0, 32}, {"Cel", "[degF]", 100, 212}, {"Cel", "K", 20.1, 293.25}, {"K", "Cel", 0, -273.15},
		{"kPa", "hPa", 101.3, 1013},
	} {
		if got, err := Convert(c.v, c.from, c.to); err != nil || got != c.want {
			t.Errorf("%v %s is %v %s, want %v: %v", c.v, c.from, got, c.to, c.want, err)
		}
	}
}
