package people

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/asset"
	"jauntylark/core/site"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/record"
	"jauntylark/pipeline/respond"
	"jauntylark/server/web"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// alarmsOperations has the operations of this file answered.
func alarmsOperations(v *web.Server) {
	web.Answer(v, api.ListAlarms, listAlarms)
	web.Answer(v, api.GetAlarm, getAlarm)
	web.Answer(v, api.AcknowledgeAlarm, acknowledgeAlarm)
	web.Answer(v, api.CommentAlarm, commentAlarm)
	web.Answer(v, api.HandAlarm, handOn)
	web.Answer(v, api.ResetAlarm, resetAlarm)
	web.Answer(v, api.MarkAlarm, markAlarm)
	web.Answer(v, api.AlarmHealth, getHealth)
	web.Answer(v, api.ListJournal, listJournal)
	web.Carry(v, api.WriteNote, writeNote)
}

func listAlarms(ctx context.Context, v *web.Server, in *api.ListAlarmsIn) ([]alarm.Alarm, error) {
	query := events.AlarmQuery{State: in.State, Severity: in.Severity, Signal: in.Signal, Guard: in.Guard,
		Since: api.Given(in.Since), Until: api.Given(in.Until), Limit: in.More()}
	var err error
	if query.Before, err = in.Before(); err != nil {
		return nil, err
	}
	query.Standing = !in.All && in.State == "" && in.Since.IsZero() && in.Until.IsZero()
	switch {
	case in.Asset != "" && in.Device != "":
		return nil, web.Wrong("asset", "cannot be asked for together with device")
	case in.Device != "":
		query.Of = &events.Subjects{Devices: []string{in.Device}}
	case in.Asset != "":
		all, err := config.Assets(ctx, v.Store)
		if _, err = web.Named(all, err, "asset", in.Asset, func(a asset.Asset) string { return a.Name }); err != nil {
			return nil, err
		}
		query.Of = &events.Subjects{}
		query.Of.Paths, query.Of.Devices = asset.Subjects(all, in.Asset)
	}
	return events.Alarms(ctx, v.Store, query)
}

func getAlarm(ctx context.Context, v *web.Server, in *api.AlarmPath) (api.AlarmStory, error) {
	a, err := events.Alarm(ctx, v.Store, in.ID)
	if errors.Is(err, store.ErrNotFound) {
		return api.AlarmStory{}, huma.Error404NotFound("There is no such alarm.")
	}
	story := api.AlarmStory{Alarm: a}
	if err == nil {
		story.Notices, err = events.Notices(ctx, v.Store, events.NoticeQuery{Alarm: in.ID, Limit: 1000})
		for i, n := range story.Notices {
			story.Notices[i] = n.Public()
		}
	}
	if err == nil {
		story.Journal, err = events.Journal(ctx, v.Store, events.JournalQuery{Alarm: in.ID, Limit: 1000})
	}
	if over := slices.IndexFunc(story.Journal, func(e site.Entry) bool { return e.Kind == "alarm over" }); over >= 0 &&
		a.ClearedAt != nil {
		story.Ended = story.Journal[over].Text
	}
	return story, err
}

func acknowledgeAlarm(ctx context.Context, v *web.Server, in *api.AcknowledgeAlarmIn) (alarm.Alarm, error) {
	comment := ""
	if in.Body != nil {
		comment = in.Body.Comment
	}
	return respond.Acknowledge(ctx, v.Pipeline, in.ID, comment, web.Actor(ctx))
}

func commentAlarm(ctx context.Context, v *web.Server, in *api.CommentAlarmIn) (alarm.Alarm, error) {
	return respond.Comment(ctx, v.Pipeline, in.ID, in.Body.Comment, web.Actor(ctx))
}

func handOn(ctx context.Context, v *web.Server, in *api.HandAlarmIn) (alarm.Alarm, error) {
	return respond.Hand(ctx, v.Pipeline, in.ID, in.Body.To, web.Actor(ctx))
}

func resetAlarm(ctx context.Context, v *web.Server, in *api.AlarmPath) (alarm.Alarm, error) {
	return respond.ResetAlarm(ctx, v.Pipeline, in.ID, web.Actor(ctx))
}

func markAlarm(ctx context.Context, v *web.Server, in *api.MarkAlarmIn) (alarm.Alarm, error) {
	return respond.MarkAlarm(ctx, v.Pipeline, in.ID, in.Body.Mark, web.Actor(ctx))
}

func getHealth(ctx context.Context, v *web.Server, in *api.Within) (alarm.Health, error) {
	from, until, err := in.Bounds(v.Pipeline.Now(), 30*24*time.Hour)
	if err != nil {
		return alarm.Health{}, err
	}
	return evidence.HealthOf(ctx, v.Pipeline, from, until)
}

func listJournal(ctx context.Context, v *web.Server, in *api.ListJournalIn) ([]site.Entry, error) {
	q := events.JournalQuery{Device: in.Device, Kind: in.Kind, Severity: in.Severity, Words: in.Words,
		Since: api.Given(in.Since), Until: api.Given(in.Until), Limit: in.More()}
	var err error
	if q.Before, err = in.Before(); err != nil {
		return nil, err
	}
	return events.Journal(ctx, v.Store, q)
}

func writeNote(ctx context.Context, v *web.Server, in *api.Body[act.Note]) error {
	person := web.PersonOf(ctx)
	return record.WriteNote(ctx, v.Pipeline, in.Body, person.Called())
}
