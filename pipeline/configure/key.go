package configure

import (
	"context"
	"errors"
	"fmt"
	"time"

	"jauntylark/core/measure"
	"jauntylark/pipeline"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
)

// RotateKey gives a device a new key. The others end after overlap or, when that is nil, when the new
// one is first used.
func RotateKey(ctx context.Context, p *pipeline.Pipeline, name string, key Secret, overlap *time.Duration,
	who pipeline.Actor) (number int, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(name)
		if err != nil {
			return err
		}
		var id int64
		if id, number, err = config.AddKey(t.Ctx, t.Tx, d.ID, key.Hash[:], key.Sealed, t.Now); err != nil {
			return err
		}
		words := "the old one ends when the new one is first used"
		var until *measure.Instant
		if overlap != nil {
			at := t.Now.Add(*overlap)
			until, words = &at, "the old one ends at "+at.String()
		}
		if err := config.EndKeys(t.Ctx, t.Tx, d.ID, id, until); err != nil {
			return err
		}
		if err := t.Enter("key rotated", name, who.Called, "Device "+name+" got a new key; "+words); err != nil {
			return err
		}
		t.ConfigChanged(d.Change())
		return nil
	})
	return number, err
}

// RevokeKey ends a key of a device at once.
func RevokeKey(ctx context.Context, p *pipeline.Pipeline, name string, id int64, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(name)
		if err != nil {
			return err
		}
		if err := config.RemoveKey(t.Ctx, t.Tx, d.ID, id); errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("%s has no key %d: %w", name, id, err)
		} else if err != nil {
			return err
		}
		if err := t.Enter("key revoked", name, who.Called, "A key of "+name+" was revoked"); err != nil {
			return err
		}
		t.ConfigChanged(d.Change())
		return nil
	})
}

// SetEnrolment changes the site's enrolment key; nil ends enrolment.
func SetEnrolment(ctx context.Context, p *pipeline.Pipeline, key *Secret, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		e, text := config.Enrolment{}, "Enrolment has ended"
		if key != nil {
			e, text = config.Enrolment{Hash: key.Hash[:], Sealed: key.Sealed}, "There is a new enrolment key"
		}
		if err := config.SetEnrolment(t.Ctx, t.Tx, e); err != nil {
			return err
		}
		if err := t.Enter("enrolment set", "enrolment", who.Called, text); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfKeys})
		return nil
	})
}

// SetReader changes the key that the site's alarms are read with over MQTT; nil ends it.
func SetReader(ctx context.Context, p *pipeline.Pipeline, hash []byte, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		text := "There is a new reader key"
		if hash == nil {
			text = "The reader key has ended"
		}
		if err := config.SetReader(t.Ctx, t.Tx, hash); err != nil {
			return err
		}
		if err := t.Enter("reader key set", "reader", who.Called, text); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfKeys})
		return nil
	})
}
