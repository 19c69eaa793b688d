package frame

import (
	"bytes"
	"errors"
	"fmt"
	"mime"
	"strings"

	"jauntylark/core/measure"
)

// The formats that frames are sent in.
const (
	CSV  = "text/csv"
	JSON = "application/json"
	CBOR = "application/cbor"
	PGM  = "image/x-portable-graymap"
)

// MediaTypes lists them.
var MediaTypes = []string{CSV, JSON, CBOR, PGM}

// ErrMediaType says that a body is in a format that is not read.
var ErrMediaType = errors.New("the content type is not one of a frame")

// Shot is a frame as it was sent: the grid in °C, when it was taken, and the visible-light picture beside it.
type Shot struct {
	Grid    *Grid
	At      measure.Instant // 0: the sender gave no time
	Picture []byte          // PNG, JPEG or WebP; none: nil
}

// head is what stands beside the numbers.
type head struct {
	at            measure.Instant
	scale, offset *float64
	unit          measure.Unit
}

// finish brings a grid into °C, by its head and, where that does not say, by the eye.
func (h *head) finish(g *Grid, counts bool, usual *Eye) error {
	if counts || h.scale != nil || h.offset != nil {
		scale, offset := usual.Scale, usual.Offset
		if h.scale != nil {
			scale, offset = *h.scale, 0
		}
		if h.offset != nil {
			offset = *h.offset
		}
		if !(scale > 0) {
			return fault("scale", "%v is not above 0", scale)
		}
		g.Scale, g.Offset = g.Scale*scale, offset
	}
	unit := h.unit
	if unit == "" {
		unit = usual.Unit
	}
	if err := g.in(unit); err != nil {
		return err
	}
	if low, high := g.Extent(); low < -farOff || high > farOff {
		return fault("scale", "makes temperatures from %v to %v °C of the counts; none is that far off", low, high)
	}
	return nil
}

// farOff is a temperature that no camera tells, in °C.
const farOff = 100_000

// Decode reads a frame in one of the formats; an empty content type is guessed. What the frame does not say of scale,
// offset and unit is taken from the eye, which must be settled. The error is ErrMediaType, or a *measure.Fault that
// names the field.
func Decode(contentType string, body []byte, usual *Eye) (Shot, error) {
	kind, _, err := mime.ParseMediaType(contentType)
	if err != nil || kind == "text/plain" || kind == "application/octet-stream" {
		kind = guess(body)
	}
	switch kind {
	case CSV:
		return decodeCSV(body, usual)
	case JSON:
		return decodeJSON(body, usual)
	case CBOR:
		return decodeCBOR(body, usual)
	case PGM, "image/pgm", "image/x-portable-anymap":
		return decodePGM(body, usual)
	}
	return Shot{}, fmt.Errorf("%w: it is %q; send one of %s", ErrMediaType, contentType, strings.Join(MediaTypes, ", "))
}

// guess gives the format of a body whose sender could not say it.
func guess(body []byte) string {
	trimmed := bytes.TrimSpace(body)
	switch {
	case bytes.HasPrefix(body, []byte("P5")) || bytes.HasPrefix(body, []byte("P2")):
		return PGM
	case len(body) > 0 && body[0]>>5 == 5: // RFC 8949 section 3.1: a map
		return CBOR
	case bytes.HasPrefix(trimmed, []byte("{")):
		return JSON
	}
	return CSV
}

// set reads a field of a head that is written as text, as comments of CSV and PGM have it.
func (h *head) set(name, text string) error {
	var err error
	switch name {
	case "at":
		if err = h.at.UnmarshalText([]byte(text)); err != nil || h.at <= 0 {
			return fault("at", "%.40q is not a time; write it like 2026-03-01T14:05:00Z (RFC 3339)", text)
		}
	case "unit":
		h.unit = measure.Unit(text)
	case "scale":
		h.scale, err = number(name, text)
	case "offset":
		h.offset, err = number(name, text)
	}
	return err
}

// comment reads "at=2026-03-01T14:05:00Z scale=0.01"; what else stands in a comment is of no meaning.
func (h *head) comment(text string) error {
	for _, word := range strings.Fields(text) {
		if name, value, found := strings.Cut(word, "="); found {
			if err := h.set(strings.ToLower(name), value); err != nil {
				return err
			}
		}
	}
	return nil
}
