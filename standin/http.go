package standin

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"jauntylark/client"
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

// Orders asks for orders, and waits for each.
func (h HTTP) Orders(ctx context.Context, obey func(site.Order)) {
	for running := 0; ctx.Err() == nil; {
		var order site.Order
		err := h.To.Do(ctx, http.MethodGet, fmt.Sprintf("/api/v1/intake/orders?wait=60s&running=%d", running), nil, &order)
		switch {
		case err != nil:
			pause(ctx, 5*time.Second)
		case order.Version > 0:
			running = order.Version
			obey(order)
		}
	}
}

// Report tells what the device runs.
func (h HTTP) Report(ctx context.Context, r site.Report) error {
	return h.To.Do(ctx, http.MethodPut, "/api/v1/intake/orders", r, nil)
}

// Close does nothing.
func (h HTTP) Close() {}

func pause(ctx context.Context, long time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(long):
	}
}
