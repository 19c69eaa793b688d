package notify

import (
	"bytes"
	"context"
	"errors"
	"time"

	"jauntylark/chart"
	"jauntylark/core/alarm"
	"jauntylark/core/frame"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

const (
	frameWidth = 400
	frameNear  = time.Hour // a frame further from the alarm says nothing of it
)

// FrameOf draws the thermal frame that lies nearest to the raising of an alarm, with the regions that are looked at, as
// PNG; nil when the alarm's device sends none.
func FrameOf(ctx context.Context, s *store.Store, a alarm.Alarm, here site.Site) ([]byte, error) {
	device, _, err := site.SplitPath(a.Signal)
	if err != nil { // it is about a device, or about the service itself
		return nil, nil
	}
	eye, err := config.EyeOf(ctx, s, device)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	f, err := events.Frame(ctx, s, eye.Device, a.RaisedAt)
	if errors.Is(err, store.ErrNotFound) || err == nil && f.At.Sub(a.RaisedAt).Abs() > frameNear {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	g, err := frame.Unpack(f.Body)
	if err != nil {
		return nil, err
	}
	if g, err = eye.Eye.Seen(g); err != nil {
		return nil, err
	}
	palette, _ := frame.PaletteNamed(frame.Hearth)
	title := "Frame of " + f.At.Time().In(here.Location()).Format("2 January 15:04:05")
	var out bytes.Buffer
	err = chart.FramePNG(&out, chart.Shown{Grid: g, Title: title},
		chart.FrameLook{Palette: palette, Unit: here.Units.Of("Cel"), Regions: eye.Eye.Regions, Width: frameWidth})
	return out.Bytes(), err
}
