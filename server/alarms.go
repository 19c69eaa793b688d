package server

import (
	"context"
	"errors"
	"reflect"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/standin"
	"jauntylark/store"
)

var typeOfChange = reflect.TypeFor[site.Change]()

func (v *Server) listGuards(ctx context.Context, _ *none) (*body[[]alarm.Guard], error) {
	return answer(v.store.Guards(ctx))
}

// saveGuard checks and stores a guard.
func (v *Server) saveGuard(ctx context.Context, g *alarm.Guard) (*body[alarm.Guard], error) {
	if g.Severity == "" {
		g.Severity = alarm.Warning
	}
	if g.Tell == nil {
		g.Tell = []string{}
	}
	for i, address := range g.Tell {
		clean, err := site.CheckEmail(address)
		if err != nil {
			return nil, wrong("tell", err.Error())
		}
		g.Tell[i] = clean
	}
	if err := g.Check(); err != nil {
		return nil, err
	}
	err := v.pipeline.SaveGuard(ctx, g, actor(ctx))
	return answer(*g, err)
}

func (v *Server) addGuard(ctx context.Context, in *body[alarm.Guard]) (*body[alarm.Guard], error) {
	in.Body.ID = 0
	return v.saveGuard(ctx, &in.Body)
}

// GuardPath is the place of one guard.
type GuardPath struct {
	Guard string `path:"guard"`
}

func (v *Server) putGuard(ctx context.Context, in *struct {
	GuardPath
	Body alarm.Guard
}) (*body[alarm.Guard], error) {
	guards, err := v.store.Guards(ctx)
	if err != nil {
		return nil, err
	}
	names := make([]string, len(guards))
	for i, g := range guards {
		if names[i] = g.Name; g.Name == in.Guard {
			in.Body.ID = g.ID
			if in.Body.Name == "" {
				in.Body.Name = g.Name
			}
			return v.saveGuard(ctx, &in.Body)
		}
	}
	return nil, missing(store.ErrNotFound, "guard", in.Guard, names)
}

func (v *Server) removeGuard(ctx context.Context, in *GuardPath) (*none, error) {
	return nil, v.pipeline.RemoveGuard(ctx, in.Guard, actor(ctx))
}

// Page is a page of a list that is told newest first.
type Page struct {
	Before int64 `query:"before" doc:"only those with a lower id: the next page"`
	Limit  int   `query:"limit" default:"100" minimum:"1" maximum:"1000"`
}

func (v *Server) listAlarms(ctx context.Context, in *struct {
	Page
	All    bool      `query:"all" doc:"those that are over too"`
	Signal string    `query:"signal" doc:"DEVICE/SIGNAL"`
	Since  time.Time `query:"since" doc:"only those that stood at this instant or later"`
}) (*body[[]alarm.Alarm], error) {
	query := store.AlarmQuery{Standing: !in.All, Signal: in.Signal, Before: in.Before, Limit: in.Limit}
	if !in.Since.IsZero() {
		query.Since = measure.InstantOf(in.Since)
	}
	return answer(v.store.Alarms(ctx, query))
}

// AlarmStory is one alarm with all that became of it.
type AlarmStory struct {
	alarm.Alarm
	Notices []roster.Notice `json:"notices" nullable:"false" doc:"who was told, newest first"`
	Journal []site.Entry    `json:"journal" nullable:"false" doc:"newest first"`
}

// AlarmPath is the place of one alarm.
type AlarmPath struct {
	ID int64 `path:"id" minimum:"1"`
}

func (v *Server) getAlarm(ctx context.Context, in *AlarmPath) (*body[AlarmStory], error) {
	a, err := v.store.Alarm(ctx, in.ID)
	if errors.Is(err, store.ErrNotFound) {
		return nil, huma.Error404NotFound("There is no such alarm.")
	}
	story := AlarmStory{Alarm: a}
	if err == nil {
		story.Notices, err = v.store.Notices(ctx, in.ID, 0, 1000)
	}
	if err == nil {
		story.Journal, err = v.store.Journal(ctx, in.ID, 0, 1000)
	}
	return answer(story, err)
}

func (v *Server) acknowledge(ctx context.Context, in *AlarmPath) (*body[alarm.Alarm], error) {
	return answer(v.pipeline.Acknowledge(ctx, in.ID, actor(ctx)))
}

func (v *Server) listJournal(ctx context.Context, in *Page) (*body[[]site.Entry], error) {
	return answer(v.store.Journal(ctx, 0, in.Before, in.Limit))
}

func (v *Server) listNotices(ctx context.Context, in *struct {
	Page
	Alarm int64 `query:"alarm" minimum:"0" doc:"only those of this alarm"`
}) (*body[[]roster.Notice], error) {
	return answer(v.store.Notices(ctx, in.Alarm, in.Before, in.Limit))
}

func (v *Server) standinInbox(context.Context, *none) (*body[[]standin.Message], error) {
	if v.Inbox == nil {
		return nil, huma.Error404NotFound("This service has no stand-ins; 'jaunty demo' has.")
	}
	return answer(v.Inbox.Messages(), nil)
}
