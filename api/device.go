package api

import (
	"jauntylark/core/act"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/sketch"
)

// Operations on devices.
var (
	ListDevices = define[None, []site.Device](viewer, "list-devices", "GET /devices", "All devices",
		listed(func(v site.Device) string { return v.Name }))
	AddDevice = define[Body[NewDevice], AddedDevice](owner, "add-device",
		"POST /devices", "Add a device; its key is told once",
		makes(func(_ *Body[NewDevice], d AddedDevice) Place { return GetDevice.At(d.Name) }))
	GetDevice = define[DevicePath, DeviceStory](viewer, "get-device",
		"GET /devices/{device}", "One device with its keys and what was tried with unknown ones", tagged)
	SetDevice = define[SetDeviceIn, site.Device](keeper, "set-device",
		"PATCH /devices/{device}", "Say what a device is called, how often it sends, what it stands behind", tagged)
	RemoveDevice = define[DevicePath, None](owner, "remove-device",
		"DELETE /devices/{device}", "Delete a device with its readings; its keys are remembered")
	GetCode = define[DevicePath, []sketch.Text](viewer, "get-code",
		"GET /devices/{device}/code", "Ready text that connects a device, with a mark in place of its key")
	OrderSettings = define[OrderSettingsIn, site.Device](keeper, "order-settings",
		"PUT /devices/{device}/settings", "Order a device's settings")
	PowerOn = define[PowerOnIn, None](keeper, "power-on",
		"POST /devices/{device}/power-on", "Say when a device got power: its sensors warm up from then on")
)

// SetDeviceIn is the input of SetDevice.
type SetDeviceIn struct {
	DevicePath
	Body act.DeviceChange
}

// OrderSettingsIn is the input of OrderSettings.
type OrderSettingsIn struct {
	DevicePath
	Body site.Settings
}

// PowerOnIn is the input of PowerOn.
type PowerOnIn struct {
	Device string `path:"device"`
	Body   PowerOnOrder
}

// PowerOnOrder says when a device got power.
type PowerOnOrder struct {
	At *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"now when left out"`
}

// DevicePath is the place of one device.
type DevicePath struct {
	Device string `path:"device"`
}

// DeviceStory is a device with what a page about it needs.
type DeviceStory struct {
	site.Device
	Proposed measure.Duration `json:"proposed_interval" doc:"the interval that it keeps, by its newest readings; 0: none can be told"`
	Keys     []site.Key       `json:"keys" nullable:"false"`
	Knocks   []site.Knock     `json:"knocks" nullable:"false" doc:"tries with unknown keys in the last ten minutes, since the device was added, that named it or none"`
	Ways     sketch.Ways      `json:"ways" doc:"the addresses that devices can send to"`
}

// NewDevice is a device that is to be added.
type NewDevice struct {
	Name   string `json:"name" example:"greenhouse-door"`
	Title  string `json:"title" required:"false" maxLength:"80" doc:"what people call it; made from the name when left out"`
	Kit    string `json:"kit" required:"false" doc:"the kit that it is made from"`
	Behind string `json:"behind" required:"false" doc:"the gateway that it stands behind"`
}

// AddedDevice is a device that was added, with its key and the texts that connect it.
type AddedDevice struct {
	site.Device
	Key  string        `json:"key" doc:"told once"`
	Code []sketch.Text `json:"code" nullable:"false" doc:"ready text that connects it"`
}

// Operations on the keys of devices.
var (
	ListKeys = define[DevicePath, []site.Key](viewer, "list-keys",
		"GET /devices/{device}/keys", "A device's keys, and when and from where they were last used",
		listed(func(v site.Key) int64 { return int64(v.Number) }))
	RotateKey = define[RotateKeyIn, NewKey](owner, "rotate-key",
		"POST /devices/{device}/keys", "Give a device a new key; the old one stays good for a while",
		makes(func(in *RotateKeyIn, _ NewKey) Place { return ListKeys.At(in.Device) }))
	RevokeKey = define[RevokeKeyIn, None](owner, "revoke-key",
		"DELETE /devices/{device}/keys/{key}", "End a key at once; connections that it opened are closed")
)

// KeyOrder says when the old keys end.
type KeyOrder struct {
	Overlap *measure.Duration `json:"overlap,omitempty" required:"false" doc:"the old keys end after so long; left out: when the new one is first used" example:"86400"`
}

// RotateKeyIn is the input of RotateKey.
type RotateKeyIn struct {
	DevicePath
	Body KeyOrder
}

// RevokeKeyIn is the input of RevokeKey.
type RevokeKeyIn struct {
	DevicePath
	Key int64 `path:"key"`
}

// NewKey is a key that was made.
type NewKey struct {
	Key      string        `json:"key" doc:"told once"`
	Identity string        `json:"identity" doc:"the DTLS identity that goes with it"`
	Code     []sketch.Text `json:"code" nullable:"false" doc:"ready text with the new key"`
}

// Operations on devices that announce themselves, and on keys that are not a device's own.
var (
	ListArrivals = define[None, []site.Arrival](viewer, "list-arrivals",
		"GET /arrivals", "Devices that announced themselves", listed(func(v site.Arrival) int64 { return v.ID }))
	LetIn = define[LetInIn, site.Device](owner, "let-in",
		"POST /arrivals/{name}/let-in", "Make an arrival a device, with what it has sent so far")
	TurnAway = define[ArrivalPath, None](owner, "turn-away",
		"POST /arrivals/{name}/turn-away", "Refuse what an arrival sends")
	GetEnrolment = define[None, Enrolment](viewer, "get-enrolment",
		"GET /enrolment", "Whether there is an enrolment key")
	NewEnrolment = define[None, Enrolment](owner, "new-enrolment",
		"POST /enrolment", "Make a new enrolment key; it is told once, and the old one ends",
		makes(func(*None, Enrolment) Place { return GetEnrolment.At() }))
	EndEnrolment = define[None, None](owner, "end-enrolment", "DELETE /enrolment", "End enrolment")
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
