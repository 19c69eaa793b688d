package api

import (
	"net/http"

	"jauntylark/core/feed"
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
		detail("Events: change (an Update; its id is the commit's number) and beat (the time, and whether the "+
			"database is away, every 5 s). Last-Event-ID, or the query since, resumes without a gap."),
		gives(jsonOf[site.Update]("text/event-stream")), answers(http.StatusOK, "the stream"))
)

// WatchLiveIn is the input of WatchLive.
type WatchLiveIn struct {
	Last  int64 `header:"Last-Event-ID"`
	Since int64 `query:"since" doc:"in place of the header, for who cannot set it"`
}

// Operations on the feed of changes, and on the programs that read it.
var (
	GetChanges = define[GetChangesIn, ChangesPage](viewer, "get-changes",
		"GET /changes", "What commits have changed after a place in the feed, in their order", long, byReader,
		gives(jsonOf[ChangesPage]("application/json")), forgotten,
		detail("Of readings, what is told takes the place of all that the stretch held. A page ends before a commit's "+
			"end where that is long; it may be empty though more follows, where nothing of it is wanted."))
	WatchChanges = define[WatchChangesIn, File](viewer, "watch-changes",
		"GET /changes/stream", "The feed of changes as it goes on, as server-sent events", staysOpen, byReader,
		detail("Events: change (a Change; those with an id end what was told of a commit) and beat (the time, with the "+
			"place as its id, every 5 s). Last-Event-ID, or the query cursor, goes on after it."),
		gives(jsonOf[feed.Change]("text/event-stream")), answers(http.StatusOK, "the stream"), forgotten)

	ListReaders = define[None, []feed.Reader](owner, "list-readers",
		"GET /readers", "Programs that read the feed with a key of their own",
		listed(func(v feed.Reader) string { return v.Name }))
	GetReader = define[ReaderPath, feed.Reader](owner, "get-reader", "GET /readers/{reader}", "One reader", tagged)
	PutReader = define[PutReaderIn, feed.Reader](owner, "put-reader",
		"PUT /readers/{reader}", "Save what a reader is told; its key stays", tagged)
	PatchReader  = inParts(PutReader, "Change parts of what a reader is told; its key stays")
	RemoveReader = define[ReaderPath, None](owner, "remove-reader",
		"DELETE /readers/{reader}", "Remove a reader; its key ends")
	NewReaderKey = define[ReaderPath, ReaderKey](owner, "new-reader-key",
		"POST /readers/{reader}/key", "Make a new key for a reader; it is told once, and the old one ends",
		makes(func(in *ReaderPath, _ ReaderKey) Place { return GetReader.At(in.Reader) }))
)

// RewindReader has the feed posted again.
var RewindReader = define[RewindReaderIn, feed.Reader](owner, "rewind-reader",
	"POST /readers/{reader}/rewind", "Post the feed to a reader again, from a place of the last week on")

// RewindReaderIn is the input of RewindReader.
type RewindReaderIn struct {
	ReaderPath
	Body RewindOrder
}

// RewindOrder says from where on.
type RewindOrder struct {
	Cursor string `json:"cursor" doc:"the number of a commit, or next of a page" example:"4711"`
}

// byReader lets a reader's key do an operation too.
func byReader(op *Operation) { op.Reader = true }

// forgotten says that what is asked for may be known no more.
func forgotten(op *Operation) {
	answers(http.StatusGone, "what follows the place is not known any more; the detail says where to begin")(op)
}

// FeedScope narrows the feed.
type FeedScope struct {
	Kinds   []string `query:"kind,explode" enum:"readings,alarm,journal" doc:"of these kinds alone"`
	Devices []string `query:"device,explode" doc:"about these devices, their signals and outputs alone"`
}

// GetChangesIn is the input of GetChanges.
type GetChangesIn struct {
	FeedScope
	Cursor string `query:"cursor" doc:"how far you are: next of the page before, or the number of a commit; now: the newest; oldest, which is meant when it is left out: the oldest that is known" example:"4711"`
	Limit  int    `query:"limit" default:"500" minimum:"1" maximum:"5000" doc:"so many changes, and 10,000 readings"`
}

// WatchChangesIn is the input of WatchChanges.
type WatchChangesIn struct {
	FeedScope
	Last   string `header:"Last-Event-ID"`
	Cursor string `query:"cursor" doc:"in place of the header; now, which is meant when it is left out, oldest, or a place in the feed"`
}

// ChangesPage is a page of the feed of changes.
type ChangesPage struct {
	Changes []feed.Change `json:"changes" nullable:"false"`
	Next    string        `json:"next" doc:"the cursor of the next page" example:"4711"`
	Newest  int64         `json:"newest" doc:"the number of the newest commit"`
	More    bool          `json:"more" doc:"there is a next page already"`
}

// ReaderPath is the place of one reader.
type ReaderPath struct {
	Reader string `path:"reader"`
}

// PutReaderIn is the input of PutReader.
type PutReaderIn struct {
	ReaderPath
	Body feed.Reader
}

// ReaderKey is a key of a reader: as bearer over HTTP, as password over MQTT.
type ReaderKey struct {
	User string `json:"user" doc:"the user name that goes with it over MQTT"`
	Key  string `json:"key" doc:"told once"`
	// Secret signs what is posted to the reader.
	Secret string `json:"secret,omitempty" doc:"of a reader to which the feed is posted: what signs it; told once, with each key anew"`
}
