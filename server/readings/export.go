package readings

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/exchange"
	"jauntylark/server/web"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// exportOperations has the operations of this file answered.
func exportOperations(v *web.Server) {
	web.AnswerFile(v, api.ExportReadings.Operation, serveExport)
}

// exportOrder is what an export is asked to hold.
type exportOrder struct {
	devices []exportDevice
	since   measure.Instant
	until   measure.Instant
	format  string
	options exchange.Options
	raw     bool   // as it came, before any correction, and nothing that is derived
	end     string // of what is asked for, as it was said
	skip    int64  // bytes that the reader has already
}

// exportDevice is a device with those of its signals that are wanted.
type exportDevice struct {
	name    string
	signals []site.Signal
}

// readExport reads what is asked for: see describeExport.
func readExport(ctx context.Context, v *web.Server, q url.Values) (o exportOrder, err error) {
	all, err := config.Signals(ctx, v.Store)
	if err != nil {
		return o, err
	}
	if o.devices, err = chosen(all, "what", q["what"]); err != nil {
		return o, err
	}
	o.until, o.end = v.Pipeline.Now()+1, q.Get("until")
	for name, into := range map[string]*measure.Instant{"since": &o.since, "until": &o.until} {
		if text := q.Get(name); text != "" {
			if err := into.UnmarshalText([]byte(text)); err != nil {
				return o, web.Wrong(name, err.Error())
			}
		}
	}
	if o.until < o.since {
		return o, web.Wrong("until", o.until.String()+" is before since, "+o.since.String())
	}
	if o.format = q.Get("format"); o.format == "" {
		o.format = exchange.CSV
	}
	if every := q.Get("every"); every != "" {
		if o.options.Period, err = series.ParsePeriod(every); err != nil {
			return o, web.Wrong("every", err.Error())
		}
		if q.Get("until") == "" { // the period that goes on now is whole as far as it goes
			o.until = o.until.Add(time.Duration(o.options.Period) + 24*time.Hour)
		}
	}
	if o.options.Zone, err = web.ZoneOf(ctx, v, q.Get("zone")); err != nil {
		return o, err
	}
	switch names := q.Get("names"); names {
	case "", "full":
	case "bare":
		o.options.Bare = true
	default:
		return o, web.Wrong("names", fmt.Sprintf("%q is neither full nor bare", names))
	}
	switch values := q.Get("values"); values {
	case "", "true":
	case "raw":
		o.raw = true
		o.measuredOnly()
		if o.options.Period != 0 {
			return o, web.Wrong("values", "figures are of true values; leave out every, or values")
		}
	default:
		return o, web.Wrong("values", fmt.Sprintf("%q is neither true nor raw", values))
	}
	if skip := q.Get("skip"); skip != "" {
		if o.skip, err = strconv.ParseInt(skip, 10, 64); err != nil || o.skip < 0 {
			return o, web.Wrong("skip", fmt.Sprintf("%q is no number of bytes", skip))
		}
	}
	_, err = exchange.NewWriter(o.format, io.Discard, o.options)
	return o, err
}

// measuredOnly leaves out what is derived.
func (o *exportOrder) measuredOnly() {
	for i := range o.devices {
		d := &o.devices[i]
		d.signals = slices.DeleteFunc(d.signals, func(s site.Signal) bool { return s.MadeOf != "" })
	}
}

// chosen gives the signals that names stand for, by device; all without a name. The field is where the names came from.
func chosen(all []site.Signal, field string, names []string) ([]exportDevice, error) {
	wanted := func(s *site.Signal) bool {
		return len(names) == 0 || slices.Contains(names, s.Device) || slices.Contains(names, s.Path())
	}
	var devices []exportDevice
	found := map[string]bool{}
	var known []string
	for i := range all {
		s := &all[i]
		known = append(known, s.Path())
		if n := len(known); n < 2 || all[i-1].Device != s.Device {
			known = append(known, s.Device)
		}
		found[s.Path()], found[s.Device] = true, true
		if !wanted(s) {
			continue
		}
		if n := len(devices); n == 0 || devices[n-1].name != s.Device {
			devices = append(devices, exportDevice{name: s.Device})
		}
		d := &devices[len(devices)-1]
		d.signals = append(d.signals, *s)
	}
	for _, name := range names {
		if !found[name] {
			return nil, web.Wrong(field, site.Unknown("device or signal", name, known))
		}
	}
	return devices, nil
}

// serveExport streams readings or figures as a file. The entity tag stands for what is in it: with the same
// tag, a reader that was cut off can ask for the rest.
func serveExport(v *web.Server, c *echo.Context) error {
	ctx := c.Request().Context()
	order, err := readExport(ctx, v, c.QueryParams())
	if err != nil {
		return err
	}
	tx, err := v.Store.Look(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	stamp, tag, err := order.tag(ctx, tx)
	if err != nil {
		return err
	}
	if match := c.Request().Header.Get("If-Match"); match != "" && match != tag {
		return huma.Error412PreconditionFailed(
			"The readings have changed since the first part was fetched; begin again.")
	}
	name := "readings"
	if len(order.devices) == 1 {
		name = order.devices[0].name
	}
	h := c.Response().Header()
	h.Set("Content-Type", exchange.Types[order.format])
	h.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+exchange.Suffixes[order.format]))
	h.Set("ETag", tag)
	h.Set("Readings", strconv.Itoa(stamp.Readings))
	c.Response().WriteHeader(http.StatusOK)
	if err := order.write(ctx, tx, &skipping{to: c.Response(), skip: order.skip}); err != nil {
		v.Log.Warn("an export was cut off", "error", err)
		panic(http.ErrAbortHandler) // the reader must not take a part for the whole
	}
	return nil
}

// tag gives what is in the export, and the entity tag for it.
func (o *exportOrder) tag(ctx context.Context, tx *store.Tx) (all site.Stamp, tag string, err error) {
	hash := sha256.New()
	fmt.Fprintln(hash, o.format, o.since, o.end, o.options.Period, o.options.Zone, o.options.Bare, o.raw)
	for _, d := range o.devices {
		for i := range d.signals {
			s := &d.signals[i]
			stamp, err := timeseries.Stamp(ctx, tx, s.ID, o.since, o.until-1)
			if err != nil {
				return all, "", err
			}
			behind, err := timeseries.Fingerprint(ctx, tx, s.ID, o.until)
			if err != nil {
				return all, "", err
			}
			fmt.Fprintln(hash, s.Path(), s.Kind, s.Unit, stamp, behind)
			all.Add(stamp)
		}
	}
	return all, `"` + hex.EncodeToString(hash.Sum(nil)[:12]) + `"`, nil
}

func (o *exportOrder) write(ctx context.Context, tx *store.Tx, to io.Writer) error {
	w, err := exchange.NewWriter(o.format, to, o.options)
	if err != nil {
		return err
	}
	for _, d := range o.devices {
		if err := w.Device(d.name, d.signals); err != nil {
			return err
		}
		if o.options.Period == 0 {
			err = timeseries.EachRow(ctx, tx, d.signals, o.since, o.until-1, o.raw, w.Readings)
		} else {
			err = timeseries.EachFigureRow(ctx, tx, d.signals, o.options.Period, o.since, o.until, w.Figures)
		}
		if err != nil {
			return err
		}
	}
	return w.Close()
}

// skipping leaves out the first bytes.
type skipping struct {
	to   io.Writer
	skip int64
}

func (s *skipping) Write(p []byte) (int, error) {
	n := int(min(s.skip, int64(len(p))))
	s.skip -= int64(n)
	if n == len(p) {
		return n, nil
	}
	m, err := s.to.Write(p[n:])
	return n + m, err
}
