package standin

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/drive"
	"jauntylark/core/site"
)

// HTTP is a link over HTTP.
type HTTP struct{ To *client.Client }

// Send posts a pack.
func (h HTTP) Send(ctx context.Context, pack []byte) error {
	refused, err := h.To.SendReadings(ctx, "application/senml+json", pack)
	var problem *client.Problem
	switch {
	case len(refused) > 0:
		return &Refused{fmt.Sprintf("%+v", refused)}
	case errors.As(err, &problem) && problem.Status < 500 && problem.Status != http.StatusTooManyRequests:
		return &Refused{problem.Error()}
	}
	return err
}

// SendFrame posts a frame in JSON.
func (h HTTP) SendFrame(ctx context.Context, body []byte) error {
	err := h.To.SendAs(ctx, api.SendFrame.At(), "application/json", "", body)
	var problem *client.Problem
	if errors.As(err, &problem) && problem.Status < 500 && problem.Status != http.StatusTooManyRequests {
		return &Refused{problem.Error()}
	}
	return err
}

// Orders asks for orders, and waits for each.
func (h HTTP) Orders(ctx context.Context, _ []string, ear Ear) {
	running, known := 0, int64(0)
	for ctx.Err() == nil {
		var order struct {
			site.Order
			Outputs map[string]drive.OutputOrder `json:"outputs"`
		}
		if err := h.To.Call(ctx, api.GetOrders.At().Asking("wait", "60s", "running", running, "outputs", known), nil,
			&order); err != nil {
			pause(ctx, 5*time.Second)
			continue
		}
		if order.Version > running {
			running = order.Version
			ear.Settings(order.Order)
		}
		newest := int64(0)
		for name, o := range order.Outputs {
			newest = max(newest, o.No)
			ear.Output(name, o)
		}
		if newest > 0 {
			known = newest
		}
	}
}

// Confirm tells what an output does.
func (h HTTP) Confirm(ctx context.Context, output string, r drive.OutputReport) error {
	return h.To.Call(ctx, api.ConfirmOutput.At(output), r, nil)
}

// Report tells what the device runs.
func (h HTTP) Report(ctx context.Context, r site.Report) error {
	return h.To.Call(ctx, api.ConfirmOrders.At(), r, nil)
}

// Close does nothing.
func (h HTTP) Close() {}

func pause(ctx context.Context, long time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(long):
	}
}
