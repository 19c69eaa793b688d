package pipeline

import (
	"context"
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"

	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Frame is a thermal frame as it is stored, beside the samples that were told of it.
type Frame struct {
	Width    int     `json:"width"`
	Height   int     `json:"height"`
	Low      float64 `json:"low"`
	High     float64 `json:"high"`
	Doubtful int     `json:"doubtful"`
	Packed   []byte  `json:"packed"`
	Picture  []byte  `json:"picture,omitempty"` // visible light, made safe

	grid *frame.Grid
	at   measure.Instant
	eye  *frame.Eye // by which the samples were told
}

// NewFrame packs a grid and tells what an eye sees in it. A frame without a pixel that gave a temperature is refused.
func NewFrame(e *frame.Eye, g *frame.Grid, at measure.Instant) (*Frame, []measure.Sample, error) {
	if err := e.Fits(g); err != nil {
		return nil, nil, err
	}
	f := &Frame{Width: g.Width, Height: g.Height, Doubtful: e.LookAtAll(g).Doubtful, Packed: frame.Pack(g), grid: g, at: at, eye: e}
	if f.Low, f.High = g.Extent(); math.IsNaN(f.Low) {
		return nil, nil, &measure.Fault{Field: "frame", Reason: "has no pixel that gave a temperature"}
	}
	return f, e.Tell(g, at), nil
}

// retell tells a frame anew when the way in knew another eye than holds now.
func (t *Turn) retell(j *job, d *deviceLive) {
	f, now := j.pack.Frame, t.live.Eyes[d.ID]
	if f.grid == nil || reflect.DeepEqual(*f.eye, *now) {
		return
	}
	samples := now.Tell(f.grid, f.at)
	if j.pack.Sender.Person != "" {
		for i := range samples {
			samples[i].Name = d.Name + "/" + samples[i].Name
		}
	}
	j.pack.Samples, f.Doubtful = samples, now.LookAtAll(f.grid).Doubtful
}

// homeOf gives the device that a frame is of: the sender, or the one that a person's samples name; nil: there is none such.
func (t *Turn) homeOf(j *job, home *deviceLive) *deviceLive {
	if home != nil || len(j.pack.Samples) == 0 {
		return home
	}
	device, _, _ := strings.Cut(j.pack.Samples[0].Name, "/")
	return t.live.byName[device]
}

// fitFrame gives a device that has no eye one that fits its first frame, and tells when a frame is not of the size of those
// before.
func (t *Turn) fitFrame(d *deviceLive, f *Frame) error {
	if d == nil {
		return &measure.Fault{Field: "device", Reason: "there is no such device"}
	}
	e := t.live.Eyes[d.ID]
	if e != nil && e.Width != 0 {
		return e.Fits(&frame.Grid{Width: f.Width, Height: f.Height})
	}
	fresh := frame.Eye{}
	if e != nil {
		fresh = *e
	}
	fresh.Width, fresh.Height = f.Width, f.Height
	fresh.Settle()
	t.touched = true
	if err := t.Tx.SaveEye(t.ctx, d.ID, &fresh); err != nil {
		return err
	}
	t.live.Eyes[d.ID] = &fresh
	return t.signalsChanged()
}

// keepFrame stores a frame at the instant of its readings.
func (t *Turn) keepFrame(f *Frame, e *entry) error {
	return t.Tx.AddFrame(t.ctx, &frame.Frame{Device: e.signal.device.ID, At: e.at, Low: f.Low, High: f.High, Doubtful: f.Doubtful, Body: f.Packed, Picture: f.Picture})
}

// SetEye says how the frames of a device are read. It gives the regions and differences that are new, of which frames that are
// there can tell: see TellPast.
func (p *Pipeline) SetEye(ctx context.Context, device string, e *frame.Eye, who Actor) (fresh frame.Eye, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(device)
		if err != nil {
			return err
		}
		former := t.live.Eyes[d.ID]
		if e.Width, e.Height = 0, 0; former != nil {
			e.Width, e.Height = former.Width, former.Height
		}
		e.Settle()
		if err := e.Check(); err != nil {
			return err
		}
		if e.Reference != nil && (former == nil || former.Reference == nil || *former.Reference != *e.Reference) {
			if f, err := t.p.store.Frame(t.ctx, d.ID, *e.Reference); err != nil || f.At != *e.Reference {
				return &measure.Fault{Field: "reference", Reason: fmt.Sprintf("there is no frame of %s", *e.Reference)}
			}
		}
		t.touched = true
		for name, span := range e.Spans() {
			if err := t.setSpan(d.signals[name], span); err != nil {
				return err
			}
		}
		if err := t.Tx.SaveEye(t.ctx, d.ID, e); err != nil {
			return err
		}
		fresh = e.Fresh(former)
		fresh.Regions = slices.DeleteFunc(fresh.Regions, func(r frame.Region) bool { return d.signals[r.Name] != nil || d.signals[r.Name+"-highest"] != nil })
		fresh.Differences = slices.DeleteFunc(fresh.Differences, func(f frame.Contrast) bool { return d.signals[f.Name] != nil })
		if err := t.Enter("eye set", device, who.Called, eyeSays(device, e)); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
	return fresh, err
}

// setSpan gives a signal of frames the span of their camera.
func (t *Turn) setSpan(s *signalLive, span *measure.Span) error {
	if s == nil || s.derived != nil {
		return nil
	}
	if s.SpanLow, s.SpanHigh = nil, nil; span != nil {
		s.SpanLow, s.SpanHigh = span.Low, span.High
	}
	return t.Tx.SaveSignal(t.ctx, &s.Signal)
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

// TellPast lets new regions and differences of a device tell of the newest frames that are there: of 10,000 at most, and 200
// million pixels.
func (p *Pipeline) TellPast(ctx context.Context, device string, fresh *frame.Eye, who *site.Person) error {
	if len(fresh.Regions) == 0 && len(fresh.Differences) == 0 {
		return nil
	}
	d, err := p.store.Device(ctx, device, p.Now())
	if err != nil {
		return err
	}
	whole, err := p.EyeOf(ctx, device)
	if err != nil || whole == nil {
		return err
	}
	var told []measure.Sample
	before, pixels := p.Now()+1, 0
	for count := 0; count < tellFrames && pixels < tellPixels; {
		frames, err := p.store.NewestFrames(ctx, d.ID, before, tellAtOnce)
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
	sender := Sender{Person: who.Email, Protocol: "HTTP"}
	for part := range slices.Chunk(told, 2000) {
		if _, err := p.Submit(ctx, &Pack{Sender: sender, Arrived: p.Now(), Samples: part}); err != nil {
			return err
		}
	}
	return nil
}

// EyeOf gives how the frames of a device are read; nil: it has sent none, and nobody has said.
func (p *Pipeline) EyeOf(ctx context.Context, device string) (e *frame.Eye, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(device)
		if err != nil {
			return err
		}
		if found := t.live.Eyes[d.ID]; found != nil {
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

// ImportFrames stores past frames of a device straight: nothing is told of them, and no guard steps. Those that are there
// already stay.
func (p *Pipeline) ImportFrames(ctx context.Context, device string, frames []PastFrame) error {
	return p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(device)
		if err != nil {
			return err
		}
		for _, f := range frames {
			e := t.live.Eyes[d.ID]
			if e == nil {
				e = &frame.Eye{}
				e.Settle()
			}
			packed, _, err := NewFrame(e, f.Grid, f.At)
			if err != nil {
				return err
			}
			if err := t.fitFrame(d, packed); err != nil {
				return err
			}
			row := &frame.Frame{Device: d.ID, At: f.At, Low: packed.Low, High: packed.High, Doubtful: packed.Doubtful, Body: packed.Packed, Picture: f.Picture}
			if err := t.Tx.AddFrame(t.ctx, row); err != nil {
				return err
			}
		}
		return nil
	})
}
