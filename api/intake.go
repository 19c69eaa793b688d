package api

import (
	"net/http"

	"jauntylark/core/drive"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Accepted is what a service says of a pack that it took in part.
type Accepted struct {
	Accepted int               `json:"accepted"`
	Refused  []measure.Refusal `json:"rejected"`
}

// Kept is what a service says of a pack of a device that nobody knows yet.
type Kept struct {
	Arrival string            `json:"arrival" enum:"waiting" doc:"it waits to be let in"`
	Kept    int               `json:"kept" doc:"readings that are kept until then"`
	Refused []measure.Refusal `json:"rejected" nullable:"false"`
}

// ToDevice is what a device is ordered: its settings, and its outputs where it asks for them.
type ToDevice struct {
	site.Order
	Outputs map[string]drive.OutputOrder `json:"outputs,omitempty" doc:"what each output is ordered"`
}

// Operations of devices, with their keys.
var (
	SendReadings = define[SendReadingsIn, File](keeper, "send-readings",
		"POST /intake", "Send readings", keyed,
		detail("A device sends with its key, a person of role keeper with a token. The answer comes after the commit."),
		brings(
			jsonOf[[]any]("application/senml+json").saying("SenML pack, RFC 8428").like(
				[]any{map[string]any{"bn": "greenhouse-door/", "n": "temp", "u": "Cel", "v": 21.5}}),
			jsonOf[any]("application/json").saying(
				"an object of signal names and values, with at for the time, or an array of such").like(
				map[string]any{"temp": 21.5, "door": true, "at": "2026-03-01T14:05:00Z"}),
			bytesOf("application/senml+cbor").saying("SenML pack in CBOR, RFC 8428 section 6"),
			textOf("text/csv", "lines under the header at,signal,value, and optionally unit and text").like(
				"at,signal,value\n2026-03-01T14:05:00Z,temp,21.5\n")),
		gives(jsonOf[Accepted]("application/json")),
		answers(http.StatusNoContent, "all taken and committed, or held before"), answers(http.StatusOK, "some taken"),
		answersWith(http.StatusAccepted, "nobody knows the device yet; what it sent is kept until it is let in",
			jsonOf[Kept]("application/json")),
		answers(http.StatusBadRequest, "the body is not what its content type says"),
		answers(http.StatusForbidden, "the device was turned away, or has a key of its own"),
		answers(http.StatusUnauthorized, "the key is not known"),
		answers(http.StatusRequestEntityTooLarge, "too long"), answers(http.StatusUnsupportedMediaType,
			"a content type that is not read"),
		answers(http.StatusUnprocessableEntity, "none taken; rejected says why"),
		answers(http.StatusTooManyRequests, "too fast, or too many unknown keys; Retry-After says when to send again"),
		answers(http.StatusServiceUnavailable, "the database is away; Retry-After says when to send again"))
	SendFrame = define[SendFrameIn, File](keeper, "send-frame",
		"POST /intake/frames", "Send a thermal frame", keyed,
		detail("A device sends with its key, a person of role keeper with a token and the device's name in the "+
			"header Jaunty-Device. See docs/frames.md for the formats. The answer comes after the commit."),
		brings(textOf(frame.CSV, ""), jsonOf[any](frame.JSON), bytesOf(frame.CBOR), bytesOf(frame.PGM),
			jsonOf[FrameParts]("multipart/form-data")),
		gives(jsonOf[Accepted]("application/json")),
		answers(http.StatusNoContent, "taken"), answers(http.StatusOK,
			"taken, but for the signals that rejected names"),
		answersWith(http.StatusAccepted, "kept until the device is let in", jsonOf[Kept]("application/json")),
		answers(http.StatusUnauthorized, "the key is not known"),
		answers(http.StatusRequestEntityTooLarge, "too long"), answers(http.StatusUnsupportedMediaType,
			"a format that is not read"),
		answers(http.StatusUnprocessableEntity, "it is no frame, or none of this device's size; nothing is kept"))
	GetOrders = define[GetOrdersIn, File](nobody, "get-orders",
		"GET /intake/orders", "What a device is ordered to do", keyed,
		detail("Answers when something is newer than what the device says that it knows, at once or within the wait. "+
			"A device with outputs says the newest order that it knows; it is answered with all of them after half "+
			"of the time for which the shortest holds, which renews them."),
		gives(jsonOf[ToDevice]("application/json")),
		answers(http.StatusOK, "the newest order"), answers(http.StatusNoContent, "no newer order came"),
		answers(http.StatusBadRequest, "the query cannot be read"),
		answers(http.StatusUnauthorized, "the key is not known"))
	ConfirmOrders = define[OfDevice, File](nobody, "confirm-orders",
		"PUT /intake/orders", "Say what a device runs", keyed, brings(jsonOf[site.Report]("application/json")),
		answers(http.StatusNoContent, "noted"), answers(http.StatusUnauthorized, "the key is not known"),
		answers(http.StatusUnprocessableEntity, "a version that was never ordered"))
	ConfirmOutput = define[ConfirmOutputIn, File](nobody, "confirm-output",
		"PUT /intake/outputs/{output}", "Say what an output does", keyed,
		brings(jsonOf[drive.OutputReport]("application/json")),
		detail("After each order that the device gets, renewals too. The body may be the word alone."),
		answers(http.StatusNoContent, "noted"), answers(http.StatusUnauthorized, "the key is not known"),
		answers(http.StatusUnprocessableEntity, "no such output, or no word of it"))
)

// DeviceHeader names the device that an enrolment key, or a gateway's key, speaks for.
const DeviceHeader = "Jaunty-Device"

// OfDevice says which device somebody else's key speaks for.
type OfDevice struct {
	Device string `header:"Jaunty-Device" doc:"the device's name: needed with the enrolment key; with a gateway's key, a device behind it"`
}

// SendReadingsIn is the input of SendReadings, beside its body.
type SendReadingsIn struct {
	Once string `header:"Idempotency-Key" doc:"kept for a day: the same key again gets the same answer and stores nothing"`
	OfDevice
	Encoding string `header:"Content-Encoding" doc:"gzip, when the body is packed"`
}

// SendFrameIn is the input of SendFrame, beside its body.
type SendFrameIn struct {
	At string `query:"at" doc:"when it was taken; now when neither this nor the frame says"`
	OfDevice
	Once string `header:"Idempotency-Key" doc:"kept for a day: the same key again gets the same answer and stores nothing"`
}

// FrameParts are a frame and the picture that was taken beside it.
type FrameParts struct {
	Frame   []byte `json:"frame" format:"binary"`
	Picture []byte `json:"picture,omitempty" required:"false" format:"binary"`
}

// GetOrdersIn is the input of GetOrders.
type GetOrdersIn struct {
	OfDevice
	Wait    string `query:"wait" doc:"how long to wait for a newer order, up to 2m" example:"30s"`
	Running int    `query:"running" doc:"the version that the device runs; saying it confirms it"`
	Outputs int64  `query:"outputs" doc:"the number of the newest order for an output that the device knows, 0 for none; left out, it hears nothing of outputs"`
}

// ConfirmOutputIn is the input of ConfirmOutput, beside its body.
type ConfirmOutputIn struct {
	OfDevice
	Output string `path:"output"`
}
