package api

import (
	"cmp"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/core/measure"
)

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

// mostOfList is how much of a list one answer has at most where a limit is asked for.
const mostOfList = 10_000

// Page is a page of a list that is told newest first.
type Page struct {
	Cursor string `query:"cursor" doc:"where the page begins: as the page before says; the first page when left out" example:"4711"`
	Limit  int    `query:"limit" default:"100" minimum:"1" maximum:"1000" doc:"how many at most"`
}

// Before gives the ID that all of the page are below; 0: any.
func (p Page) Before() (int64, error) { return keyOf[int64](p.Cursor) }

// More is Limit and one, which tells whether there is a next page.
func (p Page) More() int { return p.Limit + 1 }

// A listing says how a list is told in pages.
type listing struct {
	page   func(list any, cursor string, limit int) (page any, next string, err error)
	newest bool // the operation's input has the Page, and its answer goes by it
}

// newest says that a list is told newest first, in pages that end with the one whose key is told.
func newest[T any, K int64 | string](key func(T) K) func(*Operation) {
	return func(op *Operation) {
		op.list = &listing{newest: true, page: func(list any, _ string, limit int) (any, string, error) {
			page, next := first(list.([]T), limit, key)
			return page, next, nil
		}}
	}
}

// listed says that a list comes whole where nothing is asked, and in pages after the key of what came last. A list goes
// by its keys, up or down, unless they are never taken away.
func listed[T any, K int64 | string](key func(T) K) func(*Operation) {
	return func(op *Operation) {
		op.query = append(op.query, "cursor", "limit")
		slices.Sort(op.query)
		op.list = &listing{page: func(list any, cursor string, limit int) (any, string, error) {
			rest := list.([]T)
			if cursor != "" {
				last, err := keyOf[K](cursor)
				if err != nil {
					return nil, "", err
				}
				if rest, err = after(rest, last, key); err != nil {
					return nil, "", err
				}
			}
			page, next := first(rest, cmp.Or(limit, len(rest)), key)
			return page, next, nil
		}}
	}
}

// keyOf reads a cursor; empty gives nothing.
func keyOf[K int64 | string](cursor string) (key K, err error) {
	switch key := any(&key).(type) {
	case *string:
		*key = cursor
	case *int64:
		if *key, err = strconv.ParseInt(cmp.Or(cursor, "0"), 10, 64); err != nil || *key < 0 {
			err = wrongCursor(cursor)
		}
	}
	return key, err
}

func wrongCursor(cursor string) error {
	return &measure.Fault{Field: "cursor", Reason: fmt.Sprintf("%q is no place in this list: give what the page before told",
		cursor)}
}

// first gives so many of a list, and the key of the last where there are more.
func first[T any, K int64 | string](list []T, limit int, key func(T) K) (page []T, next string) {
	if len(list) <= limit {
		return list, ""
	}
	return list[:limit], fmt.Sprint(key(list[limit-1]))
}

// after gives what comes after a key, in a list that goes by keys also where what had it was taken away meanwhile.
func after[T any, K int64 | string](list []T, last K, key func(T) K) ([]T, error) {
	if at := slices.IndexFunc(list, func(v T) bool { return key(v) == last }); at >= 0 {
		return list[at+1:], nil
	}
	up := func(a, b T) int { return cmp.Compare(key(a), key(b)) }
	down := func(a, b T) int { return -up(a, b) }
	way := 1
	if len(list) > 1 && slices.IsSortedFunc(list, down) {
		way = -1
	} else if !slices.IsSortedFunc(list, up) {
		return nil, wrongCursor(fmt.Sprint(last))
	}
	at, _ := slices.BinarySearchFunc(list, last, func(v T, last K) int { return way * cmp.Compare(key(v), last) })
	return list[at:], nil
}

// PageOf gives the page of a list that is asked for, and the query of the next one; nil: there is none.
func (op *Operation) PageOf(list any, asked url.Values) (page any, next url.Values, err error) {
	if op.list == nil {
		return list, nil, nil
	}
	limit := 0
	if text := asked.Get("limit"); text != "" {
		if limit, err = strconv.Atoi(text); err != nil || limit < 1 || limit > mostOfList {
			return nil, nil, &measure.Fault{Field: "limit", Reason: fmt.Sprintf("%q is not a number from 1 to 10,000", text)}
		}
	} else if op.list.newest {
		limit = 100
	}
	page, cursor, err := op.list.page(list, asked.Get("cursor"), limit)
	if err != nil || cursor == "" {
		return page, nil, err
	}
	next = url.Values{}
	for name, values := range asked {
		next[name] = values
	}
	next.Set("cursor", cursor)
	return page, next, nil
}

// IsList tells whether an operation gives a list in pages.
func (op *Operation) IsList() bool { return op.list != nil }

// describeList says how a list is asked for in pages, and how the next one is told.
func (op *Operation) describeList(d *huma.Operation) {
	if !op.list.newest {
		least, most := 1.0, float64(mostOfList)
		d.Parameters = append(d.Parameters,
			&huma.Param{Name: "cursor", In: "query", Schema: &huma.Schema{Type: huma.TypeString},
				Description: "where the page begins: as the page before says; the first page when left out"},
			&huma.Param{Name: "limit", In: "query", Schema: &huma.Schema{Type: huma.TypeInteger, Minimum: &least, Maximum: &most},
				Description: "how many at most; all when left out"})
	}
	if d.Responses[okCode] == nil {
		d.Responses[okCode] = &huma.Response{Description: "OK"}
	}
	d.Responses[okCode].Headers = map[string]*huma.Param{"Link": {Schema: &huma.Schema{Type: huma.TypeString},
		Description: "the address of the next page, as rel=\"next\" (RFC 8288); none: this is the last"}}
}

const okCode = "200"
