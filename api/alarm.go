package api

import (
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// Operations on alarms.
var (
	ListAlarms = define[ListAlarmsIn, []alarm.Alarm](viewer, "list-alarms",
		"GET /alarms", "Alarms, newest first: in the order in which the service entered them",
		newest(func(v alarm.Alarm) int64 { return v.ID }))
	GetAlarm = define[AlarmPath, AlarmStory](viewer, "get-alarm",
		"GET /alarms/{id}", "One alarm with its notices and journal")
	AcknowledgeAlarm = define[AcknowledgeAlarmIn, alarm.Alarm](keeper, "acknowledge-alarm",
		"POST /alarms/{id}/acknowledge", "Say that you have it")
	CommentAlarm = define[CommentAlarmIn, alarm.Alarm](keeper, "comment-alarm",
		"PUT /alarms/{id}/comment", "Say what was the cause of an alarm")
	HandAlarm = define[HandAlarmIn, alarm.Alarm](keeper, "hand-alarm",
		"POST /alarms/{id}/hand", "Ask somebody else to take an alarm on")
	ResetAlarm = define[AlarmPath, alarm.Alarm](keeper, "reset-alarm",
		"POST /alarms/{id}/reset", "Reset a latched alarm whose cause is gone")
	MarkAlarm = define[MarkAlarmIn, alarm.Alarm](keeper, "mark-alarm",
		"PUT /alarms/{id}/mark", "Mark an alarm as real, false or useful")
	AlarmHealth = define[Within, alarm.Health](viewer, "alarm-health",
		"GET /alarm-health", "How many alarms people get, beside the figures of EEMUA 191", long)
	HandBackAlarm = define[AlarmPath, alarm.Alarm](keeper, "hand-back-alarm",
		"POST /alarms/{id}/hand-back", "Give an alarm back that somebody has; people are told again")
)

// ListAlarmsIn is the input of ListAlarms.
type ListAlarmsIn struct {
	Page
	All      bool      `query:"all" doc:"those that are over too; so it is too where since, until or state is said"`
	State    string    `query:"state" enum:"raised,over,unacknowledged,acknowledged,latched,shelved" doc:"only those that are so now; all but over mean those that are raised"`
	Severity string    `query:"severity" enum:"advisory,warning,critical" doc:"only those of this severity"`
	Device   string    `query:"device" doc:"only those of this device, its signals and outputs"`
	Signal   string    `query:"signal" doc:"only those of this DEVICE/SIGNAL"`
	Asset    string    `query:"asset" doc:"only those of this asset and what stands in it"`
	Guard    string    `query:"guard" doc:"only those of this guard"`
	Since    time.Time `query:"since" doc:"only those that stood at this instant or later"`
	Until    time.Time `query:"until" doc:"only those that were raised before this instant"`
}

// AcknowledgeAlarmIn is the input of AcknowledgeAlarm.
type AcknowledgeAlarmIn struct {
	AlarmPath
	Body *Word
}

// CommentAlarmIn is the input of CommentAlarm.
type CommentAlarmIn struct {
	AlarmPath
	Body Word
}

// HandAlarmOrder says who is asked to take an alarm on.
type HandAlarmOrder struct {
	To string `json:"to" doc:"who is asked to take it on: a contact or an e-mail address; they are told"`
}

// HandAlarmIn is the input of HandAlarm.
type HandAlarmIn struct {
	AlarmPath
	Body HandAlarmOrder
}

// MarkAlarmOrder says what a person made of an alarm.
type MarkAlarmOrder struct {
	Mark string `json:"mark" enum:",real,false,useful" doc:"real: something was wrong; false: nothing was; useful: good to know; empty takes the mark back"`
}

// MarkAlarmIn is the input of MarkAlarm.
type MarkAlarmIn struct {
	AlarmPath
	Body MarkAlarmOrder
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

// Word is what a person says when acting on an alarm.
type Word struct {
	Comment string `json:"comment,omitempty" required:"false" maxLength:"2000" doc:"what was the cause, as far as it is known"`
}

// Operations on the journal.
var (
	ListJournal = define[ListJournalIn, []site.Entry](viewer, "list-journal",
		"GET /journal", "What happened, newest first: in the order in which the service entered it",
		newest(func(v site.Entry) int64 { return v.ID }))
	WriteNote = define[Body[act.Note], None](keeper, "write-note",
		"POST /journal", "Write a note into the journal: what was done, what was seen; charts show it")
)

// ListJournalIn is the input of ListJournal.
type ListJournalIn struct {
	Page
	Device   string    `query:"device" doc:"only what happened to this device and its signals"`
	Kind     string    `query:"kind" doc:"only entries of this kind, or of all that begin with this word" example:"alarm"`
	Severity string    `query:"severity" enum:"advisory,warning,critical" doc:"only entries about alarms that were as bad at their worst"`
	Words    string    `query:"words" maxLength:"200" doc:"each must begin a word of the entry"`
	Since    time.Time `query:"since" doc:"only what happened then or later, by the entry's at"`
	Until    time.Time `query:"until" doc:"only what happened before then, by the entry's at"`
}
