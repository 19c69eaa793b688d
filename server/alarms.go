package server

import (
	"context"
	"errors"
	"reflect"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/store"
)

var typeOfChange = reflect.TypeFor[site.Change]()

// Page is a page of a list that is told newest first.
type Page struct {
	Before int64 `query:"before" doc:"only those with a lower id: the next page"`
	Limit  int   `query:"limit" default:"100" minimum:"1" maximum:"1000"`
}

func (v *Server) listAlarms(ctx context.Context, in *struct {
	Page
	All    bool      `query:"all" doc:"those that are over too"`
	Signal string    `query:"signal" doc:"DEVICE/SIGNAL"`
	Guard  string    `query:"guard" doc:"name of a guard"`
	Since  time.Time `query:"since" doc:"only those that stood at this instant or later"`
}) (*body[[]alarm.Alarm], error) {
	query := store.AlarmQuery{Standing: !in.All, Signal: in.Signal, Guard: in.Guard, Before: in.Before, Limit: in.Limit}
	if !in.Since.IsZero() {
		query.Since = measure.InstantOf(in.Since)
	}
	return answer(v.store.Alarms(ctx, query))
}

// AlarmStory is one alarm with all that became of it.
type AlarmStory struct {
	alarm.Alarm
	Ended   string          `json:"ended" doc:"why it is over, in the words of its notice; empty: it is not"`
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
		story.Notices, err = v.store.Notices(ctx, store.NoticeQuery{Alarm: in.ID, Limit: 1000})
		for i, n := range story.Notices {
			story.Notices[i] = n.Public()
		}
	}
	if err == nil {
		story.Journal, err = v.store.Journal(ctx, store.JournalQuery{Alarm: in.ID, Limit: 1000})
	}
	if over := slices.IndexFunc(story.Journal, func(e site.Entry) bool { return e.Kind == "alarm over" }); over >= 0 && a.ClearedAt != nil {
		story.Ended = story.Journal[over].Text
	}
	return answer(story, err)
}

// Word is what a person says when acting on an alarm.
type Word struct {
	Comment string `json:"comment,omitempty" required:"false" maxLength:"2000" doc:"what was the cause, as far as it is known"`
}

func (v *Server) acknowledge(ctx context.Context, in *struct {
	AlarmPath
	Body *Word
}) (*body[alarm.Alarm], error) {
	comment := ""
	if in.Body != nil {
		comment = in.Body.Comment
	}
	return answer(v.pipeline.Acknowledge(ctx, in.ID, comment, actor(ctx)))
}

func (v *Server) comment(ctx context.Context, in *struct {
	AlarmPath
	Body Word
}) (*body[alarm.Alarm], error) {
	return answer(v.pipeline.Comment(ctx, in.ID, in.Body.Comment, actor(ctx)))
}

func (v *Server) handOn(ctx context.Context, in *struct {
	AlarmPath
	Body struct {
		To string `json:"to" doc:"who is asked to take it on: a contact or an e-mail address; they are told"`
	}
}) (*body[alarm.Alarm], error) {
	return answer(v.pipeline.Hand(ctx, in.ID, in.Body.To, actor(ctx)))
}

func (v *Server) resetAlarm(ctx context.Context, in *AlarmPath) (*body[alarm.Alarm], error) {
	return answer(v.pipeline.ResetAlarm(ctx, in.ID, actor(ctx)))
}

func (v *Server) markAlarm(ctx context.Context, in *struct {
	AlarmPath
	Body struct {
		Mark string `json:"mark" enum:",real,false,useful" doc:"real: something was wrong; false: nothing was; useful: good to know; empty takes the mark back"`
	}
}) (*body[alarm.Alarm], error) {
	return answer(v.pipeline.MarkAlarm(ctx, in.ID, in.Body.Mark, actor(ctx)))
}

func (v *Server) getHealth(ctx context.Context, in *Within) (*body[alarm.Health], error) {
	from, until, err := in.stretch(v.pipeline.Now(), 30*24*time.Hour)
	if err != nil {
		return nil, err
	}
	return answer(v.pipeline.HealthOf(ctx, from, until))
}

func (v *Server) listJournal(ctx context.Context, in *struct {
	Page
	Device   string    `query:"device" doc:"only what happened to this device and its signals"`
	Kind     string    `query:"kind" doc:"only entries of this kind, or of all that begin with this word" example:"alarm"`
	Severity string    `query:"severity" enum:"advisory,warning,critical" doc:"only entries about alarms that were as bad at their worst"`
	Words    string    `query:"words" maxLength:"200" doc:"each must begin a word of the entry"`
	Since    time.Time `query:"since" doc:"only what happened then or later"`
}) (*body[[]site.Entry], error) {
	q := store.JournalQuery{Device: in.Device, Kind: in.Kind, Severity: in.Severity, Words: in.Words, Before: in.Before, Limit: in.Limit}
	if !in.Since.IsZero() {
		q.Since = measure.InstantOf(in.Since)
	}
	return answer(v.store.Journal(ctx, q))
}

func (v *Server) writeNote(ctx context.Context, in *body[pipeline.Note]) (*none, error) {
	person := personOf(ctx)
	return nil, v.pipeline.WriteNote(ctx, in.Body, person.Called())
}
