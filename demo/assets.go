package demo

import (
	"bytes"
	"context"
	"strconv"
	"time"

	"jauntylark/api"
	"jauntylark/chart"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/statement"
	"jauntylark/core/wall"
)

// things are the demo's assets, as the API takes them, those that others stand in first.
var things = []object{
	{"name": "glasshouse", "title": "Fern glasshouse", "kind": "house", "signals": []string{"fern-house"},
		"note": "Built in 1871. The north vents are worked **by hand**; the crank hangs by the door."},
	{"name": "propagation-bench", "kind": "bench", "in": "glasshouse", "signals": []string{"bench"}},
	{"name": "fog-pump", "kind": "pump", "in": "propagation-bench", "signals": []string{"fog-pump"},
		"note": "## Fog pump\n\nFeeds the four fog nozzles over the bench.\n\n- Nozzles: descale every **March**\n- " +
			"Valve: a solenoid, 24 V; the spare is in drawer 3 of the potting shed\n- Prime it before the first " +
			"start: see the paper below"},
	{"name": "lily-pond", "title": "Lily pond", "kind": "pond", "in": "glasshouse", "signals": []string{"pond"}},
	{"name": "boiler-room", "title": "Boiler room", "kind": "room", "signals": []string{"boiler-room"},
		"outputs": []string{"boiler-room/fan", "boiler-room/beacon"}},
	{"name": "switchboard", "kind": "cabinet", "in": "boiler-room", "signals": []string{"switchboard-eye"},
		"note": "Main switchboard of the house and the boiler. Torque of the main terminals: **12 N m**. Only " +
			"Hollowbrook Electric may open it."},
	{"name": "compost-heap", "title": "Compost heap", "kind": "heap", "signals": []string{"compost"},
		"outputs": []string{"compost/lamp"}, "note": "Turn it when the core is above 70 °C, or after three weeks."},
}

// assets puts the site's things up, with their pictures, papers and runs; those that are there stay.
func (s *Site) assets(ctx context.Context) error {
	var there []object
	if err := s.Owner.Call(ctx, api.ListAssets.At(), nil, &there); err != nil {
		return err
	}
	if len(there) > 0 {
		return nil
	}
	if err := s.openEye(ctx); err != nil {
		return err
	}
	for _, thing := range things {
		if err := s.Owner.Call(ctx, api.AddAsset.At(), thing, nil); err != nil {
			return err
		}
	}
	for _, p := range []struct{ asset, file, called string }{
		{"fog-pump", "fog-pump.jpg", "The pump under the bench"},
		{"fog-pump", "fog-pump-valve.jpg", "The valve that sticks"},
		{"switchboard", "switchboard.jpg", "The cabinet, open"},
		{"compost-heap", "compost.jpg", "The heap with its probe"},
	} {
		body, err := photos.ReadFile("photos/" + p.file)
		if err != nil {
			return err
		}
		if err := s.Owner.Upload(ctx, api.AddPhoto.At(p.asset).Asking("name", p.called), "application/octet-stream",
			bytes.NewReader(body), &object{}); err != nil {
			return err
		}
	}
	if err := s.paper(ctx); err != nil {
		return err
	}
	day := func(days int) string { return s.Memory.Begun.Time().AddDate(0, 0, days).Format(time.DateOnly) }
	for asset, change := range map[string]object{"fog-pump": {"next_service": day(19)},
		"switchboard": {"next_service": day(-3)}} {
		if err := s.Owner.Call(ctx, api.ChangeAsset.At(asset), change, nil); err != nil {
			return err
		}
	}
	for asset, condition := range map[string]object{
		"fog-pump":    {"condition": "attention", "why": "its valve sticks; a new one is ordered"},
		"switchboard": {"condition": "attention", "why": "the electrician comes on Monday"}} {
		if err := s.Owner.Call(ctx, api.SetCondition.At(asset), condition, nil); err != nil {
			return err
		}
	}
	return s.runs(ctx)
}

// openEye says how the switchboard's frames are read, with a frame of before it warmed as the reference.
func (s *Site) openEye(ctx context.Context) error {
	eye := switchboardEye
	cool := s.Memory.Begun.Add(-8 * 24 * time.Hour)
	answer, err := s.Owner.Fetch(ctx, api.GetFrame.At("switchboard-eye", cool.String()+".csv"), nil)
	if err == nil {
		var at measure.Instant
		if at.UnmarshalText([]byte(answer.Header.Get("Jaunty-Frame"))) == nil {
			eye.Reference = &at
		}
		if err := answer.Body.Close(); err != nil {
			return err
		}
	}
	return s.Owner.Call(ctx, api.PutEye.At("switchboard-eye"), eye, &frame.Eye{})
}

// paper stores the pump's paper, a page that was made up for it.
func (s *Site) paper(ctx context.Context) error {
	sheet := statement.Sheet{Title: "Fog pump, model FP 24", Site: siteName, Words: "how to prime it, and what wears",
		Says: []string{
			"Close the outlet, open the bleed screw, let water run until no air comes, close the screw.",
			"Never let it run dry for longer than ten seconds.",
			"A valve that sticks makes the pump start more often, and run longer each time."},
		Tables: []statement.Table{{Title: "What wears", Columns: []string{"part", "look at it", "replace it"},
			Rows: [][]string{{"nozzles", "each March", "when the fog drips"},
				{"valve", "each quarter", "after 40,000 starts"}, {"seal", "each year", "when it weeps"}}}}}
	var out bytes.Buffer
	if err := chart.SheetPDF(&out, &sheet); err != nil {
		return err
	}
	return s.Owner.Upload(ctx, api.AddPaper.At("fog-pump").Asking("name", "Manual.pdf"), "application/octet-stream",
		&out, &object{})
}

// runs adds the heaps that were, the one that is on, the last nights of the bench, and a plan for those to come.
func (s *Site) runs(ctx context.Context) error {
	heap := clock{begun: s.Memory.Begun}.heapSince()
	core, edge := object{"signal": "compost/core", "reach": 71}, object{"signal": "compost/edge", "low": 27, "high": 45,
		"share": 90}
	all := []object{
		{"asset": "compost-heap", "title": "Heap 6", "started_at": heap.Add(-20 * 24 * time.Hour),
			"ended_at": heap.Add(-20 * time.Hour), "goals": []object{core, edge}, "note": "Too wet: it never got hot."},
		{"asset": "compost-heap", "title": "Heap 7", "started_at": heap, "goals": []object{core, edge},
			"note": "More straw this time."},
	}
	zone, err := time.LoadLocation(zone)
	if err != nil {
		return err
	}
	today := wall.On(s.Memory.Begun, zone)
	for night := range wall.Day(6) {
		from, until := (today-night-1).At(22*60, zone), (today-night).At(6*60, zone)
		if until > measure.InstantOf(time.Now()) {
			continue
		}
		all = append(all, object{"asset": "propagation-bench", "title": "Night to " +
			until.Time().In(zone).Format("Mon 2 January"), "started_at": from, "ended_at": until,
			"goals": []object{{"signal": "bench/root-zone", "low": 18, "high": 23, "share": 90}}})
	}
	heapRun := ""
	for _, r := range all {
		var made struct {
			ID    int64  `json:"id"`
			Title string `json:"title"`
		}
		if err := s.Owner.Call(ctx, api.StartRun.At(), r, &made); err != nil {
			return err
		}
		if made.Title == "Heap 7" {
			heapRun = strconv.FormatInt(made.ID, 10)
		}
	}
	phases := object{"phases": []object{{"at": heap, "name": "heating"},
		{"at": heap.Add(6 * 24 * time.Hour), "name": "hot"}}}
	if err := s.Owner.Call(ctx, api.ChangeRun.At(heapRun), phases, nil); err != nil {
		return err
	}
	turned := object{"text": "Watered the heap, twenty litres", "of": "asset compost-heap",
		"at": heap.Add(3 * 24 * time.Hour)}
	if err := s.Owner.Call(ctx, api.WriteNote.At(), turned, nil); err != nil {
		return err
	}
	plan := object{"asset": "propagation-bench", "title": "Night", "hours": "daily 22:00-06:00",
		"goals": []object{{"signal": "bench/root-zone", "low": 18, "high": 23, "share": 90}}}
	return s.Owner.Call(ctx, api.PutPlan.At("night"), plan, nil)
}
