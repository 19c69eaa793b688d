package coapin

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/plgd-dev/go-coap/v3/message"
	"github.com/plgd-dev/go-coap/v3/message/codes"

	"jauntylark/core/site"
	"jauntylark/intake"
	"jauntylark/pipeline/commit"
)

// outputs lists a device's outputs as links (RFC 6690).
func (r *request) outputs(ctx context.Context) {
	device := r.device(ctx)
	if device == nil {
		return
	}
	board, _, _ := r.way.admission.Orders.Look()
	var links []string
	for _, name := range slices.Sorted(maps.Keys(board[device.Name])) {
		links = append(links, fmt.Sprintf(`</outputs/%s>;obs;rt="output"`, name))
	}
	r.answer(codes.Content, message.AppLinkFormat, strings.Join(links, ","))
}

// output gives what an output is ordered; observed, each newer order and each renewal follows. Where nobody knows
// whether the order still holds, it is not given.
func (r *request) output(ctx context.Context, name string) {
	device := r.device(ctx)
	if device == nil {
		return
	}
	_, fresh, _ := r.way.admission.Orders.Look()
	s, there := r.way.stateOf(device, name)
	switch {
	case !there:
		r.fail(codes.NotFound, r.way.noOutput(device, name))
	case !fresh:
		r.failWith(commit.ErrAway)
	default:
		r.show(device, name, s)
	}
}

func (w *Way) noOutput(device *site.Device, name string) string {
	board, _, _ := w.admission.Orders.Look()
	return site.Unknown("output", name, slices.Sorted(maps.Keys(board[device.Name])))
}

// stateOf gives what a device's output is ordered now, or its settings where the name is empty.
func (w *Way) stateOf(device *site.Device, output string) (state, bool) {
	if output == "" {
		return stateOfSettings(device), true
	}
	board, _, _ := w.admission.Orders.Look()
	o, there := board[device.Name][output]
	return state{o.Round, func() []byte { return bodyOf(o.OrderAt(w.admission.Pipeline.Now())) }}, there
}

// confirmOutput takes what a device says that its output does.
func (r *request) confirmOutput(ctx context.Context, name string) {
	device := r.device(ctx)
	if device == nil {
		return
	}
	body, _, whole := r.body("outputs/" + name)
	if !whole {
		return
	}
	report, err := intake.DecodeOutputReport(body)
	if err == nil {
		err = r.way.admission.ConfirmOutput(ctx, r.sender, device.Name, name, report, false)
	}
	if err != nil {
		r.failWith(err)
		return
	}
	r.answer(codes.Changed, message.TextPlain, "")
}
