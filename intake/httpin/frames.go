package httpin

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/intake/admission"
)

// MaxFrame is how long the body of a frame may be, with a picture beside it, in bytes.
const MaxFrame = 16 << 20

// ReceiveFrame takes a thermal frame: as the body, or as the part "frame" of multipart/form-data (RFC 7578) beside the
// part "picture". It answers as Receive does.
func (w *Way) ReceiveFrame(c *echo.Context) error {
	r := c.Request()
	v, err := w.visit(c)
	if err != nil {
		return answerError(c, err)
	}
	v.Frame = &admission.FrameVisit{Device: r.Header.Get(api.DeviceHeader)}
	if v.IdempotencyKey, err = idempotencyKey(r); err != nil {
		return answerError(c, err)
	}
	if at := r.URL.Query().Get("at"); at != "" {
		if err := v.Frame.At.UnmarshalText([]byte(at)); err != nil || v.Frame.At <= 0 {
			return answerError(c, &measure.Fault{Field: "at",
				Reason: fmt.Sprintf("%.40q is not a time; write it like 2026-03-01T14:05:00Z (RFC 3339)", at)})
		}
	}
	give, err := w.roomFor(c, v.Sender, MaxFrame)
	if err != nil {
		return answerError(c, err)
	}
	defer give()
	if v.Body, err = readBody(c, MaxFrame); err != nil {
		return answerError(c, err)
	}
	if kind, parameters, err := mime.ParseMediaType(v.ContentType); err == nil && kind == "multipart/form-data" {
		if err := readParts(v, parameters["boundary"]); err != nil {
			return answerError(c, err)
		}
	}
	result, err := w.Admission.Receive(r.Context(), v)
	return received(c, result, err, func(first measure.Refusal) string {
		return fmt.Sprintf("Nothing of the frame was taken. %s: %s", first.Signal, first.Reason)
	})
}

// readParts takes frame and picture out of a form.
func readParts(v *admission.Visit, boundary string) error {
	in := multipart.NewReader(bytes.NewReader(v.Body), boundary)
	v.Body = nil
	for {
		part, err := in.NextPart()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return fmt.Errorf("the form cannot be read: %w", err)
		}
		body, err := io.ReadAll(part)
		if err != nil {
			return fmt.Errorf("the form cannot be read: %w", err)
		}
		switch part.FormName() {
		case "frame":
			v.Body, v.ContentType = body, part.Header.Get("Content-Type")
		case "picture":
			v.Frame.Picture = body
		default:
			return &measure.Fault{Field: part.FormName(), Reason: "is no part of a frame; parts are frame and picture"}
		}
	}
	if v.Body == nil {
		return &measure.Fault{Field: "frame", Reason: "is missing in the form"}
	}
	return nil
}
