package record

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/act"
	"jauntylark/core/asset"
	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// errorText is an error's text without the sort of error behind it.
func errorText(err error) string {
	return strings.TrimSuffix(err.Error(), ": "+store.ErrNotFound.Error())
}

// AddAsset stores a new asset.
func AddAsset(ctx context.Context, p *pipeline.Pipeline, name string, c act.AssetChange, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := config.DropAssets(t.Ctx, t.Tx, t.Now.Add(-site.BringBackFor)); err != nil {
			return err
		}
		a := &asset.Asset{Name: name, Condition: asset.InOrder, Since: t.Now, MadeAt: t.Now}
		if err := changeAsset(t, a, c); err != nil {
			return err
		}
		return t.Enter("asset added", memory.AssetSubject(name), who.Called, "The asset "+a.Called()+" was added")
	})
}

// ChangeAsset changes an asset.
func ChangeAsset(ctx context.Context, p *pipeline.Pipeline, name string, c act.AssetChange, who pipeline.Actor) error {
	return onAsset(ctx, p, name, func(t *reading.Turn, a *asset.Asset) error {
		if err := changeAsset(t, a, c); err != nil {
			return err
		}
		return t.Enter("asset changed", memory.AssetSubject(name), who.Called, "The asset "+a.Called()+" was changed")
	})
}

func onAsset(ctx context.Context, p *pipeline.Pipeline, name string,
	act func(*reading.Turn, *asset.Asset) error) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		a, err := t.FindAsset(name)
		if err != nil {
			return err
		}
		return act(t, a)
	})
}

// changeAsset writes a change into an asset, checks and stores it.
func changeAsset(t *reading.Turn, a *asset.Asset, c act.AssetChange) error {
	for into, said := range map[*string]*string{&a.Title: c.Title, &a.Kind: c.Kind, &a.In: c.In,
		&a.NextService: c.NextService} {
		if said != nil {
			*into = strings.TrimSpace(*said)
		}
	}
	if c.Note != nil {
		a.Note = *c.Note
	}
	if c.Signals != nil {
		a.Signals = *c.Signals
		if err := knowSignals(t, a.Signals); err != nil {
			return err
		}
	}
	if c.Outputs != nil {
		a.Outputs = *c.Outputs
		if err := knowOutputs(t, a.Outputs); err != nil {
			return err
		}
	}
	all, err := config.Assets(t.Ctx, t.Tx)
	if err != nil {
		return err
	}
	if err := a.Check(all); err != nil {
		return err
	}
	return config.SaveAsset(t.Ctx, t.Tx, a)
}

func knowSignals(t *reading.Turn, names []string) error {
	for _, name := range names {
		if strings.Contains(name, "/") {
			if _, err := t.Site.FindSignal(name); err != nil {
				return &measure.Fault{Field: "signals", Reason: err.(*measure.Fault).Reason}
			}
		} else if t.Site.Named[name] == nil {
			return &measure.Fault{Field: "signals", Reason: site.Unknown("device", name, t.Site.DeviceNames())}
		}
	}
	return nil
}

func knowOutputs(t *reading.Turn, names []string) error {
	var known []string
	for _, d := range t.Site.Devices {
		for name := range d.Outputs {
			known = append(known, d.Name+"/"+name)
		}
	}
	slices.Sort(known)
	for _, name := range names {
		if !slices.Contains(known, name) {
			return &measure.Fault{Field: "outputs", Reason: site.Unknown("output", name, known)}
		}
	}
	return nil
}

// SetCondition says how an asset is, and why.
func SetCondition(ctx context.Context, p *pipeline.Pipeline, name string, c act.ConditionOrder,
	who pipeline.Actor) error {
	return onAsset(ctx, p, name, func(t *reading.Turn, a *asset.Asset) error {
		a.Condition, a.Why, a.By, a.Since = c.Condition, strings.TrimSpace(c.Why), who.Called, t.Now
		all, err := config.Assets(t.Ctx, t.Tx)
		if err != nil {
			return err
		}
		if err := a.Check(all); err != nil {
			return err
		}
		if err := config.SaveAsset(t.Ctx, t.Tx, a); err != nil {
			return err
		}
		text := a.Called() + " is " + a.Condition
		if a.Condition == asset.Attention {
			text = a.Called() + " needs attention"
		}
		return t.Enter("condition", memory.AssetSubject(name), who.Called, strings.TrimSuffix(text+": "+a.Why, ": "))
	})
}

// RemoveAsset removes an asset in which no other stands; it can be brought back for 30 days.
func RemoveAsset(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return onAsset(ctx, p, name, func(t *reading.Turn, a *asset.Asset) error {
		all, err := config.Assets(t.Ctx, t.Tx)
		if err != nil {
			return err
		}
		for i := range all {
			if all[i].In == name {
				return fmt.Errorf("asset %s %w: %s stands in it", name, timeseries.ErrInUse, all[i].Name)
			}
		}
		a.RemovedAt = &t.Now
		if err := config.SaveAsset(t.Ctx, t.Tx, a); err != nil {
			return err
		}
		if err := t.Enter("asset removed", memory.AssetSubject(name), who.Called, "The asset "+a.Called()+
			" was removed; it can be brought back for 30 days"); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPlans})
		return nil
	})
}

// BringAssetBack brings back an asset that was removed.
func BringAssetBack(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		a, err := config.RemovedAsset(t.Ctx, t.Tx, name)
		if err != nil || *a.RemovedAt < t.Now.Add(-site.BringBackFor) {
			return fmt.Errorf("no asset %s was removed in the last 30 days: %w", name, store.ErrNotFound)
		}
		all, err := config.Assets(t.Ctx, t.Tx)
		if err != nil {
			return err
		}
		if asset.Named(all, a.In).Name == "" {
			a.In = "" // what it stood in is gone
		}
		a.RemovedAt = nil
		if err := config.SaveAsset(t.Ctx, t.Tx, &a); err != nil {
			return err
		}
		if err := t.Enter("asset brought back", memory.AssetSubject(name), who.Called, "The asset "+a.Called()+
			" was brought back"); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPlans})
		return nil
	})
}

const (
	mostAttachments = 200
	smallSide       = 480
)

// AddPhoto stores a photo of an asset. It is drawn anew: turned upright, scaled, without the place where it was taken.
func AddPhoto(ctx context.Context, p *pipeline.Pipeline, name, called string, body []byte,
	who pipeline.Actor) (a asset.Attachment, err error) {
	picture, err := board.NewPhoto(called, body)
	if err != nil {
		if f, is := err.(*measure.Fault); is {
			f.Field = "photo"
		}
		return a, err
	}
	small, err := picture.Small(smallSide)
	if err != nil {
		return a, err
	}
	a = asset.Attachment{Kind: asset.Photo, Name: picture.Name, Type: picture.Type, Width: picture.Width,
		Height: picture.Height, Size: picture.Size, Body: picture.Body, Small: small}
	return a, attach(ctx, p, name, &a, who)
}

// AddPaper stores a paper of an asset: a PDF.
func AddPaper(ctx context.Context, p *pipeline.Pipeline, name, called string, body []byte,
	who pipeline.Actor) (a asset.Attachment, err error) {
	if a, err = asset.NewPaper(called, body); err != nil {
		return a, err
	}
	return a, attach(ctx, p, name, &a, who)
}

func attach(ctx context.Context, p *pipeline.Pipeline, name string, a *asset.Attachment, who pipeline.Actor) error {
	return onAsset(ctx, p, name, func(t *reading.Turn, of *asset.Asset) error {
		n, err := config.CountAttachments(t.Ctx, t.Tx, of.ID)
		if err != nil {
			return err
		}
		if n >= mostAttachments {
			return &measure.Fault{Field: a.Kind,
				Reason: fmt.Sprintf("there are %d with the asset already; no more are kept", n)}
		}
		a.By, a.At = who.Called, t.Now
		if err := config.AddAttachment(t.Ctx, t.Tx, of.ID, a); err != nil {
			return err
		}
		return t.Enter(a.Kind+" added", memory.AssetSubject(name), who.Called,
			fmt.Sprintf("%s has a new %s, %s", of.Called(), a.Kind, a.Name))
	})
}

// RemoveAttachment removes a photo or a paper of an asset.
func RemoveAttachment(ctx context.Context, p *pipeline.Pipeline, name string, id int64, who pipeline.Actor) error {
	return onAsset(ctx, p, name, func(t *reading.Turn, of *asset.Asset) error {
		if err := configure.KeepRemoved(t, "attachment", fmt.Sprint(id), "", who.Called, "attachment", "id",
			id); err != nil {
			return err
		}
		a, err := config.RemoveAttachment(t.Ctx, t.Tx, of.ID, id)
		if err != nil {
			return fmt.Errorf("%s has no photo or paper %d: %w", name, id, err)
		}
		return t.Enter(a.Kind+" removed", memory.AssetSubject(name), who.Called,
			fmt.Sprintf("The %s %s of %s was removed", a.Kind, a.Name, of.Called()))
	})
}
