package admission

import (
	"context"
	"fmt"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/credential"
)

// PreSharedKey gives the key of a DTLS identity: DEVICE or DEVICE.N for a device's N-th key, the name
// of a deleted device for its old key, and any other name for the enrolment key.
func (d *Control) PreSharedKey(identity string) (string, error) {
	key, err := d.preSharedKey(identity)
	if err == nil || !d.stale() {
		return key, err
	}
	ctx, cancel := context.WithTimeout(context.Background(), pskReload)
	defer cancel()
	if d.Reload(ctx) != nil {
		return key, err
	}
	return d.preSharedKey(identity)
}

// pskReload is how long an unknown identity may wait for the database.
const pskReload = 2 * time.Second

func (d *Control) preSharedKey(identity string) (string, error) {
	directory, _ := d.Look()
	now := d.Pipeline.Now()
	if key, known := directory.Identity[identity]; known && (key.ExpiresAt == nil || *key.ExpiresAt > now) {
		return d.Seal.Open(key.Sealed)
	}
	if device := directory.ByName[identity]; device != nil && !device.Enrolled {
		return "", fmt.Errorf("device %s has no key of the identity %q", device.Name, identity)
	} else if device == nil {
		for _, former := range directory.Former {
			if former.Name == identity {
				return d.Seal.Open(former.Sealed)
			}
		}
	}
	if directory.Enrolment.Sealed == nil {
		return "", fmt.Errorf("nobody has the identity %q", identity)
	}
	if err := site.CheckName(identity); err != nil {
		return "", fmt.Errorf("the identity %w", err)
	}
	return d.Seal.Open(directory.Enrolment.Sealed)
}

// Knock remembers a try with a key that nobody has.
func (d *Control) Knock(s credential.Sender) {
	d.sightings.knocked(site.Knock{At: d.now(), Protocol: s.Protocol, Address: s.Address, Name: clip(s.Name, 63)})
}

// ShutOut gives an error for an address that has tried too many unknown keys.
func (d *Control) ShutOut(address string) error {
	if wait := d.failures.shutOut(address, time.Now()); wait > 0 {
		return &ErrShutOut{wait}
	}
	return nil
}

func (d *Control) now() measure.Instant { return d.Pipeline.Now() }
