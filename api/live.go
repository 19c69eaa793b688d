package api

import (
	"net/http"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Beat is sent when there is nothing else to tell.
type Beat struct {
	Now  measure.Instant `json:"now" format:"date-time"`
	Away bool            `json:"away" doc:"the database is away, so nothing new can be told"`
}

// Operations that tell what happens as it happens.
var (
	WatchLive = define[WatchLiveIn, File](viewer, "watch-live",
		"GET /live", "Changes as server-sent events", staysOpen,
		detail("Events: change (a Change; its id is the commit's number) and beat (the time, and whether the "+
			"database is away, every 5 s). Last-Event-ID, or the query since, resumes without a gap."),
		gives(jsonOf[site.Change]("text/event-stream")), answers(http.StatusOK, "the stream"))
)

// WatchLiveIn is the input of WatchLive.
type WatchLiveIn struct {
	Last  int64 `header:"Last-Event-ID"`
	Since int64 `query:"since" doc:"in place of the header, for who cannot set it"`
}
