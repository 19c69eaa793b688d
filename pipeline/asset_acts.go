package pipeline

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/act"
	"jauntylark/core/asset"
	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/site"
	"jauntylark/store"
)

// AssetSubject is how the journal names an asset: a device may have the same name.
func AssetSubject(name string) string { return "asset " + name }

func (t *Turn) enterRun(kind string, r *run.Run, at measure.Instant, who, text string) error {
	return t.Tx.AddEntry(t.ctx, site.Entry{At: at, LearnedAt: t.Now, Kind: kind, Subject: AssetSubject(r.Asset), Who: who, Text: text}, t.CommitNo)
}

// errorText is an error's text without the sort of error behind it.
func errorText(err error) string {
	return strings.TrimSuffix(err.Error(), ": "+store.ErrNotFound.Error())
}

// assetNamed gives an asset; the error names the nearest one.
func (t *Turn) assetNamed(name string) (*asset.Asset, error) {
	all, err := t.Tx.Assets(t.ctx)
	if err != nil {
		return nil, err
	}
	names := make([]string, len(all))
	for i := range all {
		if names[i] = all[i].Name; names[i] == name {
			return &all[i], nil
		}
	}
	return nil, fmt.Errorf("%s: %w", site.Unknown("asset", name, names), store.ErrNotFound)
}

// AddAsset stores a new asset.
func (p *Pipeline) AddAsset(ctx context.Context, name string, c act.AssetChange, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		if err := t.Tx.DropAssets(t.ctx, t.Now.Add(-site.BringBackFor)); err != nil {
			return err
		}
		a := &asset.Asset{Name: name, Condition: asset.InOrder, Since: t.Now, MadeAt: t.Now}
		if err := t.changeAsset(a, c); err != nil {
			return err
		}
		return t.Enter("asset added", AssetSubject(name), who.Called, "The asset "+a.Called()+" was added")
	})
}

// ChangeAsset changes an asset.
func (p *Pipeline) ChangeAsset(ctx context.Context, name string, c act.AssetChange, who Actor) error {
	return p.onAsset(ctx, name, func(t *Turn, a *asset.Asset) error {
		if err := t.changeAsset(a, c); err != nil {
			return err
		}
		return t.Enter("asset changed", AssetSubject(name), who.Called, "The asset "+a.Called()+" was changed")
	})
}

func (p *Pipeline) onAsset(ctx context.Context, name string, act func(*Turn, *asset.Asset) error) error {
	return p.Do(ctx, func(t *Turn) error {
		a, err := t.assetNamed(name)
		if err != nil {
			return err
		}
		return act(t, a)
	})
}

// changeAsset writes a change into an asset, checks and stores it.
func (t *Turn) changeAsset(a *asset.Asset, c act.AssetChange) error {
	for into, said := range map[*string]*string{&a.Title: c.Title, &a.Kind: c.Kind, &a.In: c.In, &a.NextService: c.NextService} {
		if said != nil {
			*into = strings.TrimSpace(*said)
		}
	}
	if c.Note != nil {
		a.Note = *c.Note
	}
	if c.Signals != nil {
		a.Signals = *c.Signals
		if err := t.knowSignals(a.Signals); err != nil {
			return err
		}
	}
	if c.Outputs != nil {
		a.Outputs = *c.Outputs
		if err := t.knowOutputs(a.Outputs); err != nil {
			return err
		}
	}
	all, err := t.Tx.Assets(t.ctx)
	if err != nil {
		return err
	}
	if err := a.Check(all); err != nil {
		return err
	}
	return t.Tx.SaveAsset(t.ctx, a)
}

func (t *Turn) knowSignals(names []string) error {
	for _, name := range names {
		if strings.Contains(name, "/") {
			if _, err := t.live.find(name); err != nil {
				return &measure.Fault{Field: "signals", Reason: err.(*measure.Fault).Reason}
			}
		} else if t.live.byName[name] == nil {
			return &measure.Fault{Field: "signals", Reason: site.Unknown("device", name, t.deviceNames())}
		}
	}
	return nil
}

func (t *Turn) knowOutputs(names []string) error {
	var known []string
	for _, d := range t.live.devices {
		for name := range d.outputs {
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
func (p *Pipeline) SetCondition(ctx context.Context, name string, c act.ConditionOrder, who Actor) error {
	return p.onAsset(ctx, name, func(t *Turn, a *asset.Asset) error {
		a.Condition, a.Why, a.By, a.Since = c.Condition, strings.TrimSpace(c.Why), who.Called, t.Now
		all, err := t.Tx.Assets(t.ctx)
		if err != nil {
			return err
		}
		if err := a.Check(all); err != nil {
			return err
		}
		if err := t.Tx.SaveAsset(t.ctx, a); err != nil {
			return err
		}
		text := a.Called() + " is " + a.Condition
		if a.Condition == asset.Attention {
			text = a.Called() + " needs attention"
		}
		return t.Enter("condition", AssetSubject(name), who.Called, strings.TrimSuffix(text+": "+a.Why, ": "))
	})
}

// RemoveAsset removes an asset in which no other stands; it can be brought back for 30 days.
func (p *Pipeline) RemoveAsset(ctx context.Context, name string, who Actor) error {
	return p.onAsset(ctx, name, func(t *Turn, a *asset.Asset) error {
		all, err := t.Tx.Assets(t.ctx)
		if err != nil {
			return err
		}
		for i := range all {
			if all[i].In == name {
				return fmt.Errorf("asset %s %w: %s stands in it", name, store.ErrInUse, all[i].Name)
			}
		}
		a.RemovedAt = &t.Now
		if err := t.Tx.SaveAsset(t.ctx, a); err != nil {
			return err
		}
		if err := t.Enter("asset removed", AssetSubject(name), who.Called, "The asset "+a.Called()+" was removed; it can be brought back for 30 days"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// BringAssetBack brings back an asset that was removed.
func (p *Pipeline) BringAssetBack(ctx context.Context, name string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		a, err := t.Tx.RemovedAsset(t.ctx, name)
		if err != nil || *a.RemovedAt < t.Now.Add(-site.BringBackFor) {
			return fmt.Errorf("no asset %s was removed in the last 30 days: %w", name, store.ErrNotFound)
		}
		all, err := t.Tx.Assets(t.ctx)
		if err != nil {
			return err
		}
		if asset.Named(all, a.In).Name == "" {
			a.In = "" // what it stood in is gone
		}
		a.RemovedAt = nil
		if err := t.Tx.SaveAsset(t.ctx, &a); err != nil {
			return err
		}
		if err := t.Enter("asset brought back", AssetSubject(name), who.Called, "The asset "+a.Called()+" was brought back"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

const (
	mostAttachments = 200
	smallSide       = 480
)

// AddPhoto stores a photo of an asset. It is drawn anew: turned upright, scaled, without the place where it was taken.
func (p *Pipeline) AddPhoto(ctx context.Context, name, called string, body []byte, who Actor) (a asset.Attachment, err error) {
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
	a = asset.Attachment{Kind: asset.Photo, Name: picture.Name, Type: picture.Type, Width: picture.Width, Height: picture.Height, Size: picture.Size, Body: picture.Body, Small: small}
	return a, p.attach(ctx, name, &a, who)
}

// AddPaper stores a paper of an asset: a PDF.
func (p *Pipeline) AddPaper(ctx context.Context, name, called string, body []byte, who Actor) (a asset.Attachment, err error) {
	if a, err = asset.NewPaper(called, body); err != nil {
		return a, err
	}
	return a, p.attach(ctx, name, &a, who)
}

func (p *Pipeline) attach(ctx context.Context, name string, a *asset.Attachment, who Actor) error {
	return p.onAsset(ctx, name, func(t *Turn, of *asset.Asset) error {
		n, err := t.Tx.CountAttachments(t.ctx, of.ID)
		if err != nil {
			return err
		}
		if n >= mostAttachments {
			return &measure.Fault{Field: a.Kind, Reason: fmt.Sprintf("there are %d with the asset already; no more are kept", n)}
		}
		a.By, a.At = who.Called, t.Now
		if err := t.Tx.AddAttachment(t.ctx, of.ID, a); err != nil {
			return err
		}
		return t.Enter(a.Kind+" added", AssetSubject(name), who.Called, fmt.Sprintf("%s has a new %s, %s", of.Called(), a.Kind, a.Name))
	})
}

// RemoveAttachment removes a photo or a paper of an asset.
func (p *Pipeline) RemoveAttachment(ctx context.Context, name string, id int64, who Actor) error {
	return p.onAsset(ctx, name, func(t *Turn, of *asset.Asset) error {
		if err := t.KeepRemoved("attachment", fmt.Sprint(id), "", who.Called, "attachment", "id", id); err != nil {
			return err
		}
		a, err := t.Tx.RemoveAttachment(t.ctx, of.ID, id)
		if err != nil {
			return fmt.Errorf("%s has no photo or paper %d: %w", name, id, err)
		}
		return t.Enter(a.Kind+" removed", AssetSubject(name), who.Called, fmt.Sprintf("The %s %s of %s was removed", a.Kind, a.Name, of.Called()))
	})
}
