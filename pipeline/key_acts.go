package pipeline

import (
	"context"
	"errors"
	"fmt"
	"time"

	"jauntylark/core/measure"
	"jauntylark/store"
)

// RotateKey gives a device a new key. The others end after overlap or, when that is nil, when the new
// one is first used.
func (p *Pipeline) RotateKey(ctx context.Context, name string, key Secret, overlap *time.Duration, who Actor) (number int, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(name)
		if err != nil {
			return err
		}
		var id int64
		if id, number, err = t.Tx.AddKey(t.ctx, d.ID, key.Hash[:], key.Sealed, t.Now); err != nil {
			return err
		}
		words := "the old one ends when the new one is first used"
		var until *measure.Instant
		if overlap != nil {
			at := t.Now.Add(*overlap)
			until, words = &at, "the old one ends at "+at.String()
		}
		if err := t.Tx.EndKeys(t.ctx, d.ID, id, until); err != nil {
			return err
		}
		if err := t.Enter("key rotated", name, who.Called, "Device "+name+" got a new key; "+words); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
	return number, err
}

// RevokeKey ends a key of a device at once.
func (p *Pipeline) RevokeKey(ctx context.Context, name string, id int64, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(name)
		if err != nil {
			return err
		}
		if err := t.Tx.RemoveKey(t.ctx, d.ID, id); errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("%s has no key %d: %w", name, id, err)
		} else if err != nil {
			return err
		}
		if err := t.Enter("key revoked", name, who.Called, "A key of "+name+" was revoked"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// retireKeys ends the keys that the first use of a newer one ends, and enrolment with them.
func (t *Turn) retireKeys(who Identity) error {
	t.touched = true
	delete(t.live.retires, who.Key.ID)
	if err := t.Tx.RetireKeys(t.ctx, who.Key.ID); err != nil {
		return err
	}
	d := t.live.devices[who.Device.ID]
	d.Enrolled = false
	if err := t.Tx.SaveDevice(t.ctx, &d.Device); err != nil {
		return err
	}
	if err := t.Enter("key retired", d.Name, "", "Device "+d.Name+" has used its new key; the old one has ended"); err != nil {
		return err
	}
	return t.ConfigChanged()
}

// SetEnrolment changes the site's enrolment key; nil ends enrolment.
func (p *Pipeline) SetEnrolment(ctx context.Context, key *Secret, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		e, text := store.Enrolment{}, "Enrolment has ended"
		if key != nil {
			e, text = store.Enrolment{Hash: key.Hash[:], Sealed: key.Sealed}, "There is a new enrolment key"
		}
		if err := t.Tx.SetEnrolment(t.ctx, e); err != nil {
			return err
		}
		if err := t.Enter("enrolment set", "enrolment", who.Called, text); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// SetReader changes the key that the site's alarms are read with over MQTT; nil ends it.
func (p *Pipeline) SetReader(ctx context.Context, hash []byte, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		text := "There is a new reader key"
		if hash == nil {
			text = "The reader key has ended"
		}
		if err := t.Tx.SetReader(t.ctx, hash); err != nil {
			return err
		}
		if err := t.Enter("reader key set", "reader", who.Called, text); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}
