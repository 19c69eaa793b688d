package server

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/record"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
)

func (v *Server) listAlarms(ctx context.Context, in *api.ListAlarmsIn) ([]alarm.Alarm, error) {
	query := store.AlarmQuery{Standing: !in.All, Signal: in.Signal, Guard: in.Guard, Before: in.Before, Limit: in.Limit}
	if !in.Since.IsZero() {
		query.Since = measure.InstantOf(in.Since)
	}
	return v.store.Alarms(ctx, query)
}

func (v *Server) getAlarm(ctx context.Context, in *api.AlarmPath) (api.AlarmStory, error) {
	a, err := v.store.Alarm(ctx, in.ID)
	if errors.Is(err, store.ErrNotFound) {
		return api.AlarmStory{}, huma.Error404NotFound("There is no such alarm.")
	}
	story := api.AlarmStory{Alarm: a}
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
	return story, err
}

func (v *Server) acknowledge(ctx context.Context, in *api.AcknowledgeAlarmIn) (alarm.Alarm, error) {
	comment := ""
	if in.Body != nil {
		comment = in.Body.Comment
	}
	return respond.Acknowledge(ctx, v.pipeline, in.ID, comment, actor(ctx))
}

func (v *Server) comment(ctx context.Context, in *api.CommentAlarmIn) (alarm.Alarm, error) {
	return respond.Comment(ctx, v.pipeline, in.ID, in.Body.Comment, actor(ctx))
}

func (v *Server) handOn(ctx context.Context, in *api.HandAlarmIn) (alarm.Alarm, error) {
	return respond.Hand(ctx, v.pipeline, in.ID, in.Body.To, actor(ctx))
}

func (v *Server) resetAlarm(ctx context.Context, in *api.AlarmPath) (alarm.Alarm, error) {
	return respond.ResetAlarm(ctx, v.pipeline, in.ID, actor(ctx))
}

func (v *Server) markAlarm(ctx context.Context, in *api.MarkAlarmIn) (alarm.Alarm, error) {
	return respond.MarkAlarm(ctx, v.pipeline, in.ID, in.Body.Mark, actor(ctx))
}

func (v *Server) getHealth(ctx context.Context, in *api.Within) (alarm.Health, error) {
	from, until, err := in.Bounds(v.pipeline.Now(), 30*24*time.Hour)
	if err != nil {
		return alarm.Health{}, err
	}
	return evidence.HealthOf(ctx, v.pipeline, from, until)
}

func (v *Server) listJournal(ctx context.Context, in *api.ListJournalIn) ([]site.Entry, error) {
	q := store.JournalQuery{Device: in.Device, Kind: in.Kind, Severity: in.Severity, Words: in.Words, Before: in.Before, Limit: in.Limit}
	if !in.Since.IsZero() {
		q.Since = measure.InstantOf(in.Since)
	}
	return v.store.Journal(ctx, q)
}

func (v *Server) writeNote(ctx context.Context, in *api.Body[act.Note]) error {
	person := personOf(ctx)
	return record.WriteNote(ctx, v.pipeline, in.Body, person.Called())
}
