package api

import (
	"time"

	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/series"
)

// Operations on readings, lines and figures.
var (
	ListReadings = define[ListReadingsIn, Readings](viewer, "list-readings",
		"GET /signals/{device}/{signal}/readings", "Readings of a stretch, in order of time", long)
	StreamReadings = define[StreamReadingsIn, ReadingLine](viewer, "stream-readings",
		"GET /readings",
		"Readings of several signals over one stretch, in order of time: one JSON object a line", lines)
	GetLine = define[GetLineIn, Line](viewer, "get-line",
		"GET /signals/{device}/{signal}/line",
		"A stretch reduced to what a chart of so many columns can show", long)
	ListLines = define[ListLinesIn, Lines](viewer, "list-lines",
		"GET /lines", "The lines of several signals over one stretch, with their gaps and marks", long)
	ListTails = define[ListTailsIn, []Tail](viewer, "list-tails",
		"GET /tails", "What came of several signals since: the live end of their lines")
	ListStates = define[ListStatesIn, board.Course](viewer, "list-states",
		"GET /signals/{device}/{signal}/states",
		"The states of a stretch, off and on or bands, with how long each lasted", long)
	GetSpread = define[GetSpreadIn, series.Spread](viewer, "get-spread",
		"GET /signals/{device}/{signal}/spread",
		"How often each value came in a stretch, and how values go over the day", long)
	ListFigures = define[ListFiguresIn, Figures](viewer, "list-figures",
		"GET /signals/{device}/{signal}/figures",
		"Figures of a stretch by period: lowest, highest, both means", long)
)

// ListReadingsIn is the input of ListReadings.
type ListReadingsIn struct {
	SignalPath
	Window
	Limit int `query:"limit" default:"10000" minimum:"1" maximum:"100000"`
}

// StreamReadingsIn is the input of StreamReadings.
type StreamReadingsIn struct {
	Signals []string `query:"signal,explode" minItems:"1" maxItems:"200" doc:"DEVICE/SIGNAL, or DEVICE for all of its signals; once for each" required:"true"`
	Window
}

// ReadingLine is one line of StreamReadings: a reading, or the end.
type ReadingLine struct {
	Signal  string           `json:"signal,omitempty" doc:"DEVICE/SIGNAL"`
	At      *measure.Instant `json:"at,omitempty" format:"date-time" doc:"when it was measured"`
	Value   *float64         `json:"value,omitempty" doc:"in the signal's unit; 1 or 0 for on and off; of a text its number"`
	Text    string           `json:"text,omitempty" doc:"of a text or data signal"`
	Quality measure.Quality  `json:"quality,omitempty" doc:"marks; left out where it is good"`
	Count   *int             `json:"count,omitempty" doc:"of the last line: how many readings came before it; an answer without it was cut off"`
	Problem string           `json:"problem,omitempty" doc:"of the last line: why it could not go on"`
}

// GetLineIn is the input of GetLine.
type GetLineIn struct {
	SignalPath
	Window
	Columns int `query:"columns" default:"1200" minimum:"1" maximum:"8000"`
}

// ListLinesIn is the input of ListLines.
type ListLinesIn struct {
	SeveralSignals
	Window
	Columns int `query:"columns" default:"1200" minimum:"1" maximum:"8000"`
}

// ListTailsIn is the input of ListTails.
type ListTailsIn struct {
	SeveralSignals
	Since time.Time `query:"since" required:"true" doc:"after this instant; an hour ago at most"`
}

// ListStatesIn is the input of ListStates.
type ListStatesIn struct {
	SignalPath
	Window
}

// GetSpreadIn is the input of GetSpread.
type GetSpreadIn struct {
	SignalPath
	Window
	Bins int `query:"bins" default:"40" minimum:"2" maximum:"400"`
}

// ListFiguresIn is the input of ListFigures.
type ListFiguresIn struct {
	SignalPath
	Window
	Every string `query:"every" default:"1h" doc:"length of the periods: whole days, or a part of a day"`
	Limit int    `query:"limit" default:"10000" minimum:"1" maximum:"20000"`
}

// SeveralSignals names the signals of a chart.
type SeveralSignals struct {
	Signals []string `query:"signal,explode" minItems:"1" maxItems:"60" doc:"DEVICE/SIGNAL; once for each" required:"true"`
}

// SignalLine is the line of one signal, with what has to be known to draw it truly.
type SignalLine struct {
	Signal string `json:"signal" doc:"DEVICE/SIGNAL"`
	Line
	Hold   measure.Millis  `json:"hold" doc:"seconds: a pause longer than this is a gap; 0: nothing is known of how often it sends"`
	Marked []quality.Doubt `json:"marked" nullable:"false" doc:"stretches whose readings carry marks: implausible ones, late ones, corrected ones"`
}

// Lines are those of several signals over one stretch.
type Lines struct {
	Since measure.Instant `json:"since" format:"date-time"`
	Until measure.Instant `json:"until" format:"date-time"`
	Lines []SignalLine    `json:"lines" nullable:"false"`
}

// Tail is what came of one signal since; of one that is computed, over a short while, its newest value alone.
type Tail struct {
	Signal string            `json:"signal" doc:"DEVICE/SIGNAL"`
	At     []measure.Instant `json:"at" nullable:"false"`
	Value  []float64         `json:"value" nullable:"false"`
}

// Add appends readings, in order of time.
func (t *Tail) Add(readings []measure.Reading) {
	for _, r := range readings {
		t.At, t.Value = append(t.At, r.At), append(t.Value, r.Value)
	}
}

// Figures are the figures of a stretch by period.
type Figures struct {
	Figures []PeriodFigures  `json:"figures" nullable:"false"`
	Next    *measure.Instant `json:"next" format:"date-time" doc:"since of the next page; null when this is the last"`
}

// PeriodFigures are those of one period, with both means.
type PeriodFigures struct {
	series.Figures
	Until    measure.Instant `json:"until" format:"date-time" doc:"when the period ends, or the part of it that was asked for"`
	Cut      bool            `json:"cut" doc:"figures of a part of a period: what was asked for begins or ends within"`
	Mean     *float64        `json:"mean" doc:"the plain mean: each reading counts alike; null without a reading"`
	HeldMean *float64        `json:"held_mean" doc:"the time-weighted mean: each value counts for as long as it held; null where none is known to have held"`
}

// Readings is one page of readings.
type Readings struct {
	Readings []measure.Reading `json:"readings" nullable:"false"`
	Next     *measure.Instant  `json:"next" format:"date-time" doc:"since of the next page; null when this is the last"`
}

// Line is a stretch of a signal as a chart draws it. The lists are of one length.
type Line struct {
	At      []measure.Instant `json:"at" nullable:"false"`
	Value   []float64         `json:"value" nullable:"false"`
	Of      int               `json:"of" doc:"how many readings the stretch has"`
	Reduced bool              `json:"reduced" doc:"not all readings are told: first, lowest, highest and last of each column are"`
}
