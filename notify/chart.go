package notify

import (
	"bytes"
	"context"
	"time"

	"jauntylark/chart"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// Size of the chart in a mail, in pixels, and how long it goes back.
const (
	chartWidth, chartHeight = 640, 260
	chartBack               = time.Hour
)

// ChartOf draws the last hour of the signal of an alarm, with the limits of its guard, as PNG; nil when there is
// nothing to draw.
func ChartOf(ctx context.Context, s *store.Store, a alarm.Alarm, here site.Site, now measure.Instant) ([]byte, error) {
	device, name, err := site.SplitPath(a.Signal)
	if err != nil { // it is about a device, or about the service itself
		return nil, nil
	}
	v, err := config.Signal(ctx, s, device, name)
	if err != nil || v.Kind != site.KindNumber && v.Kind != site.KindSwitch {
		return nil, err
	}
	if a.ClearedAt != nil {
		now = min(now, a.ClearedAt.Add(chartBack/6))
	}
	span := chart.Span{From: now.Add(-chartBack), Until: now, Zone: here.Location()}
	line, _, err := timeseries.Line(ctx, s, v.ID, span.From, span.Until, chartWidth)
	if err != nil || len(line) < 2 {
		return nil, err
	}
	seen := func(value float64) float64 { value, _ = here.Units.Show(value, v.Unit); return value }
	p := chart.Panel{Title: roster.Thing(site.Title(v.DeviceTitle, v.Device), site.Title(v.Title, v.Name)),
		Unit: here.Units.Of(v.Unit), Step: measure.StepIn(v.Step, v.Unit, here.Units.Of(v.Unit)),
		Steps: v.Kind == site.KindSwitch, Whole: true}
	for _, r := range line {
		r.Value = seen(r.Value)
		p.Line = append(p.Line, r)
	}
	guards, err := config.Guards(ctx, s)
	if err != nil {
		return nil, err
	}
	for i := range guards {
		if guards[i].Name != a.Guard {
			continue
		}
		for k := range guards[i].Count() {
			for _, limit := range guards[i].At(k).When.Limits() {
				p.Limits = append(p.Limits, chart.Limit{Value: seen(limit), Name: guards[i].Name})
			}
		}
	}
	if !a.Drill {
		end := now
		if a.ClearedAt != nil {
			end = *a.ClearedAt
		}
		p.Alarms = []chart.Shading{{From: max(a.RaisedAt, span.From), Until: min(end, span.Until)}}
	}
	var picture bytes.Buffer
	err = chart.PNG(&picture, span, []chart.Panel{p}, chart.Size{Width: chartWidth, Height: chartHeight})
	return picture.Bytes(), err
}
