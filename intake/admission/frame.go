package admission

import (
	"fmt"

	"jauntylark/core/board"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/pipeline/reading"
)

// FrameVisit says what stands beside a thermal frame.
type FrameVisit struct {
	Device  string          // of a person: whose frame it is
	At      measure.Instant // when it was taken, where the frame itself does not say; 0: now
	Picture []byte          // of visible light, beside it; nil: none, or in the frame itself
}

// readFrame reads a frame's body and tells what is seen in it.
func (p *Pending) readFrame() error {
	v := p.visit
	directory, _ := p.control.Look()
	device := p.who.Device
	if v.Person != "" {
		if device = directory.ByName[v.Frame.Device]; device == nil {
			return &measure.Fault{Field: "device",
				Reason: fmt.Sprintf("there is no device %q; name it in the header Jaunty-Device", v.Frame.Device)}
		}
	}
	eye := &frame.Eye{}
	eye.Settle()
	if device != nil && directory.Eyes[device.ID] != nil {
		eye = directory.Eyes[device.ID]
	}
	shot, err := frame.Decode(v.ContentType, v.Body, eye)
	if err != nil {
		return err
	}
	if shot.At == 0 {
		shot.At = v.Frame.At
	}
	if shot.Picture == nil {
		shot.Picture = v.Frame.Picture
	}
	var picture []byte
	if len(shot.Picture) > 0 {
		made, err := board.NewPhoto("", shot.Picture)
		if err != nil {
			return err
		}
		picture = made.Body
	}
	if p.frame, v.Samples, err = reading.NewFrame(eye, shot.Grid, shot.At); err != nil {
		return err
	}
	p.frame.Picture, v.Body = picture, nil
	if v.Person != "" {
		for i := range v.Samples {
			v.Samples[i].Name = device.Name + "/" + v.Samples[i].Name
		}
	}
	return nil
}
