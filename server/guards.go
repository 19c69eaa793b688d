package server

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/limit"
	"jauntylark/core/measure"
	"jauntylark/pipeline"
	"jauntylark/store"
)

func (v *Server) listGuards(ctx context.Context, _ *none) (*body[[]alarm.Guard], error) {
	return answer(v.store.Guards(ctx))
}

// saveGuard checks and stores a guard.
func (v *Server) saveGuard(ctx context.Context, g *alarm.Guard) (*body[alarm.Guard], error) {
	if err := tidy(g); err != nil {
		return nil, err
	}
	err := v.pipeline.SaveGuard(ctx, g, actor(ctx))
	return answer(*g, err)
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

// GuardOrder is a new guard: of a signal, or of something that is computed from it.
type GuardOrder struct {
	alarm.Guard
	Watch *derive.Recipe `json:"watch,omitempty" required:"false" doc:"look at what this computes from the signal instead; its first input is the signal"`
}

func (v *Server) addGuard(ctx context.Context, in *body[GuardOrder]) (*body[alarm.Guard], error) {
	g := &in.Body.Guard
	g.ID = 0
	if in.Body.Watch == nil {
		return v.saveGuard(ctx, g)
	}
	if err := tidy(g); err != nil {
		return nil, err
	}
	r := *in.Body.Watch
	if len(r.Of) == 0 || r.Of[0].Signal != g.Signal {
		return nil, &measure.Fault{Field: "watch.of", Reason: "the first is the signal that the guard is about, " + g.Signal}
	}
	err := v.pipeline.SaveWatch(ctx, g, r, actor(ctx))
	return answer(*g, err)
}

// GuardPath is the place of one guard.
type GuardPath struct {
	Guard string `path:"guard"`
}

func (v *Server) putGuard(ctx context.Context, in *struct {
	GuardPath
	Body alarm.Guard
}) (*body[alarm.Guard], error) {
	g, err := v.guard(ctx, in.Guard)
	if err != nil {
		return nil, err
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

func (v *Server) removeGuard(ctx context.Context, in *GuardPath) (*none, error) {
	return nil, v.pipeline.RemoveGuard(ctx, in.Guard, actor(ctx))
}

func (v *Server) shelve(ctx context.Context, in *struct {
	GuardPath
	Body struct {
		Until measure.Instant `json:"until" format:"date-time" doc:"a minute to 30 days from now"`
		Why   string          `json:"why" minLength:"1" maxLength:"500"`
	}
}) (*body[alarm.Guard], error) {
	return answer(v.pipeline.Shelve(ctx, in.Guard, in.Body.Until, in.Body.Why, actor(ctx)))
}

func (v *Server) unshelve(ctx context.Context, in *GuardPath) (*body[alarm.Guard], error) {
	return answer(v.pipeline.Unshelve(ctx, in.Guard, actor(ctx)))
}

func (v *Server) outOfService(ctx context.Context, in *struct {
	GuardPath
	Body struct {
		Why string `json:"why" minLength:"1" maxLength:"500"`
	}
}) (*body[alarm.Guard], error) {
	return answer(v.pipeline.PutOutOfService(ctx, in.Guard, &in.Body.Why, actor(ctx)))
}

func (v *Server) inService(ctx context.Context, in *GuardPath) (*body[alarm.Guard], error) {
	return answer(v.pipeline.PutOutOfService(ctx, in.Guard, nil, actor(ctx)))
}

// Missed says that a guard raised no alarm where it should have.
type Missed struct {
	At   *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"when something was wrong; now when left out"`
	Note string           `json:"note,omitempty" required:"false" maxLength:"500"`
}

func (v *Server) missed(ctx context.Context, in *struct {
	GuardPath
	Body Missed
}) (*none, error) {
	at := v.pipeline.Now()
	if in.Body.At != nil {
		at = *in.Body.At
	}
	return nil, v.pipeline.Missed(ctx, in.Guard, at, in.Body.Note, actor(ctx))
}

// Within is a stretch of time that ends now unless it is told.
type Within struct {
	Since time.Time `query:"since" doc:"from when on; a month ago when left out"`
	Until time.Time `query:"until" doc:"until when; now when left out"`
}

func (w *Within) stretch(now measure.Instant, usual time.Duration) (from, until measure.Instant, err error) {
	until = now
	if !w.Until.IsZero() {
		until = measure.InstantOf(w.Until)
	}
	from = until.Add(-usual)
	if !w.Since.IsZero() {
		from = measure.InstantOf(w.Since)
	}
	if until > now {
		until = now
	}
	if until <= from {
		return 0, 0, wrong("until", until.String()+" is not after since, "+from.String())
	}
	return from, until, nil
}

func (v *Server) getRecord(ctx context.Context, in *struct {
	GuardPath
	Within
}) (*body[alarm.Record], error) {
	g, err := v.guard(ctx, in.Guard)
	if err != nil {
		return nil, err
	}
	from, until, err := in.stretch(v.pipeline.Now(), 30*24*time.Hour)
	if err != nil {
		return nil, err
	}
	r, err := v.store.Recall(ctx, g.Name, from, until)
	if err != nil || !r.Chatters {
		return answer(r, err)
	}
	cure, err := v.pipeline.CureOf(ctx, g.Name, from, until)
	if cure != nil {
		r.Cure = cure.Words
		r.Words += ": " + cure.Words
	}
	return answer(r, err)
}

func (v *Server) getLimits(ctx context.Context, in *struct {
	SignalPath
	Within
}) (*body[limit.Shape], error) {
	s, err := v.signal(ctx, in.SignalPath)
	if err != nil {
		return nil, err
	}
	from, until, err := in.stretch(v.pipeline.Now(), 28*24*time.Hour)
	if err != nil {
		return nil, err
	}
	return answer(v.pipeline.LimitsOf(ctx, s.Path(), from, until))
}

// ReplayOrder says what is to be replayed.
type ReplayOrder struct {
	Guard      alarm.Guard      `json:"guard" doc:"a guard, saved or not"`
	Since      *measure.Instant `json:"since,omitempty" required:"false" format:"date-time" doc:"30 days ago when left out"`
	Until      *measure.Instant `json:"until,omitempty" required:"false" format:"date-time" doc:"now when left out; with events, as far as the guard has come, which lies past now where a device's clock is ahead"`
	WithEvents bool             `json:"with_events,omitempty" required:"false" doc:"of a saved guard, by its name: go through all that happened to it since it was made, as it was then, but for readings that came late; this gives exactly the alarms that were raised"`
}

// ReplayLine is one line of a replay: one of its fields is there.
type ReplayLine struct {
	Alarm   *alarm.Occurrence `json:"alarm,omitempty" doc:"an alarm that it would have raised"`
	At      *measure.Instant  `json:"at,omitempty" format:"date-time" doc:"how far it is"`
	Summary *alarm.Summary    `json:"summary,omitempty" doc:"the last line"`
	Words   string            `json:"words,omitempty" doc:"with the summary: it in words"`
	Marked  *alarm.Marked     `json:"marked,omitempty" doc:"with the summary: how the alarms meet those that people have marked"`
	Problem string            `json:"problem,omitempty" doc:"it could not go on"`
}

// replay answers with lines, so that who waits sees how far it is.
func (v *Server) replay(ctx context.Context, in *body[ReplayOrder]) (*huma.StreamResponse, error) {
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
				err = out.Encode(ReplayLine{Alarm: &alarms[told]})
			}
			return err
		}
		found, err := v.pipeline.Replay(h.Context(), o, func(at measure.Instant, soFar []alarm.Occurrence) error {
			for told < len(soFar) && soFar[told].ClearedAt != nil { // what stands may still change
				if err := out.Encode(ReplayLine{Alarm: &soFar[told]}); err != nil {
					return err
				}
				told++
			}
			err := out.Encode(ReplayLine{At: &at})
			flush()
			return err
		})
		if err != nil {
			_ = out.Encode(ReplayLine{Problem: "The replay could not go on: " + err.Error()})
			return
		}
		if tell(found.Alarms) != nil {
			return // who asked has gone
		}
		summary := alarm.Summarise(found.Alarms, found.From, found.Until)
		_ = out.Encode(ReplayLine{Summary: &summary, Words: summary.Words(), Marked: alarm.Meet(found.Alarms, past)})
	}}, nil
}

func (v *Server) replayOrder(ctx context.Context, in *ReplayOrder) (pipeline.ReplayOrder, error) {
	o := pipeline.ReplayOrder{Guard: in.Guard, Until: v.pipeline.Now(), WithEvents: in.WithEvents}
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
	fitted, err := v.pipeline.FitGuard(ctx, o.Guard)
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
