package place

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/chart"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/server/web"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// framesOperations has the operations of this file answered.
func framesOperations(v *web.Server) {
	web.Keep(v, api.GetEye, getEye, api.PutEye, putEye, api.PatchEye)
	web.Answer(v, api.ListFrames, listFrames)
	web.Answer(v, api.ListPalettes, listPalettes)
	web.AnswerFile(v, api.GetFrame.Operation, serveFrame)
	web.AnswerFile(v, api.GetStrip.Operation, serveStrip)
}

// eyeOf gives the eye of a device; a settled one that knows nothing when it has sent no frame.
func eyeOf(ctx context.Context, v *web.Server, device string) (d site.Device, e frame.Eye, err error) {
	if d, err = FindDevice(ctx, v, device); err != nil {
		return d, e, err
	}
	found, err := configure.EyeOf(ctx, v.Pipeline, device)
	if err == nil && found != nil {
		return d, *found, nil
	}
	e.Settle()
	return d, e, err
}

func getEye(ctx context.Context, v *web.Server, in *api.DevicePath) (frame.Eye, error) {
	_, e, err := eyeOf(ctx, v, in.Device)
	return e, err
}

func putEye(ctx context.Context, v *web.Server, in *api.PutEyeIn) (frame.Eye, error) {
	fresh, err := configure.SetEye(ctx, v.Pipeline, in.Device, &in.Body, web.Who(ctx))
	if err != nil {
		return frame.Eye{}, err
	}
	person := web.PersonOf(ctx)
	err = configure.TellPast(ctx, v.Pipeline, in.Device, &fresh, &person)
	return in.Body, err
}

func listFrames(ctx context.Context, v *web.Server, in *api.ListFramesIn) (api.FrameList, error) {
	d, e, err := eyeOf(ctx, v, in.Device)
	if err != nil {
		return api.FrameList{}, err
	}
	until := v.Pipeline.Now()
	if !in.Until.IsZero() {
		until = measure.InstantOf(in.Until)
	}
	since := until.Add(-24 * time.Hour)
	if !in.Since.IsZero() {
		since = measure.InstantOf(in.Since)
	}
	frames, all, err := events.Frames(ctx, v.Store, d.ID, since, until-1, in.Most)
	return api.FrameList{Eye: e, Frames: frames, All: all}, err
}

func listPalettes(context.Context, *web.Server, *api.None) ([]api.PaletteInfo, error) {
	var all []api.PaletteInfo
	for _, p := range frame.Palettes() {
		one := api.PaletteInfo{Name: p.Name, Words: p.Words, Both: p.Both}
		for _, c := range p.Colours {
			one.Colours = append(one.Colours, frame.Hex(c))
		}
		all = append(all, one)
	}
	return all, nil
}

// frameLook reads how a frame is to be drawn from a request.
func frameLook(ctx context.Context, v *web.Server, q url.Values, e *frame.Eye) (l chart.FrameLook, err error) {
	name := q.Get("palette")
	if name == "" {
		if name = frame.Hearth; q.Get("against") != "" {
			name = frame.Change
		}
	}
	palette, known := frame.PaletteNamed(name)
	if !known {
		return l, web.Wrong("palette", site.Unknown("palette", name, frame.PaletteNames())+"; palettes are "+
			strings.Join(frame.PaletteNames(), ", "))
	}
	l.Palette, l.Bare = palette, q.Get("bare") == "true"
	for field, into := range map[string]**float64{"low": &l.Low, "high": &l.High} {
		if text := q.Get(field); text != "" {
			n, err := strconv.ParseFloat(text, 64)
			if err != nil {
				return l, web.Wrong(field, fmt.Sprintf("%q is no temperature", text))
			}
			*into = &n
		}
	}
	if l.Low != nil && l.High != nil && *l.Low >= *l.High {
		return l, web.Wrong("low", fmt.Sprintf("%v is not below %v", *l.Low, *l.High))
	}
	if text := q.Get("width"); text != "" {
		if l.Width, err = strconv.Atoi(text); err != nil || l.Width < 8 || l.Width > 2048 {
			return l, web.Wrong("width", fmt.Sprintf("%q is not 8 to 2048 pixels", text))
		}
	}
	if q.Get("regions") == "true" {
		l.Regions = e.Regions
	}
	here, err := config.Site(ctx, v.Store)
	l.Unit = here.Units.Of("Cel")
	return l, err
}

// serveFrame answers with one frame: /frames/TIME.png, .csv, .json, .cbor, .pgm, or .jpg for the picture beside it;
// TIME is an instant, or newest. The frame nearest to it is given.
func serveFrame(v *web.Server, c *echo.Context) error {
	kind, body, err := frameFile(v, c)
	if err != nil {
		return err
	}
	return web.Blob(c, kind, body, nil)
}

func frameFile(v *web.Server, c *echo.Context) (kind string, body []byte, err error) {
	ctx, q := c.Request().Context(), c.QueryParams()
	d, e, err := eyeOf(ctx, v, c.Param("device"))
	if err != nil {
		return "", nil, err
	}
	at, ending, err := frameName(v, c.Param("file"))
	if err != nil {
		return "", nil, err
	}
	f, err := frameNear(ctx, v, &d, at)
	if err != nil {
		return "", nil, err
	}
	c.Response().Header().Set("Jaunty-Frame", f.At.String())
	if at == f.At { // it never changes, but for what is seen in it
		c.Response().Header().Set("Cache-Control", "private, max-age=300")
	}
	if ending == "jpg" {
		picture, err := events.FramePicture(ctx, v.Store, d.ID, f.At)
		if err != nil {
			return "", nil, fmt.Errorf("no picture was sent with the frame of %s: %w", f.At, store.ErrNotFound)
		}
		return http.DetectContentType(picture), picture, nil
	}
	g, err := gridOf(ctx, v, &d, &e, &f, q)
	if err != nil {
		return "", nil, err
	}
	shot := frame.Shot{Grid: g, At: f.At}
	switch ending {
	case "csv":
		return "text/csv; charset=utf-8", frame.EncodeCSV(shot), nil
	case "json":
		body, err = frame.EncodeJSON(shot)
		return "application/json", body, err
	case "cbor":
		body, err = frame.EncodeCBOR(shot)
		return frame.CBOR, body, err
	case "pgm":
		return frame.PGM, frame.EncodePGM(shot), nil
	}
	l, err := frameLook(ctx, v, q, &e)
	if err != nil {
		return "", nil, err
	}
	var out bytes.Buffer
	err = chart.FramePNG(&out, shownFrame(ctx, v, &d, &f, g), l)
	return "image/png", out.Bytes(), err
}

var frameEndings = []string{"png", "csv", "json", "cbor", "pgm", "jpg"}

// frameName takes the name of a frame's file apart.
func frameName(v *web.Server, file string) (at measure.Instant, ending string, err error) {
	file, _ = url.PathUnescape(file)
	dot := strings.LastIndexByte(file, '.')
	if dot < 0 {
		dot = len(file)
	}
	name, ending := file[:dot], strings.TrimPrefix(file[dot:], ".")
	if !slices.Contains(frameEndings, ending) {
		return 0, "", web.Wrong("file", fmt.Sprintf("%q does not end in one of .%s", file,
			strings.Join(frameEndings, ", .")))
	}
	if name == "newest" {
		return v.Pipeline.Now() + 1, ending, nil
	}
	if err := at.UnmarshalText([]byte(name)); err != nil {
		return 0, "", web.Wrong("file", err.Error()+", or newest")
	}
	return at, ending, nil
}

func frameNear(ctx context.Context, v *web.Server, d *site.Device, at measure.Instant) (frame.Frame, error) {
	f, err := events.Frame(ctx, v.Store, d.ID, at)
	if errors.Is(err, store.ErrNotFound) {
		err = fmt.Errorf("%s has no frame: %w", d.Name, err)
	}
	return f, err
}

// gridOf gives the temperatures of a frame: corrected, unless they are asked for as they were sent; less those of
// another frame where one is asked for.
func gridOf(ctx context.Context, v *web.Server, d *site.Device, e *frame.Eye, f *frame.Frame,
	q url.Values) (*frame.Grid, error) {
	seen := func(f *frame.Frame) (*frame.Grid, error) {
		g, err := frame.Unpack(f.Body)
		if err != nil || q.Get("as_sent") == "true" {
			return g, err
		}
		return e.Seen(g)
	}
	g, err := seen(f)
	if err != nil || q.Get("against") == "" {
		return g, err
	}
	var at measure.Instant
	if text := q.Get("against"); text == "reference" {
		if e.Reference == nil {
			return nil, web.Wrong("against", d.Name+" has no reference frame yet")
		}
		at = *e.Reference
	} else if err := at.UnmarshalText([]byte(text)); err != nil {
		return nil, web.Wrong("against", err.Error()+", or reference")
	}
	other, err := frameNear(ctx, v, d, at)
	if err != nil {
		return nil, err
	}
	before, err := seen(&other)
	if err != nil {
		return nil, err
	}
	return g.Less(before)
}

func shownFrame(ctx context.Context, v *web.Server, d *site.Device, f *frame.Frame, g *frame.Grid) chart.Shown {
	zone := time.UTC
	if here, err := config.Site(ctx, v.Store); err == nil {
		zone = here.Location()
	}
	return chart.Shown{Grid: g, Title: d.Title + ", " + f.At.Time().In(zone).Format("2 January 2006 15:04:05")}
}

// Limits of a moving picture: frames, pixels of all its frames together, and how wide it is drawn.
const (
	mostInStrip = 240
	stripPixels = 32_000_000
	stripWidth  = 640
)

// serveStrip answers with the frames of a stretch as a moving picture (GIF89a).
func serveStrip(v *web.Server, c *echo.Context) error {
	ctx := c.Request().Context()
	body, err := stripOf(ctx, v, c)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", c.Param("device")+".gif"))
	return web.Blob(c, "image/gif", body, nil)
}

func stripOf(ctx context.Context, v *web.Server, c *echo.Context) ([]byte, error) {
	q := c.QueryParams()
	d, e, err := eyeOf(ctx, v, c.Param("device"))
	if err != nil {
		return nil, err
	}
	until := v.Pipeline.Now()
	since := until.Add(-24 * time.Hour)
	for field, into := range map[string]*measure.Instant{"since": &since, "until": &until} {
		if text := q.Get(field); text != "" {
			if err := into.UnmarshalText([]byte(text)); err != nil {
				return nil, web.Wrong(field, err.Error())
			}
		}
	}
	l, err := frameLook(ctx, v, q, &e)
	if err != nil {
		return nil, err
	}
	if l.Width == 0 {
		l.Width = 320
	}
	l.Width = min(l.Width, stripWidth)
	most := max(2, min(mostInStrip, stripPixels/max(1, e.Width*e.Height)))
	frames, _, err := events.Frames(ctx, v.Store, d.ID, since, until-1, most)
	if err != nil {
		return nil, err
	}
	if len(frames) == 0 {
		return nil, fmt.Errorf("%s has no frame between %s and %s: %w", d.Name, since, until, store.ErrNotFound)
	}
	var all []chart.Shown
	for i := range frames {
		f, err := frameNear(ctx, v, &d, frames[i].At)
		if err != nil {
			return nil, err
		}
		g, err := gridOf(ctx, v, &d, &e, &f, q)
		if err != nil {
			return nil, err
		}
		all = append(all, shownFrame(ctx, v, &d, &f, g))
	}
	var out bytes.Buffer
	err = chart.FrameGIF(&out, all, l, 20)
	return out.Bytes(), err
}
