package chart

import (
	"bytes"
	"image/png"
	"regexp"
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
)

func day() (Span, []Panel) {
	span := Span{From: 1_790_000_000_000, Until: 1_790_086_400_000, Zone: time.UTC}
	p := Panel{Title: "Shed air", Unit: "Cel", Step: 0.1, Limits: []Limit{{30, "shed-hot"}},
		Alarms: []Shading{{span.From + 43_200_000, span.From + 50_000_000}}}
	for i := range 288 {
		at := span.From + measure.Instant(i)*300_000
		if i > 100 && i < 130 {
			continue // nothing came
		}
		p.Line = append(p.Line, measure.Reading{At: at, Value: 20 + float64(i%100)/9})
	}
	return span, []Panel{p, {Title: "Nothing", Unit: "V"},
		{Title: "Door", Steps: true, Line: []measure.Reading{{At: span.From, Value: 0},
			{At: span.Until - 1, Value: 1}}}}
}

func TestATerminalShowsLineLimitAlarmAndTimes(t *testing.T) {
	span, panels := day()
	var out bytes.Buffer
	Terminal{Width: 80, Height: 10}.Draw(&out, span, panels)
	text := out.String()
	for _, want := range []string{"Shed air: last 29.7 °C; lowest 20.0 °C at 14:13", "shed-hot", "alarm ", "━━",
		"╵18:00", "Nothing: no readings", "Door: now on", "off "} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is missing in\n%s", want, text)
		}
	}
	if !regexp.MustCompile(`(?m)^ +30 .*shed-hot *$`).MatchString(text) {
		t.Errorf("the axis does not say the limit beside its line:\n%s", text)
	}
	rows := strings.Split(text, "\n")
	for _, row := range rows {
		if n := len([]rune(row)); n > 100 {
			t.Errorf("a line has %d signs: %s", n, row)
		}
	}
	// In the gap nothing is drawn: the columns there are empty or a dotted limit.
	for _, row := range rows[1:11] {
		if gap := []rune(row)[9+27 : 9+30]; strings.Trim(string(gap), " ⠂") != "" {
			t.Errorf("something is drawn where nothing came: %q", string(gap))
		}
	}
	if strings.Contains(text, "\x1b") {
		t.Error("colours where there are none")
	}
}

// Readings of no use are hatched, and the summary says for how long.
func TestDoubtIsHatched(t *testing.T) {
	span, panels := day()
	var plain, hatched, out bytes.Buffer
	if err := PNG(&plain, span, panels[:1], Size{640, 200}); err != nil {
		t.Fatal(err)
	}
	panels[0].Doubts = []Shading{{span.From + 3_600_000, span.From + 5_400_000},
		{span.From - 7_200_000, span.From - 3_600_000}}
	if err := PNG(&hatched, span, panels[:1], Size{640, 200}); err != nil ||
		bytes.Equal(plain.Bytes(), hatched.Bytes()) {
		t.Error("the picture is the same", err)
	}
	Terminal{Width: 80, Height: 10}.Draw(&out, span, panels[:1])
	for _, want := range []string{"no use   ╱╱╱\n", "hatched: of no use for 30 minutes"} {
		if !strings.Contains(out.String(), want) {
			t.Errorf("%q is missing in\n%s", want, out.String())
		}
	}
}

func TestPicturesAreDrawn(t *testing.T) {
	span, panels := day()
	var file bytes.Buffer
	if err := PNG(&file, span, panels, Size{640, 200}); err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(&file)
	if err != nil || img.Bounds().Dx() != 640 || img.Bounds().Dy() != 600 {
		t.Fatal(img.Bounds(), err)
	}
	inked := 0
	for x := range 640 {
		for y := range 600 {
			if r, g, b, _ := img.At(x, y).RGBA(); r>>8 == 0x1d && g>>8 == 0x5f && b>>8 == 0x8a {
				inked++
			}
		}
	}
	if inked < 200 {
		t.Errorf("%d pixels of the line", inked)
	}
	if err := SVG(&file, span, panels, Size{640, 200}); err != nil || !strings.Contains(file.String(), "shed-hot") {
		t.Error(err)
	}
}

func TestTicksAreRound(t *testing.T) {
	dublin, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		t.Fatal(err)
	}
	for _, length := range []time.Duration{time.Minute, time.Hour, 24 * time.Hour, 7 * 24 * time.Hour,
		365 * 24 * time.Hour} {
		span := Span{From: 1_780_000_123_456, Zone: dublin}
		span.Until = span.From.Add(length)
		at, form := span.ticks(8)
		if len(at) < 3 || len(at) > 9 {
			t.Errorf("%v: %d ticks", length, len(at))
		}
		if local := at[0].Time().In(dublin); local.Nanosecond() != 0 || length > 24*time.Hour &&
			(local.Hour()%6 != 0 || local.Minute() != 0) {
			t.Errorf("%v: the first is at %v (%s)", length, local, form)
		}
	}
}

// Days on an axis begin at midnight by the clock, on both sides of a change of it.
func TestTicksFollowTheClock(t *testing.T) {
	dublin, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		t.Fatal(err)
	}
	span := Span{From: measure.InstantOf(time.Date(2026, 10, 20, 0, 0, 0, 0, dublin)),
		Until: measure.InstantOf(time.Date(2026, 10, 30, 0, 0, 0, 0, dublin)), Zone: dublin}
	at, _ := span.ticks(12)
	for _, tick := range at {
		if clock := tick.Time().In(dublin).Format("15:04"); clock != "00:00" {
			t.Errorf("a tick at %s", tick.Time().In(dublin))
		}
	}
	if len(at) != 11 {
		t.Errorf("%d ticks", len(at))
	}
}
