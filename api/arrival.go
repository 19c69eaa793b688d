package api

import (
	"jauntylark/core/site"
)

// Operations on devices that announce themselves, and on keys that are not a device's own.
var (
	ListArrivals = define[None, []site.Arrival](viewer, "list-arrivals",
		"GET /arrivals", "Devices that announced themselves")
	LetIn = define[LetInIn, site.Device](owner, "let-in",
		"POST /arrivals/{name}/let-in", "Make an arrival a device, with what it has sent so far")
	TurnAway = define[ArrivalPath, None](owner, "turn-away",
		"POST /arrivals/{name}/turn-away", "Refuse what an arrival sends")
	GetEnrolment = define[None, Enrolment](viewer, "get-enrolment",
		"GET /enrolment", "Whether there is an enrolment key")
	NewEnrolment = define[None, Enrolment](owner, "new-enrolment",
		"POST /enrolment", "Make a new enrolment key; it is told once, and the old one ends", created)
	EndEnrolment = define[None, None](owner, "end-enrolment",
		"DELETE /enrolment", "End enrolment")
	NewReaderKey = define[None, ReaderKey](owner, "new-reader-key",
		"POST /reader-key",
		"Make a new key for reading the site's alarms over MQTT; it is told once, and the old one ends", created)
	EndReaderKey = define[None, None](owner, "end-reader-key",
		"DELETE /reader-key", "End the key for reading the site's alarms")
)

// LetInOrder says what an arrival becomes.
type LetInOrder struct {
	Kit    string `json:"kit,omitempty" required:"false" doc:"the kit that the device is made from"`
	Title  string `json:"title,omitempty" required:"false" maxLength:"80"`
	Behind string `json:"behind,omitempty" required:"false" doc:"the gateway that it stands behind"`
}

// LetInIn is the input of LetIn.
type LetInIn struct {
	ArrivalPath
	Body LetInOrder
}

// ArrivalPath is the place of one arrival.
type ArrivalPath struct {
	Name string `path:"name"`
}

// Enrolment says whether devices that nobody knows may announce themselves.
type Enrolment struct {
	On  bool   `json:"on"`
	Key string `json:"key,omitempty" doc:"the enrolment key, told once"`
}

// ReaderKey is a key for reading the site's alarms over MQTT.
type ReaderKey struct {
	User string `json:"user" doc:"the user name that goes with it"`
	Key  string `json:"key" doc:"told once"`
}
