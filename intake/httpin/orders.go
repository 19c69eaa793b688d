package httpin

import (
	"crypto/sha256"
	"fmt"
	"io"
	"math"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/intake"
	"jauntylark/intake/admission"
	"jauntylark/intake/orders"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/credential"
)

const longestWait = 2 * time.Minute

// orderQuery is what a device asks for.
type orderQuery struct {
	wait    time.Duration
	running int   // the version of the settings that it runs; -1: it did not say
	outputs int64 // the newest order for an output that it knows; -1: it does not ask for outputs
}

// Orders answers with what the device is ordered when that is newer than what it says that it knows, at once or as soon
// as there is something newer. After the wait it answers 204, or, where the device asks for outputs, with all of these:
// that renews them. Saying which settings it runs confirms them.
func (w *Way) Orders(c *echo.Context) error {
	q, err := ordersQuery(c)
	if err != nil {
		return answerError(c, err)
	}
	device, sender, err := w.device(c)
	if err != nil {
		return answerError(c, err)
	}
	ctx := c.Request().Context()
	if q.running >= 0 && q.running != device.RunningNo {
		if err := w.Admission.Confirm(ctx, sender, device.Name, site.Report{Version: q.running}, false); err != nil {
			return answerError(c, err)
		}
	}
	end := time.NewTimer(w.waitOf(device, q))
	defer end.Stop()
	for over := false; ; {
		directory, changed := w.Admission.Look()
		board, fresh, ordered := w.Admission.Orders.Look()
		who, err := directory.Identify(sender, w.Admission.Pipeline.Now())
		if err != nil || who.Device == nil {
			return answerError(c, credential.ErrKeyUnknown)
		}
		d, outputs := who.Device, board[who.Device.Name]
		newer := d.Version > q.running && d.Version > 0
		if q.outputs >= 0 && len(outputs) > 0 {
			switch newest := newestOf(outputs); {
			case !fresh && (over || newest != q.outputs):
				return answerError(c, commit.ErrAway) // nobody knows whether what is ordered still holds
			case over || newer || newest != q.outputs:
				return c.JSON(http.StatusOK, api.ToDevice{Order: site.OrderOf(d.Version, d.Settings),
					Outputs: ordersOf(outputs, w.Admission.Pipeline.Now())})
			}
		}
		if newer {
			return c.JSON(http.StatusOK, api.ToDevice{Order: site.OrderOf(d.Version, d.Settings)})
		}
		if over {
			return c.NoContent(http.StatusNoContent)
		}
		select {
		case <-changed:
		case <-ordered:
		case <-end.C:
			over = true
		case <-w.Stopping:
			over = true
		case <-ctx.Done():
			return nil
		}
	}
}

// waitOf is how long a device may wait: no longer than half of the time for which the shortest of its orders holds.
func (w *Way) waitOf(d *site.Device, q orderQuery) time.Duration {
	wait := q.wait
	if q.outputs >= 0 {
		board, _, _ := w.Admission.Orders.Look()
		for _, o := range board[d.Name] {
			wait = min(wait, o.Expiry()/2)
		}
	}
	return wait
}

func newestOf(outputs map[string]orders.Standing) (newest int64) {
	for _, o := range outputs {
		newest = max(newest, o.No)
	}
	return newest
}

func ordersOf(outputs map[string]orders.Standing, now measure.Instant) map[string]drive.OutputOrder {
	all := make(map[string]drive.OutputOrder, len(outputs))
	for name, o := range outputs {
		all[name] = o.OrderAt(now)
	}
	return all
}

func ordersQuery(c *echo.Context) (q orderQuery, err error) {
	q = orderQuery{running: -1, outputs: -1}
	if text := c.QueryParam("wait"); text != "" {
		d, err := measure.ParseDuration(text)
		if err != nil || time.Duration(d) > longestWait {
			return q, fmt.Errorf("wait: %q is not a duration up to %v; write it like 30s", text, longestWait)
		}
		q.wait = time.Duration(d)
	}
	if text := c.QueryParam("running"); text != "" {
		if q.running, err = strconv.Atoi(text); err != nil || q.running < 0 || q.running > math.MaxInt32 {
			return q, fmt.Errorf("running: %q is not the version that the device runs, a whole number", text)
		}
	}
	if text := c.QueryParam("outputs"); text != "" {
		if q.outputs, err = strconv.ParseInt(text, 10, 64); err != nil || q.outputs < 0 {
			return q, fmt.Errorf("outputs: %q is not the number of the newest order that the device knows, 0 for none",
				text)
		}
	}
	return q, nil
}

// device finds the device behind a request for orders.
func (w *Way) device(c *echo.Context) (*site.Device, credential.Sender, error) {
	sender := credential.Sender{Key: sha256.Sum256([]byte(Bearer(c.Request().Header.Get("Authorization")))),
		Name:     c.Request().Header.Get(api.DeviceHeader),
		Protocol: Protocol, Address: c.RealIP()}
	who, err := w.Admission.Who(c.Request().Context(), sender)
	if err == nil && who.Device == nil {
		err = errArrival
	}
	return who.Device, sender, err
}

const errArrival = admission.ErrNotAllowed("this device waits to be let in; there are no orders for it yet")

const maxReport = 4 << 10

// confirm lets take have what a device says in the body.
func (w *Way) confirm(c *echo.Context, take func(*site.Device, credential.Sender, []byte) error) error {
	device, sender, err := w.device(c)
	if err != nil {
		return answerError(c, err)
	}
	body, err := io.ReadAll(http.MaxBytesReader(c.Response(), c.Request().Body, maxReport))
	if err == nil {
		err = take(device, sender, body)
	}
	if err != nil {
		return answerError(c, err)
	}
	return c.NoContent(http.StatusNoContent)
}

// Confirm takes what a device says that it runs: {"version": 3, "interval": 60}.
func (w *Way) Confirm(c *echo.Context) error {
	return w.confirm(c, func(d *site.Device, s credential.Sender, body []byte) error {
		report, err := intake.DecodeReport(body)
		if err != nil {
			return err
		}
		return w.Admission.Confirm(c.Request().Context(), s, d.Name, report, false)
	})
}

// ConfirmOutput takes what a device says that one of its outputs does: {"value": 1, "no": 42}, or the word alone.
func (w *Way) ConfirmOutput(c *echo.Context) error {
	return w.confirm(c, func(d *site.Device, s credential.Sender, body []byte) error {
		report, err := intake.DecodeOutputReport(body)
		if err != nil {
			return err
		}
		return w.Admission.ConfirmOutput(c.Request().Context(), s, d.Name, c.Param("output"), report, false)
	})
}
