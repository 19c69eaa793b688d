// Package asset is about the things that people look after: a pump, a switchboard, a heap. An asset has a place in a
// tree, a condition, notes, photos and papers, and the signals and outputs that belong to it.
package asset

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Asset is a thing that is looked after.
type Asset struct {
	ID          int64            `json:"-" db:"id"`
	Name        string           `json:"name" db:"name" readOnly:"true" example:"fog-pump"`
	Title       string           `json:"title" db:"title" doc:"what people call it"`
	Kind        string           `json:"kind" db:"kind" doc:"what it is, in a word" example:"pump"`
	In          string           `json:"in" db:"stands_in" doc:"the asset that it is a part of, or stands in; empty: none"`
	Note        string           `json:"note" db:"note" doc:"Markdown"`
	Condition   string           `json:"condition" db:"condition" enum:"in order,attention,out of order,retired"`
	Why         string           `json:"condition_why" db:"condition_why" doc:"in the words of who said so"`
	By          string           `json:"condition_by" db:"condition_by"`
	Since       measure.Instant  `json:"condition_since" db:"condition_since" format:"date-time"`
	NextService string           `json:"next_service" db:"next_service" doc:"a date, 2006-01-02; empty: none is planned" example:"2027-03-01"`
	Signals     Names            `json:"signals" db:"signals" nullable:"false" doc:"DEVICE for all of a device, or DEVICE/SIGNAL"`
	Outputs     Names            `json:"outputs" db:"outputs" nullable:"false" doc:"DEVICE/OUTPUT"`
	MadeAt      measure.Instant  `json:"made_at" db:"made_at" readOnly:"true" format:"date-time"`
	Photo       *int64           `json:"photo" db:"photo" readOnly:"true" doc:"the first photo; null: there is none"`
	RemovedAt   *measure.Instant `json:"-" db:"removed_at"`
}

// Called is what people call the asset.
func (a *Asset) Called() string { return site.Title(a.Title, a.Name) }

// The conditions of an asset.
const (
	InOrder    = "in order"
	Attention  = "attention"
	OutOfOrder = "out of order"
	Retired    = "retired"
)

// Conditions lists them.
var Conditions = []string{InOrder, Attention, OutOfOrder, Retired}

// Names is a list of names, as the database keeps it.
type Names []string

// MarshalJSON writes an empty list, never null.
func (n Names) MarshalJSON() ([]byte, error) {
	if n == nil {
		return []byte("[]"), nil
	}
	return json.Marshal([]string(n))
}

// mostDeep is how many assets may stand in each other.
const mostDeep = 12

// Check tells what is wrong with an asset among all others: nil or a *measure.Fault.
func (a *Asset) Check(all []Asset) error {
	wrong := func(field, format string, args ...any) error {
		return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
	}
	if err := site.CheckName(a.Name); err != nil {
		return wrong("name", "%s", err)
	}
	if !slices.Contains(Conditions, a.Condition) {
		return wrong("condition", "%s; conditions are in order, attention, out of order, retired",
			site.Unknown("condition", a.Condition, Conditions))
	}
	if a.NextService != "" {
		if _, err := time.Parse(time.DateOnly, a.NextService); err != nil {
			return wrong("next_service", "%q is no date; write it like 2027-03-01", a.NextService)
		}
	}
	if strings.ContainsRune(a.Note, 0) {
		return wrong("note", "has the character zero")
	}
	if a.In == "" {
		return nil
	}
	if a.In == a.Name {
		return wrong("in", "an asset cannot stand in itself")
	}
	if !slices.ContainsFunc(all, func(o Asset) bool { return o.Name == a.In }) {
		return wrong("in", "%s", site.Unknown("asset", a.In, namesOf(all)))
	}
	for depth, at := 1, a.In; at != ""; depth++ {
		if at == a.Name {
			return wrong("in", "%s stands in %s already", a.In, a.Name)
		}
		if depth >= mostDeep {
			return wrong("in", "it would stand %d deep; %d is the most", depth+1, mostDeep)
		}
		at = Named(all, at).In
	}
	return nil
}

// Named gives the asset of a name; an empty one when there is none.
func Named(all []Asset, name string) Asset {
	if i := slices.IndexFunc(all, func(a Asset) bool { return a.Name == name }); i >= 0 {
		return all[i]
	}
	return Asset{}
}

func namesOf(all []Asset) []string {
	names := make([]string, len(all))
	for i := range all {
		names[i] = all[i].Name
	}
	return names
}

// Place gives the assets that one stands in, the outermost first.
func (a *Asset) Place(all []Asset) (place []Asset) {
	for at, n := a.In, 0; at != "" && n < mostDeep; n++ {
		outer := Named(all, at)
		if outer.Name == "" {
			break
		}
		place, at = append([]Asset{outer}, place...), outer.In
	}
	return place
}

// Tree puts assets into the order of their tree, by name within each, and tells how deep each stands.
func Tree(all []Asset) (ordered []Asset, depth []int) {
	var walk func(in string, deep int)
	walk = func(in string, deep int) {
		for _, a := range all {
			if a.In == in && deep <= mostDeep {
				ordered, depth = append(ordered, a), append(depth, deep)
				walk(a.Name, deep+1)
			}
		}
	}
	walk("", 0)
	return ordered, depth
}

// Subjects gives what belongs to an asset and to what stands in it: paths of signals and outputs, and whole devices.
func Subjects(all []Asset, name string) (paths, devices []string) {
	ordered, _ := Tree(all)
	inside := map[string]bool{name: true}
	for _, a := range ordered {
		if !inside[a.Name] && !inside[a.In] {
			continue
		}
		inside[a.Name] = true
		for _, s := range a.Signals {
			if strings.Contains(s, "/") {
				paths = append(paths, s)
			} else {
				devices = append(devices, s)
			}
		}
		paths = append(paths, a.Outputs...)
	}
	return paths, devices
}

// Has tells whether a signal, DEVICE/SIGNAL, belongs to the asset.
func (a *Asset) Has(signal string) bool {
	device, _, _ := strings.Cut(signal, "/")
	return slices.Contains(a.Signals, signal) || slices.Contains(a.Signals, device)
}

// HasDevice tells whether a device, as a whole or by one of its signals, belongs to the asset.
func (a *Asset) HasDevice(device string) bool {
	return slices.ContainsFunc(a.Signals, func(s string) bool {
		return s == device || strings.HasPrefix(s, device+"/")
	})
}

// The kinds of what is kept with an asset.
const (
	Photo = "photo"
	Paper = "paper"
)

// Attachment is a photo or a paper of an asset.
type Attachment struct {
	ID     int64           `json:"id" db:"id"`
	Kind   string          `json:"kind" db:"kind" enum:"photo,paper"`
	Name   string          `json:"name" db:"name" doc:"what it is called; that of the file mostly"`
	Type   string          `json:"type" db:"type" doc:"media type as stored" enum:"image/png,image/jpeg,application/pdf"`
	Width  int             `json:"width" db:"width" doc:"of a photo, in pixels"`
	Height int             `json:"height" db:"height"`
	Size   int             `json:"size" db:"size" doc:"bytes"`
	By     string          `json:"by" db:"made_by"`
	At     measure.Instant `json:"at" db:"made_at" format:"date-time"`
	Body   []byte          `json:"-" db:"body"`
	Small  []byte          `json:"-" db:"small"` // of a photo: for lists, 480 pixels at most
}

// MostPaper is how long a paper may be, in bytes.
const MostPaper = 20 << 20

// NewPaper takes a paper: a PDF (ISO 32000). The error is a *measure.Fault.
func NewPaper(name string, body []byte) (Attachment, error) {
	wrong := func(format string, args ...any) error {
		return &measure.Fault{Field: "paper", Reason: fmt.Sprintf(format, args...)}
	}
	p := Attachment{Kind: Paper, Name: strings.TrimSpace(name), Type: "application/pdf", Size: len(body), Body: body}
	switch tail := string(body[max(0, len(body)-2048):]); {
	case len(body) > MostPaper:
		return p, wrong("it has %d bytes; a paper has %d at most", len(body), MostPaper)
	case !strings.HasPrefix(string(body[:min(5, len(body))]), "%PDF-"):
		return p, wrong("it is no PDF")
	case !strings.Contains(tail, "%%EOF"):
		return p, wrong("it is a PDF that was cut off: its end is missing")
	}
	return p, nil
}
