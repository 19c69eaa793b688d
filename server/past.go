package server

import (
	"context"
	"errors"
	"fmt"
	"math"
	"time"

	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/history"
	"jauntylark/pipeline"
	"jauntylark/store"
)

// Figures are the figures of a stretch by period.
type Figures struct {
	Figures []PeriodFigures  `json:"figures" nullable:"false"`
	Next    *measure.Instant `json:"next" format:"date-time" doc:"since of the next page; null when this is the last"`
}

// PeriodFigures are those of one period, with both means.
type PeriodFigures struct {
	series.Figures
	Mean     *float64 `json:"mean" doc:"the plain mean: each reading counts alike; null without a reading"`
	HeldMean *float64 `json:"held_mean" doc:"the time-weighted mean: each value counts for as long as it held; null where none is known to have held"`
}

func (v *Server) listFigures(ctx context.Context, in *struct {
	SignalPath
	Stretch
	Every string `query:"every" default:"1h" doc:"length of the periods: whole days, or a part of a day"`
	Limit int    `query:"limit" default:"10000" minimum:"1" maximum:"20000"`
}) (*body[Figures], error) {
	period, err := series.ParsePeriod(in.Every)
	if err != nil {
		return nil, wrong("every", err.Error())
	}
	s, since, until, err := v.stretch(ctx, in.SignalPath, in.Stretch)
	if err != nil {
		return nil, err
	}
	if s.Kind == site.KindText || s.Kind == site.KindData {
		return nil, wrong("signal", s.Path()+" holds "+s.Kind+", which has no figures")
	}
	page := Figures{Figures: []PeriodFigures{}}
	tx, err := v.store.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	err = tx.EachFigureRow(ctx, []site.Signal{s}, period, since, until, func(at measure.Instant, row []*series.Figures) error {
		if len(page.Figures) == in.Limit {
			page.Next = &at
			return errEnough
		}
		f := PeriodFigures{Figures: *row[0]}
		f.Mean, f.HeldMean = f.Figures.Means()
		page.Figures = append(page.Figures, f)
		return nil
	})
	if err == errEnough {
		err = nil
	}
	return answer(page, err)
}

// errEnough ends a walk before its end.
var errEnough = errors.New("enough")

// Storage tells what the history takes up and what it will.
type Storage struct {
	Database int64             `json:"database" doc:"bytes that the database takes up as a whole"`
	Free     *int64            `json:"free" doc:"bytes that are free on its disk; null where the service cannot see it"`
	Disk     *int64            `json:"disk" doc:"size of the disk in bytes"`
	Readings int64             `json:"readings"`
	Each     float64           `json:"each" doc:"bytes a sealed reading, all told"`
	Year     int64             `json:"year" doc:"bytes that a year adds at the rate of the last week, if all is kept"`
	Settled  *int64            `json:"settled" doc:"bytes that it comes to by the rules of what is kept; null where something is kept for ever"`
	Full     *measure.Instant  `json:"full" format:"date-time" doc:"when the disk will be full at this rate; null: not within ten years, or not known"`
	Signals  []store.Footprint `json:"signals" nullable:"false" doc:"the largest first"`
	Frames   []FrameStorage    `json:"frames" nullable:"false" doc:"thermal frames, the most first"`
	Records  []store.Records   `json:"records" nullable:"false" doc:"what is kept besides readings, the largest first"`
	Savings  []Saving          `json:"savings" nullable:"false" doc:"what would shrink it"`
	Backlog  store.Backlog     `json:"backlog"`
	Stale    []store.Stale     `json:"stale" nullable:"false" doc:"what is being computed anew"`
}

// FrameStorage is what the frames of one device take up, and what they will.
type FrameStorage struct {
	store.FramesKept
	Year    int64  `json:"year" doc:"bytes that are kept after a year at this rate"`
	Settled *int64 `json:"settled" doc:"bytes that they come to in the end; null where one a day is kept for ever"`
}

// Saving is one thing that would shrink the history.
type Saving struct {
	Do    string `json:"do" doc:"in words"`
	Bytes int64  `json:"bytes" doc:"what a year saves"`
}

const secondsAYear = 365 * 86400

func (v *Server) getStorage(ctx context.Context, _ *none) (*body[Storage], error) {
	now := v.pipeline.Now()
	var out Storage
	var err error
	if out.Signals, out.Database, err = v.store.Footprints(ctx, now); err != nil {
		return nil, err
	}
	if out.Records, err = v.store.AllRecords(ctx); err != nil {
		return nil, err
	}
	if out.Backlog, err = v.store.Backlog(ctx); err != nil {
		return nil, err
	}
	if out.Stale, err = v.store.Stale(ctx); err != nil {
		return nil, err
	}
	kept, err := v.store.Keeps(ctx)
	if err != nil {
		return nil, err
	}
	if out.Frames, err = v.frameStorage(ctx, now); err != nil {
		return nil, err
	}
	if v.Disk != "" {
		if free, total, err := history.Room(v.Disk); err == nil {
			out.Free, out.Disk = &free, &total
		}
	}
	out.forecast(kept, now)
	return answer(out, nil)
}

// frameStorage tells what frames take up.
func (v *Server) frameStorage(ctx context.Context, now measure.Instant) ([]FrameStorage, error) {
	kept, err := v.store.FrameFootprints(ctx, now)
	if err != nil {
		return nil, err
	}
	directory, _ := v.door.Look()
	out := []FrameStorage{}
	for _, f := range kept {
		each := float64(f.Bytes) / float64(f.Count)
		keep := frame.Thinning{}
		if eye := directory.Eyes[f.ID]; eye != nil {
			keep = eye.Keep
		}
		one := FrameStorage{FramesKept: f, Year: int64(keep.InYear(f.PerDay) * each)}
		if n := keep.Settled(f.PerDay); n > 0 {
			whole := int64(n * each)
			one.Settled = &whole
		}
		out = append(out, one)
	}
	return out, nil
}

// forecast fills in what comes of the rate of the last week and the rules of what is kept.
func (s *Storage) forecast(kept []store.Kept, now measure.Instant) {
	keep := map[string]measure.Duration{}
	for _, k := range kept {
		keep[k.Path] = k.Readings
	}
	var bytes int64
	settled, grows := 0.0, 0.0
	forEver := false
	s.Savings = []Saving{}
	for _, f := range s.Signals {
		bytes, s.Readings = bytes+f.Bytes, s.Readings+f.Readings
	}
	if s.Readings > 0 {
		s.Each = float64(bytes) / float64(s.Readings)
	}
	for _, f := range s.Signals {
		each := s.Each
		if f.Readings > 0 {
			each = float64(f.Bytes) / float64(f.Readings)
		}
		year := f.PerDay * 365 * each
		s.Year += int64(year)
		if d := keep[f.Signal]; d != 0 {
			settled += f.PerDay * each * time.Duration(d).Hours() / 24
			continue
		}
		forEver, grows = true, grows+year
		if quarter := year * 275 / 365; len(s.Savings) < 3 && year > float64(s.Year)/20 && quarter >= 1e6 {
			s.Savings = append(s.Savings, Saving{Do: fmt.Sprintf("keep readings of %s for 90 days, and its figures by hour and day for ever", f.Signal), Bytes: int64(quarter)})
		}
	}
	for _, f := range s.Frames {
		s.Year += f.Year
		if f.Settled != nil {
			settled += float64(*f.Settled)
			continue
		}
		forEver, grows = true, grows+365*float64(f.Bytes)/float64(f.Count) // one a day
		settled += float64(f.Year)
	}
	if !forEver {
		whole := int64(settled)
		s.Settled = &whole
	}
	if s.Free != nil && grows > 0 {
		if years := float64(*s.Free) / grows; years < 10 {
			full := now + measure.Instant(math.Round(years*secondsAYear))*1000
			s.Full = &full
		}
	}
}

// ClearOrder says what to clear.
type ClearOrder struct {
	What    string           `json:"what" required:"false" doc:"DEVICE/SIGNAL, DEVICE, or empty for all"`
	Since   *measure.Instant `json:"since" required:"false" format:"date-time" doc:"from the first when left out"`
	Until   *measure.Instant `json:"until" required:"false" format:"date-time" doc:"to the newest when left out"`
	Try     bool             `json:"try" required:"false" doc:"tell what would go, and clear nothing"`
	Confirm string           `json:"confirm" required:"false" doc:"what is cleared, once more, where much would go; the site's name for all"`
}

// ClearAnswer says what is cleared, or would be.
type ClearAnswer struct {
	Clearing *site.Clearing `json:"clearing" doc:"null for a try"`
	Stamp    site.Stamp     `json:"stamp"`
	Signals  int            `json:"signals"`
	Confirm  string         `json:"confirm" doc:"what to type, where much would go; empty: nothing"`
}

// muchToClear is from how many readings on the name has to be typed.
const muchToClear = 10_000

func (v *Server) clear(ctx context.Context, in *body[ClearOrder]) (*body[ClearAnswer], error) {
	o := in.Body
	all, err := v.store.Signals(ctx)
	if err != nil {
		return nil, err
	}
	var names []string
	if o.What != "" {
		names = []string{o.What}
	}
	devices, err := chosen(all, names)
	if err != nil {
		return nil, err
	}
	c := site.Clearing{What: o.What, From: 0, Until: v.pipeline.Now().Add(farAhead)}
	if o.Since != nil {
		c.From = *o.Since
	}
	if o.Until != nil {
		c.Until = *o.Until
	}
	if c.Until < c.From {
		return nil, wrong("until", c.Until.String()+" is before since, "+c.From.String())
	}
	out, err := v.toClear(ctx, devices, &c)
	if err != nil || o.Try {
		return answer(out, err)
	}
	if out.Confirm != "" && o.Confirm != out.Confirm {
		return nil, wrong("confirm", fmt.Sprintf("%s would go; say %q to confirm", measure.Count(out.Stamp.Readings, "reading", "readings"), out.Confirm))
	}
	if out.Stamp.Readings == 0 {
		return nil, wrong("what", "there is nothing to clear in this stretch")
	}
	if err := v.pipeline.Clear(ctx, &c, who(ctx)); err != nil {
		return nil, err
	}
	v.keeper.Soon()
	out.Clearing = &c
	return answer(out, nil)
}

// toClear tells what a clearing would take away.
func (v *Server) toClear(ctx context.Context, devices []exportDevice, c *site.Clearing) (out ClearAnswer, err error) {
	tx, err := v.store.Look(ctx)
	if err != nil {
		return out, err
	}
	defer tx.Rollback()
	for _, d := range devices {
		for _, s := range d.signals {
			stamp, err := tx.Stamp(ctx, s.ID, c.From, c.Until)
			if err != nil {
				return out, err
			}
			if stamp.Readings > 0 {
				out.Signals++
			}
			out.Stamp.Add(stamp)
		}
	}
	if out.Stamp.Readings >= muchToClear {
		if out.Confirm = c.What; c.What == "" {
			here, err := v.store.Site(ctx)
			if err != nil {
				return out, err
			}
			out.Confirm = here.Name
		}
	}
	return out, nil
}

func (v *Server) listClearings(ctx context.Context, _ *none) (*body[[]site.Clearing], error) {
	return answer(v.store.Clearings(ctx))
}

func (v *Server) unclear(ctx context.Context, in *struct {
	ID int64 `path:"id"`
}) (*body[site.Clearing], error) {
	c, err := v.store.Clearing(ctx, in.ID)
	if err != nil {
		return nil, missing(err, "clearing", fmt.Sprint(in.ID), nil)
	}
	if err := v.pipeline.Unclear(ctx, c, who(ctx)); err != nil {
		if err == pipeline.ErrTooLate {
			return nil, wrong("id", fmt.Sprintf("clearing %d is %s; there is nothing to put back", c.ID, c.State))
		}
		return nil, err
	}
	v.keeper.Soon()
	return answer(v.store.Clearing(ctx, in.ID))
}
