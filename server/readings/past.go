package readings

import (
	"context"
	"errors"
	"fmt"
	"math"
	"time"

	"jauntylark/api"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/history"
	"jauntylark/pipeline/record"
	"jauntylark/server/place"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// pastOperations has the operations of this file answered.
func pastOperations(v *web.Server) {
	web.Answer(v, api.ListFigures, listFigures)
	web.Answer(v, api.GetStorage, getStorage)
	web.Answer(v, api.ListClearings, listClearings)
	web.Answer(v, api.ClearReadings, clearReadings)
	web.Answer(v, api.PutBackReadings, putBackReadings)
}

func listFigures(ctx context.Context, v *web.Server, in *api.ListFiguresIn) (api.Figures, error) {
	period, err := series.ParsePeriod(in.Every)
	if err != nil {
		return api.Figures{}, web.Wrong("every", err.Error())
	}
	s, since, until, err := place.StretchOf(ctx, v, in.SignalPath, in.Window)
	if err != nil {
		return api.Figures{}, err
	}
	if s.Kind == site.KindText || s.Kind == site.KindData {
		return api.Figures{}, web.Wrong("signal", s.Path()+" holds "+s.Kind+", which has no figures")
	}
	page := api.Figures{Figures: []api.PeriodFigures{}}
	tx, err := v.Store.Look(ctx)
	if err != nil {
		return api.Figures{}, err
	}
	defer tx.Rollback()
	if in.Until.IsZero() { // the period that goes on now is whole as far as it goes
		until = until.Add(time.Duration(period) + 24*time.Hour)
	}
	err = timeseries.EachFigureRow(ctx, tx, []site.Signal{s}, period, since, until,
		func(row series.Row) error {
			if len(page.Figures) == in.Limit {
				page.Next = &row.At
				return errEnough
			}
			f := api.PeriodFigures{Figures: *row.Figures[0], Until: row.Until, Cut: row.Cut}
			f.Mean, f.HeldMean = f.Figures.Means()
			page.Figures = append(page.Figures, f)
			return nil
		})
	if err == errEnough {
		err = nil
	}
	return page, err
}

// errEnough ends a walk before its end.
var errEnough = errors.New("enough")

const secondsAYear = 365 * 86400

func getStorage(ctx context.Context, v *web.Server, _ *api.None) (api.Storage, error) {
	now := v.Pipeline.Now()
	var out api.Storage
	var err error
	if out.Signals, out.Database, err = timeseries.Footprints(ctx, v.Store, now); err != nil {
		return api.Storage{}, err
	}
	if out.Records, err = events.AllRecords(ctx, v.Store); err != nil {
		return api.Storage{}, err
	}
	if out.Backlog, err = timeseries.Backlog(ctx, v.Store); err != nil {
		return api.Storage{}, err
	}
	if out.Stale, err = timeseries.Stale(ctx, v.Store); err != nil {
		return api.Storage{}, err
	}
	kept, err := timeseries.Keeps(ctx, v.Store)
	if err != nil {
		return api.Storage{}, err
	}
	if out.Frames, err = frameStorage(ctx, v, now); err != nil {
		return api.Storage{}, err
	}
	if v.Disk != "" {
		if free, total, err := history.Room(v.Disk); err == nil {
			out.Free, out.Disk = &free, &total
		}
	}
	forecast(&out, kept, now)
	return out, nil
}

// frameStorage tells what frames take up.
func frameStorage(ctx context.Context, v *web.Server, now measure.Instant) ([]api.FrameStorage, error) {
	kept, err := events.FrameFootprints(ctx, v.Store, now)
	if err != nil {
		return nil, err
	}
	directory, _ := v.Admission.Look()
	out := []api.FrameStorage{}
	for _, f := range kept {
		each := float64(f.Bytes) / float64(f.Count)
		keep := frame.Thinning{}
		if eye := directory.Eyes[f.ID]; eye != nil {
			keep = eye.Keep
		}
		one := api.FrameStorage{FramesKept: f, Year: int64(keep.InYear(f.PerDay) * each)}
		if n := keep.Settled(f.PerDay); n > 0 {
			whole := int64(n * each)
			one.Settled = &whole
		}
		out = append(out, one)
	}
	return out, nil
}

// forecast fills in what comes of the rate of the last week and the rules of what is kept.
func forecast(s *api.Storage, kept []timeseries.Kept, now measure.Instant) {
	keep := map[string]measure.Duration{}
	for _, k := range kept {
		keep[k.Path] = k.Readings
	}
	var bytes int64
	settled, grows := 0.0, 0.0
	forEver := false
	s.Savings = []api.Saving{}
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
			s.Savings = append(s.Savings,
				api.Saving{Do: fmt.Sprintf("keep readings of %s for 90 days, and its figures by hour and day for ever",
					f.Signal), Bytes: int64(quarter)})
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

// muchToClear is from how many readings on the name has to be typed.
const muchToClear = 10_000

func clearReadings(ctx context.Context, v *web.Server, in *api.Body[api.ClearOrder]) (api.ClearAnswer, error) {
	o := in.Body
	all, err := config.Signals(ctx, v.Store)
	if err != nil {
		return api.ClearAnswer{}, err
	}
	var names []string
	if o.What != "" {
		names = []string{o.What}
	}
	devices, err := chosen(all, "what", names)
	if err != nil {
		return api.ClearAnswer{}, err
	}
	c := site.Clearing{What: o.What, From: 0, Until: v.Pipeline.Now().Add(measure.FarAhead)}
	if o.Since != nil {
		c.From = *o.Since
	}
	if o.Until != nil {
		c.Until = *o.Until - 1
	}
	if c.Until < c.From {
		return api.ClearAnswer{}, web.Wrong("until", (c.Until+1).String()+" is not after since, "+c.From.String())
	}
	out, err := toClear(ctx, v, devices, &c)
	if err != nil || o.Try {
		return out, err
	}
	if out.Confirm != "" && o.Confirm != out.Confirm {
		return api.ClearAnswer{}, web.Wrong("confirm", fmt.Sprintf("%s would go; say %q to confirm",
			prose.Count(out.Stamp.Readings, "reading", "readings"), out.Confirm))
	}
	if out.Stamp.Readings == 0 {
		return api.ClearAnswer{}, web.Wrong("what", "there is nothing to clear in this stretch")
	}
	if err := record.Clear(ctx, v.Pipeline, &c, web.Who(ctx)); err != nil {
		return api.ClearAnswer{}, err
	}
	v.Upkeep.Soon()
	c.Until++
	out.Clearing = &c
	return out, nil
}

// toClear tells what a clearing would take away.
func toClear(ctx context.Context, v *web.Server, devices []exportDevice,
	c *site.Clearing) (out api.ClearAnswer, err error) {
	tx, err := v.Store.Look(ctx)
	if err != nil {
		return out, err
	}
	defer tx.Rollback()
	for _, d := range devices {
		for _, s := range d.signals {
			stamp, err := timeseries.Stamp(ctx, tx, s.ID, c.From, c.Until)
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
			here, err := config.Site(ctx, v.Store)
			if err != nil {
				return out, err
			}
			out.Confirm = here.Name
		}
	}
	return out, nil
}

// listClearings tells of clearings up to where they end: what is kept of each is its last instant.
func listClearings(ctx context.Context, v *web.Server, _ *api.None) ([]site.Clearing, error) {
	all, err := timeseries.Clearings(ctx, v.Store)
	for i := range all {
		all[i].Until++
	}
	return all, err
}

func putBackReadings(ctx context.Context, v *web.Server, in *api.PutBackReadingsIn) (site.Clearing, error) {
	c, err := timeseries.Clearing(ctx, v.Store, in.ID)
	if err != nil {
		return site.Clearing{}, web.Missing(err, "clearing", fmt.Sprint(in.ID), nil)
	}
	if err := record.Unclear(ctx, v.Pipeline, c, web.Who(ctx)); err != nil {
		if err == record.ErrTooLate {
			return site.Clearing{}, web.Wrong("id", fmt.Sprintf("clearing %d is %s; there is nothing to put back", c.ID,
				c.State))
		}
		return site.Clearing{}, err
	}
	v.Upkeep.Soon()
	c, err = timeseries.Clearing(ctx, v.Store, in.ID)
	c.Until++
	return c, err
}
