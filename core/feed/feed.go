// Package feed is the feed of changes: what each commit has changed, told so that a program that missed some of it can
// go on from where it was and miss nothing.
//
// Readings are told by stretches: who takes what it has of a signal in a stretch away, and puts what is told in its
// place, has what the service has, whether the readings were new, late, corrected or cleared. All else is told as the
// journal has it.
package feed

import (
	"fmt"
	"strconv"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// The kinds of a change.
const (
	Readings = "readings" // a stretch of a signal's readings is another
	Alarm    = "alarm"    // something happened to an alarm
	Journal  = "journal"  // anything else: what people did or set up, what a device said, what the service noticed
)

// Kinds lists them.
var Kinds = []string{Readings, Alarm, Journal}

// Change is one thing that a commit has changed.
type Change struct {
	No       int64              `json:"no" doc:"of the commit; those of later commits are higher"`
	At       measure.Instant    `json:"at" format:"date-time" doc:"when it was committed"`
	Kind     string             `json:"kind" enum:"readings,alarm,journal" doc:"readings: a stretch of a signal's readings is another; alarm: something happened to an alarm; journal: anything else"`
	Signal   string             `json:"signal,omitempty" doc:"of readings: DEVICE/SIGNAL" example:"store/air"`
	Since    *measure.Instant   `json:"since,omitempty" format:"date-time" doc:"of readings: where the stretch begins"`
	Until    *measure.Instant   `json:"until,omitempty" format:"date-time" doc:"of readings: where it ends; itself outside"`
	Readings *[]measure.Reading `json:"readings,omitempty" doc:"of readings: all that the stretch holds now, in order of time; they take the place of what it held"`
	Entry    *site.Entry        `json:"entry,omitempty" doc:"of an alarm or a journal entry: what happened"`
	Alarm    *alarm.Alarm       `json:"alarm,omitempty" doc:"of an alarm: how it stands now"`
}

// Place is how far somebody has come in the feed: all of the commits up to No, and of the next that it stands in, where
// that is set, the readings of signals before Signal, those of Signal before At, and the entries up to Entry.
type Place struct {
	No     int64
	In     int64 // the commit that was told in part; 0: none
	Signal int64
	At     measure.Instant
	Entry  int64
}

// After is the place after all of a commit.
func After(no int64) Place { return Place{No: no} }

// String is what ParsePlace reads: the number of a commit, or that with a part of the next.
func (p Place) String() string {
	if p.In == 0 {
		return strconv.FormatInt(p.No, 10)
	}
	return fmt.Sprintf("%d-%d.%d.%d.%d", p.No, p.In, p.Signal, p.At, p.Entry)
}

// ParsePlace reads a place.
func ParsePlace(text string) (p Place, err error) {
	no, part, parted := strings.Cut(text, "-")
	numbers := []*int64{&p.No}
	words := []string{no}
	if parted {
		numbers = append(numbers, &p.In, &p.Signal, (*int64)(&p.At), &p.Entry)
		words = append(words, strings.Split(part, ".")...)
	}
	if len(words) != len(numbers) {
		return Place{}, fmt.Errorf("%q is no place in the feed", text)
	}
	for i, word := range words {
		if *numbers[i], err = strconv.ParseInt(word, 10, 64); err != nil || *numbers[i] < 0 {
			return Place{}, fmt.Errorf("%q is no place in the feed", text)
		}
	}
	if parted && p.In <= p.No {
		return Place{}, fmt.Errorf("%q is no place in the feed", text)
	}
	return p, nil
}

// Page is a part of the feed.
type Page struct {
	Changes []Change
	Next    Place // what comes after the page comes after it
	Newest  int64 // the newest commit when it was read
}
