package api

import (
	"time"

	"jauntylark/core/measure"
)

// Page is a page of a list that is told newest first.
type Page struct {
	Before int64 `query:"before" doc:"only those with a lower id: the next page"`
	Limit  int   `query:"limit" default:"100" minimum:"1" maximum:"1000"`
}

// Given is an instant of a query; 0: it was left out.
func Given(t time.Time) measure.Instant {
	if t.IsZero() {
		return 0
	}
	return measure.InstantOf(t)
}

// Within is a stretch of time that ends now unless it is told.
type Within struct {
	Since time.Time `query:"since" doc:"from this instant on; a month ago when left out"`
	Until time.Time `query:"until" doc:"before this instant; now when left out"`
}

// Bounds settles what was left out, since by what is usual, and refuses a stretch that ends before it begins.
func (w *Within) Bounds(now measure.Instant, usual time.Duration) (from, until measure.Instant, err error) {
	until = now
	if !w.Until.IsZero() {
		until = measure.InstantOf(w.Until)
	}
	from = until.Add(-usual)
	if !w.Since.IsZero() {
		from = measure.InstantOf(w.Since)
	}
	if until > now {
		until = now
	}
	if until <= from {
		return 0, 0, &measure.Fault{Field: "until", Reason: until.String() + " is not after since, " + from.String()}
	}
	return from, until, nil
}

// Window is a stretch of time in a query: the last hour when nothing is said.
type Window struct {
	Since time.Time `query:"since" doc:"from this instant on; an hour before until when left out"`
	Until time.Time `query:"until" doc:"before this instant; with the newest reading when left out"`
}

// Bounds settles what was left out and refuses a stretch that ends before it begins: since is in it, until is not.
func (s Window) Bounds(now measure.Instant) (since, until measure.Instant, err error) {
	since, until = measure.InstantOf(s.Since), measure.InstantOf(s.Until)
	if s.Until.IsZero() {
		until = now.Add(measure.FarAhead)
	}
	if s.Since.IsZero() {
		since = min(until, now).Add(-time.Hour)
	}
	if until < since {
		err = &measure.Fault{Field: "until", Reason: until.String() + " is before since, " + since.String()}
	}
	return since, until, err
}
