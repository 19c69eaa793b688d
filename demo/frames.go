package demo

import (
	"context"
	"embed"
	"fmt"
	"math"
	"time"

	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/record"
)

//go:embed photos
var photos embed.FS

// The camera looks at five terminals beside each other, under a bus bar and over a row of breakers.
const (
	frameWide, frameTall = 32, 24
	terminals            = 5
	mainTerminal         = 2
	terminalRow          = 9.5
	reflectedAt          = 21.0
	painted              = 0.95 // emissivity of what it sees
)

// switchboardEye is how the frames of the switchboard are read.
var switchboardEye = frame.Eye{
	Width: frameWide, Height: frameTall, Emissivity: painted, Reflected: reflectedAt, Low: figure(-20),
	High: figure(150),
	Regions: []frame.Region{
		{Name: "spot", Shape: frame.Spot, Points: []frame.Point{{X: 16.5, Y: 9.5}}},
		{Name: "main-terminal", Shape: frame.Ellipse, Points: []frame.Point{{X: 13, Y: 6}, {X: 20, Y: 13}},
			Over: figure(45)},
		{Name: "others", Shape: frame.Rectangle, Points: []frame.Point{{X: 1, Y: 6}, {X: 12, Y: 13}}},
	},
	Differences: []frame.Contrast{{Name: "main-over-others", Of: "main-terminal", Less: "others", What: "highest"}},
}

func terminalAt(i int) float64 { return 4.5 + 6*float64(i) }

// truth is what the switchboard's temperature is at a place.
func (c clock) truth(at measure.Instant, x, y float64) float64 {
	room := 22 + 2*wave(at, day, -0.4)
	t := room + 0.03*y
	if y > 2.5 && y < 4.5 {
		t += 1.2 // the bus bar
	}
	if y > 13 && y < 20 {
		t += 1.6 * math.Exp(-math.Pow((math.Mod(x-1.5, 6)-3)/2.2, 2)) // breakers
	}
	for i := range terminals {
		over := 4 + 0.8*float64(i%2)
		if i == mainTerminal {
			over = c.terminal(at) - room
		}
		d2 := math.Pow(x-terminalAt(i), 2) + math.Pow(y-terminalRow, 2)
		t += over * math.Exp(-d2/5)
	}
	return t
}

// grid is what the camera tells: apparent temperatures to a hundredth of a degree, with its noise.
func (c clock) grid(at measure.Instant) *frame.Grid {
	g := &frame.Grid{Width: frameWide, Height: frameTall, Scale: 0.01, Counts: make([]int32, frameWide*frameTall)}
	for i := range g.Counts {
		x, y := float64(i%frameWide)+0.5, float64(i/frameWide)+0.5
		shown := frame.Apparent(c.truth(at, x, y), painted, reflectedAt) + 0.06*jitter(at, 1000+uint64(i))
		g.Counts[i] = int32(math.Round(100 * shown))
	}
	return g
}

// seen is the visible-light picture that the camera sends beside its frames.
func seen() []byte {
	picture, err := photos.ReadFile("photos/seen.jpg")
	if err != nil {
		return nil
	}
	return picture
}

// sentFrame is a frame as the camera sends it.
func (c clock) sentFrame(at measure.Instant) []byte {
	body, err := frame.EncodeJSON(frame.Shot{Grid: c.grid(at), At: at, Picture: seen()})
	if err != nil {
		return nil
	}
	return body
}

const (
	framesInFull  = 9 * 24 * time.Hour // before that, one an hour
	framesAtOnce  = 400
	picturedSince = 24 * time.Hour
)

// writeFramesOf stores the frames of the past, and what they tell.
func (s *Site) writeFramesOf(ctx context.Context, d device, until measure.Instant) (stored int, err error) {
	c := clock{begun: s.Memory.Begun}
	told := map[string]*record.Past{}
	var inOrder []*record.Past
	var frames []configure.PastFrame
	store := func() error {
		err := configure.ImportFrames(ctx, s.Inside, d.Name, frames)
		frames = frames[:0]
		return err
	}
	every := measure.Instant(d.Every.Milliseconds())
	for at := (s.Memory.HistorySince + every - 1) / every * every; at < until && ctx.Err() == nil; at += every {
		g := c.grid(at)
		for _, sample := range switchboardEye.Tell(g, at) {
			past := told[sample.Name]
			if past == nil {
				past = &record.Past{Signal: d.Name + "/" + sample.Name, Unit: sample.Unit, Kind: site.KindNumber}
				told[sample.Name], inOrder = past, append(inOrder, past)
			}
			past.Readings = append(past.Readings, measure.Reading{At: at, Value: sample.Value})
		}
		if at < until.Add(-framesInFull) && int64(at)%time.Hour.Milliseconds() != 0 {
			continue
		}
		one := configure.PastFrame{At: at, Grid: g}
		if at > until.Add(-picturedSince) {
			one.Picture = seen()
		}
		if frames = append(frames, one); len(frames) == framesAtOnce {
			if err := store(); err != nil {
				return stored, fmt.Errorf("frames of %s: %w", d.Name, err)
			}
		}
	}
	if err := store(); err != nil {
		return stored, fmt.Errorf("frames of %s: %w", d.Name, err)
	}
	for _, past := range inOrder {
		if _, err := record.Import(ctx, s.Inside, past); err != nil {
			return stored, fmt.Errorf("history of %s: %w", past.Signal, err)
		}
		stored += len(past.Readings)
	}
	return stored, ctx.Err()
}
