package server

import (
	"context"

	"jauntylark/core/site"
	"jauntylark/store"
)

func (v *Server) listKits(ctx context.Context, _ *none) (*body[[]site.Kit], error) {
	return answer(v.store.Kits(ctx))
}

// KitPath is the place of one kit.
type KitPath struct {
	Kit string `path:"kit"`
}

func (v *Server) getKit(ctx context.Context, in *KitPath) (*body[site.Kit], error) {
	kits, err := v.store.Kits(ctx)
	if err != nil {
		return nil, err
	}
	names := []string{}
	for _, k := range kits {
		if k.Name == in.Kit {
			return answer(k, nil)
		}
		names = append(names, k.Name)
	}
	return nil, missing(store.ErrNotFound, "kit", in.Kit, names)
}

// SavedKit is a kit that was saved, and what it would change of the devices that were made from it.
type SavedKit struct {
	Kit    site.Kit         `json:"kit"`
	Offers []site.KitChange `json:"offers" nullable:"false" doc:"what applying it would change; nothing has changed yet"`
}

func (v *Server) putKit(ctx context.Context, in *struct {
	KitPath
	Body site.Kit
}) (*body[SavedKit], error) {
	if in.Body.Name != in.Kit {
		return nil, wrong("name", in.Body.Name+" is not "+in.Kit+", the kit in the address")
	}
	return v.saveKit(ctx, in.Body)
}

func (v *Server) saveKit(ctx context.Context, k site.Kit) (*body[SavedKit], error) {
	if err := k.Check(); err != nil {
		return nil, err
	}
	offers, err := v.pipeline.SaveKit(ctx, &k, who(ctx))
	return answer(SavedKit{k, offers}, err)
}

func (v *Server) kitFromDevice(ctx context.Context, in *struct {
	KitPath
	Body struct {
		Device string `json:"device" doc:"the device that the kit is to describe"`
	}
}) (*body[SavedKit], error) {
	k, err := v.pipeline.KitFrom(ctx, in.Kit, in.Body.Device)
	if err != nil {
		return nil, err
	}
	return v.saveKit(ctx, k)
}

func (v *Server) removeKit(ctx context.Context, in *KitPath) (*none, error) {
	return nil, v.pipeline.RemoveKit(ctx, in.Kit, who(ctx))
}

func (v *Server) kitChanges(ctx context.Context, in *struct {
	KitPath
	Devices []string `query:"device,explode" doc:"which devices; left out: all that were made from the kit"`
}) (*body[[]site.KitChange], error) {
	return answer(v.pipeline.Offers(ctx, in.Kit, in.Devices))
}

func (v *Server) applyKit(ctx context.Context, in *struct {
	KitPath
	Body struct {
		Devices []string `json:"devices,omitempty" required:"false" doc:"which devices; left out: all that were made from the kit"`
	}
}) (*body[[]site.KitChange], error) {
	return answer(v.pipeline.ApplyKit(ctx, in.Kit, in.Body.Devices, who(ctx)))
}
