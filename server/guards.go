package server

import (
	"context"
	"encoding/json"
	"net/http"
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
	"jauntylark/store"
)

func (v *Server) listGuards(ctx context.Context, _ *api.None) ([]alarm.Guard, error) {
	return v.store.Guards(ctx)
}

// saveGuard checks and stores a guard.
func (v *Server) saveGuard(ctx context.Context, g *alarm.Guard) (alarm.Guard, error) {
	if err := tidy(g); err != nil {
		return alarm.Guard{}, err
	}
	err := configure.SaveGuard(ctx, v.pipeline, g, actor(ctx))
	return *g, err
}

// tidy fills in what was left out of a guard, and checks it.
func tidy(g *alarm.Guard) error {
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

func (v *Server) addGuard(ctx context.Context, in *api.Body[api.GuardOrder]) (alarm.Guard, error) {
	g := &in.Body.Guard
	g.ID = 0
	if in.Body.Watch == nil {
		return v.saveGuard(ctx, g)
	}
	if err := tidy(g); err != nil {
		return alarm.Guard{}, err
	}
	r := *in.Body.Watch
	if len(r.Of) == 0 || r.Of[0].Signal != g.Signal {
		return alarm.Guard{}, &measure.Fault{Field: "watch.of", Reason: "the first is the signal that the guard is about, " + g.Signal}
	}
	err := configure.SaveWatch(ctx, v.pipeline, g, r, actor(ctx))
	return *g, err
}

func (v *Server) putGuard(ctx context.Context, in *api.PutGuardIn) (alarm.Guard, error) {
	g, err := v.guard(ctx, in.Guard)
	if err != nil {
		return alarm.Guard{}, err
	}
	in.Body.ID = g.ID
	if in.Body.Name == "" {
		in.Body.Name = g.Name
	}
	return v.saveGuard(ctx, &in.Body)
}

// guard finds a guard by name; the error names the nearest one.
func (v *Server) guard(ctx context.Context, name string) (alarm.Guard, error) {
	guards, err := v.store.Guards(ctx)
	if err != nil {
		return alarm.Guard{}, err
	}
	names := make([]string, len(guards))
	for i, g := range guards {
		if names[i] = g.Name; g.Name == name {
			return g, nil
		}
	}
	return alarm.Guard{}, missing(store.ErrNotFound, "guard", name, names)
}

func (v *Server) removeGuard(ctx context.Context, in *api.GuardPath) error {
	return configure.RemoveGuard(ctx, v.pipeline, in.Guard, actor(ctx))
}

func (v *Server) shelve(ctx context.Context, in *api.ShelveGuardIn) (alarm.Guard, error) {
	return respond.Shelve(ctx, v.pipeline, in.Guard, in.Body.Until, in.Body.Why, actor(ctx))
}

func (v *Server) unshelve(ctx context.Context, in *api.GuardPath) (alarm.Guard, error) {
	return respond.Unshelve(ctx, v.pipeline, in.Guard, actor(ctx))
}

func (v *Server) outOfService(ctx context.Context, in *api.GuardOutOfServiceIn) (alarm.Guard, error) {
	return respond.PutOutOfService(ctx, v.pipeline, in.Guard, &in.Body.Why, actor(ctx))
}

func (v *Server) inService(ctx context.Context, in *api.GuardPath) (alarm.Guard, error) {
	return respond.PutOutOfService(ctx, v.pipeline, in.Guard, nil, actor(ctx))
}

func (v *Server) missed(ctx context.Context, in *api.SayMissedIn) error {
	at := v.pipeline.Now()
	if in.Body.At != nil {
		at = *in.Body.At
	}
	return configure.Missed(ctx, v.pipeline, in.Guard, at, in.Body.Note, actor(ctx))
}

func (v *Server) getRecord(ctx context.Context, in *api.GetRecordIn) (alarm.Record, error) {
	g, err := v.guard(ctx, in.Guard)
	if err != nil {
		return alarm.Record{}, err
	}
	from, until, err := in.Bounds(v.pipeline.Now(), 30*24*time.Hour)
	if err != nil {
		return alarm.Record{}, err
	}
	r, err := v.store.Recall(ctx, g.Name, from, until)
	if err != nil || !r.Chatters {
		return r, err
	}
	cure, err := evidence.CureOf(ctx, v.pipeline, g.Name, from, until)
	if cure != nil {
		r.Cure = cure.Words
		r.Words += ": " + cure.Words
	}
	return r, err
}

func (v *Server) getLimits(ctx context.Context, in *api.GetLimitsIn) (limit.Shape, error) {
	s, err := v.signal(ctx, in.SignalPath)
	if err != nil {
		return limit.Shape{}, err
	}
	from, until, err := in.Bounds(v.pipeline.Now(), 28*24*time.Hour)
	if err != nil {
		return limit.Shape{}, err
	}
	return evidence.LimitsOf(ctx, v.pipeline, s.Path(), from, until)
}

// replay answers with lines, so that who waits sees how far it is.
func (v *Server) replay(ctx context.Context, in *api.Body[api.ReplayOrder]) (*huma.StreamResponse, error) {
	o, err := v.replayOrder(ctx, &in.Body)
	if err != nil {
		return nil, err
	}
	past, err := v.store.Alarms(ctx, store.AlarmQuery{Signal: o.Guard.Signal, Since: o.From, Limit: 10000})
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
		found, err := evidence.Replay(h.Context(), v.pipeline, o, func(at measure.Instant, soFar []alarm.Occurrence) error {
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
		_ = out.Encode(api.ReplayLine{Summary: &summary, Words: summary.Words(), Marked: alarm.Meet(found.Alarms, past)})
	}}, nil
}

func (v *Server) replayOrder(ctx context.Context, in *api.ReplayOrder) (evidence.ReplayOrder, error) {
	o := evidence.ReplayOrder{Guard: in.Guard, Until: v.pipeline.Now(), WithEvents: in.WithEvents}
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
		return o, wrong("until", o.Until.String()+" is not after since, "+o.From.String())
	}
	if in.WithEvents {
		saved, err := v.guard(ctx, in.Guard.Name)
		o.Guard = saved
		return o, err
	}
	if err := tidy(&o.Guard); err != nil {
		return o, within("guard", err)
	}
	fitted, err := evidence.FitGuard(ctx, v.pipeline, o.Guard)
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
