package place

import (
	"context"
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/limit"
	"jauntylark/core/measure"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/respond"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// guardsOperations has the operations of this file answered.
func guardsOperations(v *web.Server) {
	web.Answer(v, api.ListGuards, listGuards)
	web.Answer(v, api.AddGuard, addGuard)
	web.Keep(v, api.GetGuard, getGuard, api.PutGuard, putGuard, api.PatchGuard)
	web.Carry(v, api.RemoveGuard, removeGuard)
	web.Answer(v, api.ShelveGuard, shelveGuard)
	web.Answer(v, api.UnshelveGuard, unshelveGuard)
	web.Answer(v, api.GuardOutOfService, guardOutOfService)
	web.Answer(v, api.GuardInService, guardInService)
	web.Carry(v, api.SayMissed, sayMissed)
	web.Answer(v, api.GetRecord, getRecord)
	web.AnswerAs(v, api.Replay, replayGuard)
	web.Answer(v, api.GetLimits, getLimits)
}

func listGuards(ctx context.Context, v *web.Server, in *api.ListGuardsIn) ([]alarm.Guard, error) {
	all, err := config.Guards(ctx, v.Store)
	if err != nil {
		return nil, err
	}
	return Of(all, in.Device, in.Signal, func(g *alarm.Guard) string { return g.Signal }), nil
}

// saveGuard checks and stores a guard.
func saveGuard(ctx context.Context, v *web.Server, g *alarm.Guard) (alarm.Guard, error) {
	if err := Tidy(g); err != nil {
		return alarm.Guard{}, err
	}
	err := configure.SaveGuard(ctx, v.Pipeline, g, web.Actor(ctx))
	return *g, err
}

// Tidy fills in what was left out of a guard, and checks it.
func Tidy(g *alarm.Guard) error {
	for i := range g.Count() {
		if g.At(i).Severity == "" {
			g.At(i).Severity = alarm.Warning
		}
	}
	if g.Tell == nil {
		g.Tell = []string{}
	}
	if g.Rungs == nil {
		g.Rungs = alarm.Rungs{}
	}
	if g.Templates == nil {
		g.Templates = alarm.Templates{}
	}
	return g.Check()
}

func addGuard(ctx context.Context, v *web.Server, in *api.Body[api.GuardOrder]) (alarm.Guard, error) {
	g := &in.Body.Guard
	g.ID = 0
	if in.Body.Watch == nil {
		return saveGuard(ctx, v, g)
	}
	if err := Tidy(g); err != nil {
		return alarm.Guard{}, err
	}
	r := *in.Body.Watch
	if len(r.Of) == 0 || r.Of[0].Signal != g.Signal {
		return alarm.Guard{}, &measure.Fault{Field: "watch.of",
			Reason: "the first is the signal that the guard is about, " + g.Signal}
	}
	err := configure.SaveWatch(ctx, v.Pipeline, g, r, web.Actor(ctx))
	return *g, err
}

func getGuard(ctx context.Context, v *web.Server, in *api.GuardPath) (alarm.Guard, error) {
	return FindGuard(ctx, v, in.Guard)
}

// putGuard saves a guard, new or not; one that is there may be given another name.
func putGuard(ctx context.Context, v *web.Server, in *api.PutGuardIn) (alarm.Guard, error) {
	guards, err := config.Guards(ctx, v.Store)
	if err != nil {
		return alarm.Guard{}, err
	}
	in.Body.ID = 0
	if i := slices.IndexFunc(guards, func(g alarm.Guard) bool { return g.Name == in.Guard }); i >= 0 {
		in.Body.ID = guards[i].ID
	}
	if in.Body.Name == "" {
		in.Body.Name = in.Guard
	}
	if in.Body.ID == 0 && in.Body.Name != in.Guard {
		return alarm.Guard{}, &measure.Fault{Field: "name", Reason: "of a new guard is that of its place, " + in.Guard}
	}
	return saveGuard(ctx, v, &in.Body)
}

// FindGuard finds a guard by name; the error names the nearest one.
func FindGuard(ctx context.Context, v *web.Server, name string) (alarm.Guard, error) {
	guards, err := config.Guards(ctx, v.Store)
	return web.Named(guards, err, "guard", name, func(g alarm.Guard) string { return g.Name })
}

func removeGuard(ctx context.Context, v *web.Server, in *api.GuardPath) error {
	return configure.RemoveGuard(ctx, v.Pipeline, in.Guard, web.Actor(ctx))
}

func shelveGuard(ctx context.Context, v *web.Server, in *api.ShelveGuardIn) (alarm.Guard, error) {
	return respond.Shelve(ctx, v.Pipeline, in.Guard, in.Body.Until, in.Body.Why, web.Actor(ctx))
}

func unshelveGuard(ctx context.Context, v *web.Server, in *api.GuardPath) (alarm.Guard, error) {
	return respond.Unshelve(ctx, v.Pipeline, in.Guard, web.Actor(ctx))
}

func guardOutOfService(ctx context.Context, v *web.Server, in *api.GuardOutOfServiceIn) (alarm.Guard, error) {
	return respond.PutOutOfService(ctx, v.Pipeline, in.Guard, &in.Body.Why, web.Actor(ctx))
}

func guardInService(ctx context.Context, v *web.Server, in *api.GuardPath) (alarm.Guard, error) {
	return respond.PutOutOfService(ctx, v.Pipeline, in.Guard, nil, web.Actor(ctx))
}

func sayMissed(ctx context.Context, v *web.Server, in *api.SayMissedIn) error {
	at := v.Pipeline.Now()
	if in.Body.At != nil {
		at = *in.Body.At
	}
	return configure.Missed(ctx, v.Pipeline, in.Guard, at, in.Body.Note, web.Actor(ctx))
}

func getRecord(ctx context.Context, v *web.Server, in *api.GetRecordIn) (alarm.Record, error) {
	g, err := FindGuard(ctx, v, in.Guard)
	if err != nil {
		return alarm.Record{}, err
	}
	from, until, err := in.Bounds(v.Pipeline.Now(), 30*24*time.Hour)
	if err != nil {
		return alarm.Record{}, err
	}
	r, err := events.Recall(ctx, v.Store, g.Name, from, until)
	if err != nil || !r.Chatters {
		return r, err
	}
	cure, err := evidence.CureOf(ctx, v.Pipeline, g.Name, from, until)
	if cure != nil {
		r.Cure = cure.Words
		r.Words += ": " + cure.Words
	}
	return r, err
}

func getLimits(ctx context.Context, v *web.Server, in *api.GetLimitsIn) (limit.Shape, error) {
	s, err := FindSignal(ctx, v, in.SignalPath)
	if err != nil {
		return limit.Shape{}, err
	}
	from, until, err := in.Bounds(v.Pipeline.Now(), 28*24*time.Hour)
	if err != nil {
		return limit.Shape{}, err
	}
	return evidence.LimitsOf(ctx, v.Pipeline, s.Path(), from, until)
}

// replayGuard answers with lines, so that who waits sees how far it is.
func replayGuard(ctx context.Context, v *web.Server, in *api.Body[api.ReplayOrder]) (*huma.StreamResponse, error) {
	o, err := replayOrder(ctx, v, &in.Body)
	if err != nil {
		return nil, err
	}
	past, err := events.Alarms(ctx, v.Store, events.AlarmQuery{Signal: o.Guard.Signal, Since: o.From, Limit: 10000})
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(h huma.Context) {
		h.SetHeader("Content-Type", "application/x-ndjson")
		h.SetHeader("Cache-Control", "no-store")
		out, told := json.NewEncoder(h.BodyWriter()), 0
		flush := func() {
			if f, ok := h.BodyWriter().(http.Flusher); ok {
				f.Flush()
			}
		}
		tell := func(alarms []alarm.Occurrence) (err error) {
			for ; told < len(alarms) && err == nil; told++ {
				err = out.Encode(api.ReplayLine{Alarm: &alarms[told]})
			}
			return err
		}
		found, err := evidence.Replay(h.Context(), v.Pipeline, o,
			func(at measure.Instant, soFar []alarm.Occurrence) error {
				for told < len(soFar) && soFar[told].ClearedAt != nil { // what stands may still change
					if err := out.Encode(api.ReplayLine{Alarm: &soFar[told]}); err != nil {
						return err
					}
					told++
				}
				err := out.Encode(api.ReplayLine{At: &at})
				flush()
				return err
			})
		if err != nil {
			_ = out.Encode(api.ReplayLine{Problem: "The replay could not go on: " + err.Error()})
			return
		}
		if tell(found.Alarms) != nil {
			return // who asked has gone
		}
		summary := alarm.Summarise(found.Alarms, found.From, found.Until)
		_ = out.Encode(api.ReplayLine{Summary: &summary, Words: summary.Words(),
			Marked: alarm.Meet(found.Alarms, past)})
	}}, nil
}

func replayOrder(ctx context.Context, v *web.Server, in *api.ReplayOrder) (evidence.ReplayOrder, error) {
	o := evidence.ReplayOrder{Guard: in.Guard, Until: v.Pipeline.Now(), WithEvents: in.WithEvents}
	if in.Until != nil {
		o.Until = min(*in.Until, o.Until)
	}
	o.From = o.Until.Add(-30 * 24 * time.Hour)
	if in.Until == nil && in.WithEvents {
		o.Until = 0
	}
	if in.Since != nil {
		o.From = *in.Since
	}
	if o.Until != 0 && o.Until <= o.From {
		return o, web.Wrong("until", o.Until.String()+" is not after since, "+o.From.String())
	}
	if in.WithEvents {
		saved, err := FindGuard(ctx, v, in.Guard.Name)
		o.Guard = saved
		return o, err
	}
	if err := Tidy(&o.Guard); err != nil {
		return o, within("guard", err)
	}
	fitted, err := evidence.FitGuard(ctx, v.Pipeline, o.Guard)
	o.Guard = fitted
	return o, within("guard", err)
}

// within names the field around a fault.
func within(place string, err error) error {
	if f, ok := err.(*measure.Fault); ok && !strings.HasPrefix(f.Field, place) {
		return &measure.Fault{Field: place + "." + f.Field, Reason: f.Reason}
	}
	return err
}
