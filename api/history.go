package api

import (
	"net/http"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/storage"
	"jauntylark/exchange"
)

// Operations on what is stored.
var (
	GetStorage = define[None, Storage](viewer, "get-storage",
		"GET /storage", "What the history takes up, what it will, and what would shrink it", long)
	GetImport = define[ImportPath, ImportJob](keeper, "get-import",
		"GET /imports/{id}", "A file that was brought, and how far its import is")
	RunImport = define[RunImportIn, ImportJob](keeper, "run-import",
		"POST /imports/{id}/run", "Import a file, or try what would happen", accepted)
	EndImport = define[ImportPath, None](keeper, "end-import",
		"DELETE /imports/{id}", "Forget a file that was brought")
	ListClearings = define[None, []site.Clearing](viewer, "list-clearings",
		"GET /clearings", "What was cleared, newest first", listed(func(v site.Clearing) int64 { return v.ID }))
	ClearReadings = define[Body[ClearOrder], ClearAnswer](owner, "clear-readings",
		"POST /clearings", "Clear readings of a stretch; they can be put back for 30 days", long)
	PutBackReadings = define[PutBackReadingsIn, site.Clearing](owner, "put-back-readings",
		"POST /clearings/{id}/undo", "Put back what was cleared")
)

// RunImportIn is the input of RunImport.
type RunImportIn struct {
	ImportPath
	Body ImportOrder
}

// PutBackReadingsIn is the input of PutBackReadings.
type PutBackReadingsIn struct {
	ID int64 `path:"id"`
}

// ImportJob is a file that was brought to be imported, and how far that is.
type ImportJob struct {
	ID      string             `json:"id"`
	Name    string             `json:"name" doc:"of the file"`
	Size    int64              `json:"size" doc:"in bytes"`
	State   string             `json:"state" enum:"guessed,trying,tried,running,done,failed"`
	Layout  exchange.Layout    `json:"layout" doc:"how the file is read; guessed until somebody says"`
	Zoned   bool               `json:"zoned" doc:"the file's times have no zone, so one must be said"`
	First   [][]string         `json:"first" nullable:"false" doc:"first lines of a CSV file"`
	Outcome *exchange.Imported `json:"outcome,omitempty" required:"false" doc:"what would become of it, or became so far"`
	Error   string             `json:"error" doc:"why it failed"`
	Read    float64            `json:"read" doc:"0 to 1: how much of the file is read"`
}

// ImportPath is the place of one import.
type ImportPath struct {
	ID string `path:"id"`
}

// ImportOrder says how to import a file.
type ImportOrder struct {
	Layout  exchange.Layout `json:"layout"`
	Try     bool            `json:"try" required:"false" doc:"tell what would happen, and store nothing"`
	Replace bool            `json:"replace" required:"false" doc:"values of the file take the place of others that are there"`
}

// Storage tells what the history takes up and what it will.
type Storage struct {
	Database int64               `json:"database" doc:"bytes that the database takes up as a whole"`
	Free     *int64              `json:"free" doc:"bytes that are free on its disk; null where the service cannot see it"`
	Disk     *int64              `json:"disk" doc:"size of the disk in bytes"`
	Readings int64               `json:"readings"`
	Each     float64             `json:"each" doc:"bytes a sealed reading, all told"`
	Year     int64               `json:"year" doc:"bytes that a year adds at the rate of the last week, if all is kept"`
	Settled  *int64              `json:"settled" doc:"bytes that it comes to by the rules of what is kept; null where something is kept for ever"`
	Full     *measure.Instant    `json:"full" format:"date-time" doc:"when the disk will be full at this rate; null: not within ten years, or not known"`
	Signals  []storage.Footprint `json:"signals" nullable:"false" doc:"the largest first"`
	Frames   []FrameStorage      `json:"frames" nullable:"false" doc:"thermal frames, the most first"`
	Records  []storage.Records   `json:"records" nullable:"false" doc:"what is kept besides readings, the largest first"`
	Savings  []Saving            `json:"savings" nullable:"false" doc:"what would shrink it"`
	Backlog  storage.Backlog     `json:"backlog"`
	Stale    []storage.Stale     `json:"stale" nullable:"false" doc:"what is being computed anew"`
}

// FrameStorage is what the frames of one device take up, and what they will.
type FrameStorage struct {
	storage.FramesKept
	Year    int64  `json:"year" doc:"bytes that are kept after a year at this rate"`
	Settled *int64 `json:"settled" doc:"bytes that they come to in the end; null where one a day is kept for ever"`
}

// Saving is one thing that would shrink the history.
type Saving struct {
	Do    string `json:"do" doc:"in words"`
	Bytes int64  `json:"bytes" doc:"what a year saves"`
}

// ClearOrder says what to clear.
type ClearOrder struct {
	What    string           `json:"what" required:"false" doc:"DEVICE/SIGNAL, DEVICE, or empty for all"`
	Since   *measure.Instant `json:"since" required:"false" format:"date-time" doc:"from this instant on; from the first when left out"`
	Until   *measure.Instant `json:"until" required:"false" format:"date-time" doc:"before this instant; with the newest when left out"`
	Try     bool             `json:"try" required:"false" doc:"tell what would go, and clear nothing"`
	Confirm string           `json:"confirm" required:"false" doc:"what is cleared, once more, where much would go; the site's name for all"`
}

// ClearAnswer says what is cleared, or would be.
type ClearAnswer struct {
	Clearing *site.Clearing `json:"clearing" doc:"null for a try"`
	Stamp    site.Stamp     `json:"stamp"`
	Signals  int            `json:"signals"`
	Confirm  string         `json:"confirm" doc:"what to type, where much would go; empty: nothing"`
}

// Operations on files of readings and of the whole site.
var (
	ExportReadings = define[ExportReadingsIn, File](viewer, "export-readings",
		"GET /export", "Readings, or figures by period, as a file", streamed,
		detail("The answer is streamed. Its ETag stands for what is in it: a reader that was cut off asks again with "+
			"If-Match and skip, the number of bytes that it has. In CSV a text that begins like a formula has an "+
			"apostrophe before it; in XLSX texts are cells of text."),
		gives(exportKinds()...), answers(http.StatusOK,
			"the file; the header Readings says how many are in the stretch"),
		answers(http.StatusPreconditionFailed, "the readings have changed since"))
	BringImport = define[BringImportIn, File](keeper, "bring-import",
		"POST /imports", "Bring a file to import: CSV, SenML in JSON, or Parquet", created, staysOpen,
		detail("The answer tells what the file seems to be. Nothing is stored until it is run."),
		brings(bytesOf("application/octet-stream")), gives(jsonOf[ImportJob]("application/json")),
		answers(http.StatusCreated, "the file is here"), answers(http.StatusUnprocessableEntity, "it cannot be read"))
	GetArchive = define[None, File](owner, "get-archive",
		"GET /archive", "The whole site as one archive, without secrets", streamed,
		gives(bytesOf(ArchiveType)), answers(http.StatusOK, "the archive"))
	PutArchive = define[None, File](owner, "put-archive",
		"POST /archive", "Fill an empty service from an archive", staysOpen, brings(bytesOf(ArchiveType)),
		gives(jsonOf[Restored]("application/json")),
		answers(http.StatusOK, "it is here, verified"), answers(http.StatusConflict, "the service is not empty"),
		answers(http.StatusUnprocessableEntity, "it is no archive, or broken; nothing was kept"))
)

// ArchiveType is the media type of an archive.
const ArchiveType = "application/gzip"

// Restored is what an archive held.
type Restored struct {
	Site     string `json:"site"`
	Readings string `json:"readings" doc:"how many"`
}

func exportKinds() (all []kind) {
	for _, f := range exchange.Formats {
		name, _, _ := strings.Cut(exchange.Types[f], ";")
		all = append(all, bytesOf(name))
	}
	return all
}

// ExportReadingsIn is the input of ExportReadings.
type ExportReadingsIn struct {
	What   []string  `query:"what,explode" doc:"DEVICE or DEVICE/SIGNAL; may be repeated; all when left out"`
	Since  time.Time `query:"since" doc:"from this instant on; from the first reading when left out"`
	Until  time.Time `query:"until" doc:"before this instant; to now when left out"`
	Every  string    `query:"every" doc:"length of periods (1h, 1d) whose figures are wanted; readings when left out"`
	Format string    `query:"format" enum:"csv,xlsx,senml,parquet" doc:"csv when left out"`
	Zone   string    `query:"zone" doc:"time zone of the times: site, UTC, or a name; site when left out"`
	Names  string    `query:"names" enum:"full,bare" doc:"full: DEVICE/SIGNAL; bare: as the device itself names them, so that another can send it"`
	Values string    `query:"values" enum:"true,raw" doc:"true: corrected, with what is derived; raw: as the devices gave them, to be brought in again"`
	Skip   int64     `query:"skip" doc:"bytes to leave out, for a reader that has them"`
	Match  string    `header:"If-Match" doc:"the ETag of the part that the reader has"`
}

// BringImportIn is the input of BringImport, beside its file.
type BringImportIn struct {
	Name   string `query:"name" doc:"of the file"`
	Device string `query:"device" doc:"the device of signals that are named without one"`
}
