package api

import (
	"jauntylark/core/act"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/sketch"
)

// Operations on devices.
var (
	ListDevices = define[None, []site.Device](viewer, "list-devices",
		"GET /devices", "All devices")
	AddDevice = define[Body[NewDevice], AddedDevice](owner, "add-device",
		"POST /devices", "Add a device; its key is told once", created)
	GetDevice = define[DevicePath, DeviceStory](viewer, "get-device",
		"GET /devices/{device}", "One device with its keys and what was tried with unknown ones")
	SetDevice = define[SetDeviceIn, site.Device](keeper, "set-device",
		"PATCH /devices/{device}", "Say what a device is called, how often it sends, what it stands behind")
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
	Proposed measure.Duration `json:"proposed_interval" doc:"the interval that it keeps, by its newest readings; 0s: none can be told"`
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
