package api

import (
	"net/http"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
)

// Operations on notices and what carries them.
var (
	ListNotices = define[ListNoticesIn, []NoticeStory](viewer, "list-notices",
		"GET /notices", "Notices with each attempt to deliver them, newest first",
		newest(func(v NoticeStory) int64 { return v.ID }))
	GetReach = define[None, ReachNow](viewer, "get-reach",
		"GET /site/reach", "What the site itself tells, and to whom", tagged)
	PutReach = define[Body[roster.SiteReach], ReachNow](owner, "put-reach",
		"PUT /site/reach", "Change what the site itself tells, and to whom", tagged)
	PatchReach   = inParts(PutReach, "Change parts of what the site itself tells, and to whom")
	ListCarriers = define[None, []CarrierNow](viewer, "list-carriers",
		"GET /carriers", "Whether each carrier is on and works",
		listed(func(v CarrierNow) string { return v.Name }))
	ListPlaceholders = define[None, []roster.Placeholder](viewer, "list-placeholders",
		"GET /placeholders", "What templates can say", listed(func(v roster.Placeholder) string { return v.Name }))
	PreviewNotice = define[Body[PreviewOrder], Previewed](viewer, "preview-notice",
		"POST /previews", "How a notice reads by templates, in every carrier's form")
)

// ListNoticesIn is the input of ListNotices.
type ListNoticesIn struct {
	Page
	Alarm   int64  `query:"alarm" minimum:"0" doc:"only those of this alarm"`
	State   string `query:"state" enum:"waiting,sent,delivered,given up,held,summed up" doc:"only those in this state"`
	Contact string `query:"contact" doc:"only those to this contact"`
	Carrier string `query:"carrier" enum:"e-mail,text,voice,chat,webhook,push" doc:"only those by this carrier"`
}

// NoticeStory is a notice with what to do when it fails.
type NoticeStory struct {
	roster.Notice
	Advice string `json:"advice" doc:"of one that was not delivered: what to do"`
}

// CarrierNow is a carrier with whether it works.
type CarrierNow struct {
	roster.CarrierState
	On      bool   `json:"on" doc:"it is switched on in the service's settings"`
	Failing bool   `json:"failing" doc:"it keeps failing"`
	Waiting int    `json:"waiting" doc:"notices that wait for it"`
	How     string `json:"how" doc:"how it is switched on"`
}

// PreviewOrder asks how templates read.
type PreviewOrder struct {
	On        string          `json:"on" enum:"raise,silent,worsen,ease,latched,return,hand,taken,summary" doc:"which notice"`
	Templates alarm.Templates `json:"templates,omitempty" required:"false" nullable:"false" doc:"empty: the built-in words"`
	Alarm     int64           `json:"alarm,omitempty" required:"false" minimum:"0" doc:"number of the alarm whose values are shown; a made-up one when left out"`
}

// Previewed is how a notice reads.
type Previewed struct {
	Forms []roster.Form `json:"forms" nullable:"false" doc:"one for each carrier"`
}

// ReachNow is what the site itself has to tell, with how its heartbeat went.
type ReachNow struct {
	roster.SiteReach
	Heart roster.Heart `json:"heart" readOnly:"true"`
}

// CallBack takes what the gateway of a carrier calls back with.
var CallBack = define[CallBackIn, File](nobody, "call-back",
	"POST /carriers/{carrier}/callback/{secret}",
	"What the gateway of a carrier calls back with: a receipt, or somebody's answer",
	brings(jsonOf[any]("application/json"), textOf("application/x-www-form-urlencoded", "")),
	answers(http.StatusNoContent, "noted"))

// CallBackIn is the input of CallBack, beside what the gateway says.
type CallBackIn struct {
	Carrier string `path:"carrier"`
	Secret  string `path:"secret" doc:"of the address that the gateway was given"`
}
