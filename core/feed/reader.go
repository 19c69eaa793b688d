package feed

import (
	"net/url"
	"slices"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Reader is a program that reads the feed of changes, and what stands of alarms over MQTT, with a key of its own.
type Reader struct {
	ID      int64           `json:"-"`
	Name    string          `json:"name" db:"name" readOnly:"true"`
	Devices []string        `json:"devices" required:"false" nullable:"false" maxItems:"1000" doc:"it is told what is about these devices, their signals and outputs alone; none: everything"`
	Kinds   []string        `json:"kinds" required:"false" nullable:"false" maxItems:"3" enum:"readings,alarm,journal" doc:"it is told changes of these kinds alone; none: of all"`
	URL     string          `json:"url" required:"false" maxLength:"2000" doc:"where pages of the feed are posted, signed; empty: it asks for them itself" example:"https://example.org/feed"`
	Cursor  string          `json:"cursor" readOnly:"true" doc:"up to where what was posted has been taken; empty: nothing is posted"`
	Failing string          `json:"failing" readOnly:"true" doc:"why the newest post was not taken; empty: it was"`
	Keyed   bool            `json:"keyed" readOnly:"true" doc:"it has a key"`
	MadeAt  measure.Instant `json:"made_at" readOnly:"true" format:"date-time"`
	MadeBy  string          `json:"made_by" readOnly:"true" doc:"who made it"`
}

// Check tells what is wrong: nil or a *measure.Fault. Devices are those that there are.
func (r *Reader) Check(devices []string) error {
	if err := site.CheckName(r.Name); err != nil {
		return &measure.Fault{Field: "name", Reason: err.Error()}
	}
	for _, name := range r.Devices {
		if !slices.Contains(devices, name) {
			return &measure.Fault{Field: "devices", Reason: site.Unknown("device", name, devices)}
		}
	}
	for _, kind := range r.Kinds {
		if !slices.Contains(Kinds, kind) {
			return &measure.Fault{Field: "kinds", Reason: site.Unknown("kind", kind, Kinds)}
		}
	}
	if u, err := url.Parse(r.URL); r.URL != "" && (err != nil || u.Host == "" || u.User != nil ||
		u.Scheme != "https" && u.Scheme != "http") {
		return &measure.Fault{Field: "url", Reason: "is not an address like https://example.org/feed"}
	}
	return nil
}

// Hears tells whether a reader is told changes of a kind.
func (r *Reader) Hears(kind string) bool { return len(r.Kinds) == 0 || slices.Contains(r.Kinds, kind) }

// ofDevice are the first words of the kinds of entries whose subject is a device; what other things are called may be the
// name of a device too.
var ofDevice = []string{"alarm", "device", "eye", "key", "note", "readings", "settings"}

// DeviceOf gives the device that an entry is about, itself or a signal or an output of it; empty: it is about none.
func DeviceOf(e *site.Entry) string {
	device, _, part := strings.Cut(e.Subject, "/")
	kind, _, _ := strings.Cut(e.Kind, " ")
	if part || e.AlarmID != nil || slices.Contains(ofDevice, kind) || e.Kind == "kit applied" {
		return device
	}
	return ""
}
