package api

import (
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/sketch"
)

// Operations on the keys of devices.
var (
	ListKeys = define[DevicePath, []site.Key](viewer, "list-keys",
		"GET /devices/{device}/keys", "A device's keys, and when and from where they were last used")
	RotateKey = define[RotateKeyIn, NewKey](owner, "rotate-key",
		"POST /devices/{device}/keys", "Give a device a new key; the old one stays good for a while", created)
	RevokeKey = define[RevokeKeyIn, None](owner, "revoke-key",
		"DELETE /devices/{device}/keys/{key}", "End a key at once; connections that it opened are closed")
)

// KeyOrder says when the old keys end.
type KeyOrder struct {
	Overlap *measure.Duration `json:"overlap,omitempty" required:"false" doc:"the old keys end after so long; left out: when the new one is first used" example:"24h"`
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
