package reading

import (
	"math"
	"reflect"
	"strings"

	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/pipeline/memory"
	"jauntylark/store/config"
	"jauntylark/store/events"
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
	f := &Frame{Width: g.Width, Height: g.Height, Doubtful: e.LookAtAll(g).Doubtful, Packed: frame.Pack(g), grid: g,
		at: at, eye: e}
	if f.Low, f.High = g.Extent(); math.IsNaN(f.Low) {
		return nil, nil, &measure.Fault{Field: "frame", Reason: "has no pixel that gave a temperature"}
	}
	return f, e.Tell(g, at), nil
}

// retell tells a frame anew when the way in knew another eye than holds now.
func (t *Turn) retell(j *Job, d *memory.Device) {
	f, now := j.In.Frame, t.Site.Eyes[d.ID]
	if f.grid == nil || reflect.DeepEqual(*f.eye, *now) {
		return
	}
	samples := now.Tell(f.grid, f.at)
	if j.In.Sender.Person != "" {
		for i := range samples {
			samples[i].Name = d.Name + "/" + samples[i].Name
		}
	}
	j.In.Samples, f.Doubtful = samples, now.LookAtAll(f.grid).Doubtful
}

// homeOf gives the device that a frame is of: the sender, or the one that a person's samples name; nil: there is none
// such.
func (t *Turn) homeOf(j *Job, home *memory.Device) *memory.Device {
	if home != nil || len(j.In.Samples) == 0 {
		return home
	}
	device, _, _ := strings.Cut(j.In.Samples[0].Name, "/")
	return t.Site.Named[device]
}

// FitFrame gives a device that has no eye one that fits its first frame, and tells when a frame is not of the size of
// those before.
func (t *Turn) FitFrame(d *memory.Device, f *Frame) error {
	if d == nil {
		return &measure.Fault{Field: "device", Reason: "there is no such device"}
	}
	e := t.Site.Eyes[d.ID]
	if e != nil && e.Width != 0 {
		return e.Fits(&frame.Grid{Width: f.Width, Height: f.Height})
	}
	fresh := frame.Eye{}
	if e != nil {
		fresh = *e
	}
	fresh.Width, fresh.Height = f.Width, f.Height
	fresh.Settle()
	t.ConfigTaken(d.Change())
	if err := config.SaveEye(t.Ctx, t.Tx, d.ID, &fresh); err != nil {
		return err
	}
	t.Site.Eyes[d.ID] = &fresh
	return nil
}

// keepFrame stores a frame at the instant of its readings.
func (t *Turn) keepFrame(f *Frame, e *memory.Reading) error {
	return events.AddFrame(t.Ctx, t.Tx, &frame.Frame{Device: e.Signal.Home.ID, At: e.At, Low: f.Low, High: f.High,
		Doubtful: f.Doubtful, Body: f.Packed, Picture: f.Picture})
}
