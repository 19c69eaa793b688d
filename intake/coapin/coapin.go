// Package coapin takes readings over CoAP (RFC 7252), and gives devices their orders: POST /intake and /frames, and GET
// and PUT /settings and /outputs/OUTPUT, which can be observed (RFC 7641). Long bodies come in blocks (RFC 7959). It
// speaks DTLS with pre-shared keys (RFC 4279, RFC 6347) and, where that is switched on, plain UDP.
//
// A confirmable request is answered when what it brought is committed, never before.
package coapin

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"log/slog"
	"net"
	"slices"
	"strings"
	"time"

	"github.com/plgd-dev/go-coap/v3/message"
	"github.com/plgd-dev/go-coap/v3/message/codes"
	"github.com/plgd-dev/go-coap/v3/mux"

	"jauntylark/core/frame"
	"jauntylark/core/site"
	"jauntylark/intake"
	"jauntylark/intake/admission"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
)

// Protocol is what this way in is called.
const Protocol = "CoAP"

// Way is the way in over CoAP.
type Way struct {
	admission *admission.Control
	log       *slog.Logger
	tries     *handshakes
	observers *observers
	transfers *transfers
}

// New makes the way in; ServePlain and ServeDTLS open it.
func New(d *admission.Control, log *slog.Logger) *Way {
	return &Way{admission: d, log: log, tries: newHandshakes(), observers: newObservers(), transfers: newTransfers()}
}

// contentTypes are the content formats (RFC 7252 section 12.3, RFC 8428 section 12.4) that a body may
// have.
var contentTypes = map[message.MediaType]string{
	message.AppJSON: intake.FlatJSON, message.AppSenmlJSON: intake.SenMLJSON, message.AppSenmlCbor: intake.SenMLCBOR,
	message.TextPlain: "text/plain",
}

// handler gives the resources; who finds out the sender of a request.
func (w *Way) handler(ctx context.Context, who func(mux.Conn, *mux.Message) (credential.Sender, error)) mux.Handler {
	return mux.HandlerFunc(func(out mux.ResponseWriter, in *mux.Message) {
		path, _ := in.Options().Path()
		r := &request{way: w, out: out, in: in}
		r.sender, r.err = who(out.Conn(), in)
		path = strings.TrimPrefix(path, "/")
		if output, found := strings.CutPrefix(path, "outputs/"); found {
			switch in.Code() {
			case codes.PUT, codes.POST:
				r.allow(in.Code(), func() { r.confirmOutput(ctx, output) })
			default:
				r.allow(codes.GET, func() { r.output(ctx, output) })
			}
			return
		}
		switch path {
		case ".well-known/core": // RFC 6690
			r.answer(codes.Content, message.AppLinkFormat,
				`</intake>;rt="readings",</frames>;rt="frames",</settings>;obs;rt="settings",</outputs>;rt="outputs"`)
		case "intake":
			r.allow(codes.POST, func() { r.intake(ctx) })
		case "frames":
			r.allow(codes.POST, func() { r.frame(ctx) })
		case "outputs":
			r.allow(codes.GET, func() { r.outputs(ctx) })
		case "settings":
			switch in.Code() {
			case codes.PUT, codes.POST:
				r.allow(in.Code(), func() { r.confirm(ctx) })
			default:
				r.allow(codes.GET, func() { r.settings(ctx) })
			}
		default:
			r.fail(codes.NotFound, "there is /intake, /frames, /settings and /outputs/OUTPUT")
		}
	})
}

// request is one request with its answer.
type request struct {
	way    *Way
	out    mux.ResponseWriter
	in     *mux.Message
	sender credential.Sender
	err    error   // why the sender may not come in
	block  *uint32 // the Block1 option that the answer repeats
}

func (r *request) answer(code codes.Code, format message.MediaType, body string, options ...message.Option) {
	if r.block != nil {
		options = append(options, message.Option{ID: message.Block1, Value: shortest(*r.block)})
	}
	if err := r.out.SetResponse(code, format, strings.NewReader(body), options...); err != nil {
		r.way.log.Debug("a CoAP answer could not be written", "error", err)
	}
}

const mostWords = 300

// fail answers with what is wrong, in words (RFC 7252 section 5.5.2).
func (r *request) fail(code codes.Code, reason string) {
	r.answer(code, message.TextPlain, reason[:min(len(reason), mostWords)])
}

func (r *request) allow(method codes.Code, do func()) {
	switch {
	case r.in.Code() != method:
		r.fail(codes.MethodNotAllowed, "send "+method.String())
	case r.err != nil:
		r.failWith(r.err)
	default:
		do()
	}
}

// failWith answers with the cause of an error; Max-Age says when the same may succeed (RFC 7252 section 5.9.3.4).
func (r *request) failWith(err error) {
	cause := admission.CauseOf(err)
	words := cause.Words
	if words == "" {
		words = err.Error()
	}
	var options []message.Option
	if seconds := uint32((cause.Retry + time.Second - 1) / time.Second); seconds > 0 {
		options = append(options, message.Option{ID: message.MaxAge, Value: shortest(seconds)})
	}
	r.answer(codes.Code(cause.CoAP), message.TextPlain, words[:min(len(words), mostWords)], options...)
}

// unprocessable is 4.22 (RFC 8132 section 2.3).
const unprocessable = codes.Code(4<<5 | 22)

var errTooLong = fmt.Errorf("the body is longer than %d bytes", intake.MaxBody)

// body gives the request's body and its content type. It gives nothing, and has answered, while blocks
// are still to come.
func (r *request) body(path string) (body []byte, kind string, whole bool) {
	block, err := r.in.ReadBody()
	if err != nil || len(block) == 0 {
		r.fail(codes.BadRequest, "the request has no body")
		return nil, "", false
	}
	if body, whole = r.gather(path, block); !whole {
		return nil, "", false
	}
	format, err := r.in.Options().ContentFormat()
	if err != nil {
		return body, intake.Guess(body), true
	}
	kind, known := contentTypes[format]
	if !known {
		kind = format.String()
	}
	return body, kind, true
}

// intake takes readings: 2.04 when something was taken, with what was refused; 4.22 when nothing was.
func (r *request) intake(ctx context.Context) {
	body, kind, whole := r.body("intake")
	if !whole {
		return
	}
	r.received(r.way.admission.Receive(ctx, &admission.Visit{Sender: r.sender, ContentType: kind, Body: body}))
}

// frame takes a thermal frame, in the formats of core/frame; the query may say ?at=TIME.
func (r *request) frame(ctx context.Context) {
	body, kind, whole := r.body("frames")
	if !whole {
		return
	}
	if format, err := r.in.Options().ContentFormat(); err != nil || format == message.AppOctets ||
		format == message.TextPlain {
		kind = "" // guessed
	} else if format == message.AppCBOR {
		kind = frame.CBOR
	}
	v := &admission.FrameVisit{}
	if at := query(r.in, "at"); at != "" {
		if err := v.At.UnmarshalText([]byte(at)); err != nil || v.At <= 0 {
			r.fail(codes.BadRequest, "at: "+at+" is not a time; write it like 2026-03-01T14:05:00Z (RFC 3339)")
			return
		}
	}
	r.received(r.way.admission.Receive(ctx, &admission.Visit{Sender: r.sender, ContentType: kind, Body: body,
		Frame: v}))
}

// received answers with what became of a visit.
func (r *request) received(result reading.Outcome, err error) {
	switch {
	case err != nil:
		r.failWith(err)
	case len(result.Refused) == 0:
		r.answer(codes.Changed, message.TextPlain, "")
	case result.Accepted > 0:
		text, _ := json.Marshal(map[string]any{"accepted": result.Accepted,
			"rejected": result.Refused[:min(len(result.Refused), 5)]})
		r.answer(codes.Changed, message.AppJSON, string(text))
	default:
		first := result.Refused[0]
		r.fail(unprocessable, fmt.Sprintf("record %d, %s: %s", first.Index, first.Field, first.Reason))
	}
}

// device finds the device that may be given orders.
func (r *request) device(ctx context.Context) *site.Device {
	who, err := r.way.admission.Who(ctx, r.sender)
	switch {
	case err != nil:
		r.failWith(err)
	case who.Device == nil:
		r.fail(codes.Forbidden, "this device waits to be let in; there are no orders for it yet")
	}
	return who.Device
}

// settings gives the newest order; observed, each newer one follows.
func (r *request) settings(ctx context.Context) {
	if device := r.device(ctx); device != nil {
		r.show(device, "", stateOfSettings(device))
	}
}

// show answers with what a resource says now; observed, each newer state follows.
func (r *request) show(device *site.Device, output string, s state) {
	observe, err := r.in.Options().Observe()
	switch {
	case err != nil:
		r.answer(codes.Content, message.AppJSON, string(s.body()))
	case observe == 0:
		r.way.observers.add(r.out.Conn(), r.in.Token(), observer{sender: r.sender, device: device.ID, output: output,
			version: s.version})
		sequence := message.Option{ID: message.Observe, Value: shortest(firstSequence)}
		if err := r.out.SetResponse(codes.Content, message.AppJSON, bytes.NewReader(s.body()), sequence); err != nil {
			r.way.log.Debug("a CoAP answer could not be written", "error", err)
		}
	default:
		r.way.observers.remove(r.out.Conn(), r.in.Token())
		r.answer(codes.Content, message.AppJSON, string(s.body()))
	}
}

func stateOfSettings(d *site.Device) state {
	return state{uint64(d.Version), func() []byte { return bodyOf(site.OrderOf(d.Version, d.Settings)) }}
}

func bodyOf(order any) []byte {
	body, err := json.Marshal(order)
	if err != nil {
		return nil
	}
	return body
}

// confirm takes what a device says that it runs.
func (r *request) confirm(ctx context.Context) {
	device := r.device(ctx)
	if device == nil {
		return
	}
	body, _, whole := r.body("settings")
	if !whole {
		return
	}
	report, err := intake.DecodeReport(body)
	if err == nil {
		err = r.way.admission.Confirm(ctx, r.sender, device.Name, report, false)
	}
	if err != nil {
		r.failWith(err)
		return
	}
	r.answer(codes.Changed, message.TextPlain, "")
}

// query gives a query option's value (RFC 7252 section 5.10.1).
func query(in *mux.Message, name string) string {
	queries, err := in.Options().Queries()
	if err != nil {
		return ""
	}
	i := slices.IndexFunc(queries, func(q string) bool { return strings.HasPrefix(q, name+"=") })
	if i < 0 {
		return ""
	}
	return queries[i][len(name)+1:]
}

// plainSender is who sends without DTLS: as the query says.
func (w *Way) plainSender(conn mux.Conn, in *mux.Message) (credential.Sender, error) {
	s := credential.Sender{Key: sha256.Sum256([]byte(query(in, "key"))), Name: query(in, "device"), Protocol: Protocol,
		Address: host(conn.RemoteAddr())}
	if query(in, "key") == "" {
		return s, fmt.Errorf("%w: without DTLS the query must be ?device=DEVICE&key=KEY", credential.ErrKeyUnknown)
	}
	who, err := w.admission.Who(in.Context(), s)
	if err == nil && who.Device != nil && s.Name != who.Device.Name {
		w.admission.Complain(who.Device, s,
			fmt.Sprintf("the query over CoAP says device=%s; with this key it must be %s",
				s.Name, who.Device.Name))
		err = fmt.Errorf("%w: it is not that of %q", credential.ErrKeyUnknown, s.Name)
	}
	return s, err
}

func host(a net.Addr) string {
	address, _, err := net.SplitHostPort(a.String())
	if err != nil {
		return a.String()
	}
	return address
}

// keepOpen is how long a connection is remembered that says nothing.
const keepOpen = 10 * time.Minute
