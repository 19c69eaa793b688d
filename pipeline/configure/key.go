package configure

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"time"

	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
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

// SaveReader stores a reader, new or not; its key stays.
func SaveReader(ctx context.Context, p *pipeline.Pipeline, r *feed.Reader, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		r.MadeAt, r.MadeBy = t.Now, who.Called
		if err := r.Check(t.Site.DeviceNames()); err != nil {
			return err
		}
		if err := config.SaveReader(t.Ctx, t.Tx, r, t.CommitNo-1); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfKeys})
		return t.Enter("reader saved", r.Name, who.Called, fmt.Sprintf("The reader %s is told %s about %s", r.Name,
			cmp.Or(prose.List(r.Kinds), "everything"), cmp.Or(prose.List(r.Devices), "all devices")))
	})
}

// SetReaderKey gives a reader a key, which nobody is told again; the one before ends.
func SetReaderKey(ctx context.Context, p *pipeline.Pipeline, name string, hash []byte, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := config.SetReaderKey(t.Ctx, t.Tx, name, hash); err != nil {
			return fmt.Errorf("reader %s %w", name, err)
		}
		t.ConfigChanged(store.Change{Scope: store.OfKeys})
		return t.Enter("reader key set", name, who.Called, "The reader "+name+" has a new key")
	})
}

// RewindReader has the feed posted to a reader again from a place on.
func RewindReader(ctx context.Context, p *pipeline.Pipeline, name string, place feed.Place, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		err := config.RewindReader(t.Ctx, t.Tx, name, place)
		if errors.Is(err, store.ErrNotFound) {
			return &measure.Fault{Field: "reader", Reason: "nothing is posted to " + name + "; it asks for the feed itself"}
		}
		if err != nil {
			return err
		}
		return t.Enter("reader rewound", name, who.Called, "The reader "+name+" is told the feed again from "+place.String())
	})
}

// RemoveReader ends a reader and its key.
func RemoveReader(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := config.RemoveReader(t.Ctx, t.Tx, name); err != nil {
			return fmt.Errorf("reader %s %w", name, err)
		}
		t.ConfigChanged(store.Change{Scope: store.OfKeys})
		return t.Enter("reader removed", name, who.Called, "The reader "+name+" was removed with its key")
	})
}
