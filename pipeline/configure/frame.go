package configure

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// SetEye says how the frames of a device are read. It gives the regions and differences that are new, of which frames
// that are there can tell: see TellPast.
func SetEye(ctx context.Context, p *pipeline.Pipeline, device string, e *frame.Eye,
	who pipeline.Actor) (fresh frame.Eye, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(device)
		if err != nil {
			return err
		}
		former := t.Site.Eyes[d.ID]
		if e.Width, e.Height = 0, 0; former != nil {
			e.Width, e.Height = former.Width, former.Height
		}
		e.Settle()
		if err := e.Check(); err != nil {
			return err
		}
		if e.Reference != nil && (former == nil || former.Reference == nil || *former.Reference != *e.Reference) {
			if f, err := events.Frame(t.Ctx, t.Store, d.ID, *e.Reference); err != nil || f.At != *e.Reference {
				return &measure.Fault{Field: "reference", Reason: fmt.Sprintf("there is no frame of %s", *e.Reference)}
			}
		}
		t.ConfigChanged(d.Change())
		for name, span := range e.Spans() {
			if err := setSpan(t, d.Signals[name], span); err != nil {
				return err
			}
		}
		if err := config.SaveEye(t.Ctx, t.Tx, d.ID, e); err != nil {
			return err
		}
		fresh = e.Fresh(former)
		fresh.Regions = slices.DeleteFunc(fresh.Regions, func(r frame.Region) bool {
			return d.Signals[r.Name] != nil || d.Signals[r.Name+"-highest"] != nil
		})
		fresh.Differences = slices.DeleteFunc(fresh.Differences,
			func(f frame.Contrast) bool { return d.Signals[f.Name] != nil })
		if err := t.Enter("eye set", device, who.Called, eyeSays(device, e)); err != nil {
			return err
		}
		return nil
	})
	return fresh, err
}

// setSpan gives a signal of frames the span of their camera.
func setSpan(t *reading.Turn, s *memory.Signal, span *measure.Span) error {
	if s == nil || s.Derived != nil {
		return nil
	}
	if s.SpanLow, s.SpanHigh = nil, nil; span != nil {
		s.SpanLow, s.SpanHigh = span.Low, span.High
	}
	return config.SaveSignal(t.Ctx, t.Tx, &s.Signal)
}

func eyeSays(device string, e *frame.Eye) string {
	names := make([]string, len(e.Regions))
	for i := range e.Regions {
		names[i] = e.Regions[i].Name
	}
	text := fmt.Sprintf("Frames of %s are read with an emissivity of %v", device, e.Emissivity)
	if len(names) > 0 {
		text += "; looked at: " + strings.Join(names, ", ")
	}
	return text
}

// Limits of what is told of frames that are there already.
const (
	tellFrames = 10_000
	tellPixels = 200_000_000
	tellAtOnce = 200
)

// TellPast lets new regions and differences of a device tell of the newest frames that are there: of 10,000 at most,
// and 200 million pixels.
func TellPast(ctx context.Context, p *pipeline.Pipeline, device string, fresh *frame.Eye, who *site.Person) error {
	if len(fresh.Regions) == 0 && len(fresh.Differences) == 0 {
		return nil
	}
	d, err := config.Device(ctx, p.Store, device, p.Now())
	if err != nil {
		return err
	}
	whole, err := EyeOf(ctx, p, device)
	if err != nil || whole == nil {
		return err
	}
	var told []measure.Sample
	before, pixels := p.Now()+1, 0
	for count := 0; count < tellFrames && pixels < tellPixels; {
		frames, err := events.NewestFrames(ctx, p.Store, d.ID, before, tellAtOnce)
		if err != nil {
			return err
		}
		for i := range frames {
			g, err := frame.Unpack(frames[i].Body)
			if err != nil {
				return fmt.Errorf("the frame of %s at %s: %w", device, frames[i].At, err)
			}
			samples := whole.TellFresh(g, frames[i].At, fresh)
			slices.Reverse(samples)
			told, pixels, before = append(told, samples...), pixels+len(g.Counts), frames[i].At
		}
		if count += len(frames); len(frames) < tellAtOnce {
			break
		}
	}
	slices.Reverse(told)
	for i := range told {
		told[i].Name = device + "/" + told[i].Name
	}
	sender := credential.Sender{Person: who.Email, Protocol: "HTTP"}
	for part := range slices.Chunk(told, 2000) {
		if _, err := p.Submit(ctx, &reading.Pack{Sender: sender, Arrived: p.Now(), Samples: part}); err != nil {
			return err
		}
	}
	return nil
}

// EyeOf gives how the frames of a device are read; nil: it has sent none, and nobody has said.
func EyeOf(ctx context.Context, p *pipeline.Pipeline, device string) (e *frame.Eye, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(device)
		if err != nil {
			return err
		}
		if found := t.Site.Eyes[d.ID]; found != nil {
			copied := *found
			e = &copied
		}
		return nil
	})
	return e, err
}

// PastFrame is a frame of the past, to be stored straight.
type PastFrame struct {
	At      measure.Instant
	Grid    *frame.Grid
	Picture []byte // of visible light, made safe
}

// ImportFrames stores past frames of a device straight: nothing is told of them, and no guard steps. Those that are
// there already stay.
func ImportFrames(ctx context.Context, p *pipeline.Pipeline, device string, frames []PastFrame) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(device)
		if err != nil {
			return err
		}
		for _, f := range frames {
			e := t.Site.Eyes[d.ID]
			if e == nil {
				e = &frame.Eye{}
				e.Settle()
			}
			packed, _, err := reading.NewFrame(e, f.Grid, f.At)
			if err != nil {
				return err
			}
			if err := t.FitFrame(d, packed); err != nil {
				return err
			}
			row := &frame.Frame{Device: d.ID, At: f.At, Low: packed.Low, High: packed.High, Doubtful: packed.Doubtful,
				Body: packed.Packed, Picture: f.Picture}
			if err := events.AddFrame(t.Ctx, t.Tx, row); err != nil {
				return err
			}
		}
		return nil
	})
}
