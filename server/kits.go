package server

import (
	"context"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/store"
)

func (v *Server) listKits(ctx context.Context, _ *api.None) ([]site.Kit, error) {
	return v.store.Kits(ctx)
}

func (v *Server) getKit(ctx context.Context, in *api.KitPath) (site.Kit, error) {
	kits, err := v.store.Kits(ctx)
	if err != nil {
		return site.Kit{}, err
	}
	names := []string{}
	for _, k := range kits {
		if k.Name == in.Kit {
			return k, nil
		}
		names = append(names, k.Name)
	}
	return site.Kit{}, missing(store.ErrNotFound, "kit", in.Kit, names)
}

func (v *Server) putKit(ctx context.Context, in *api.PutKitIn) (api.SavedKit, error) {
	if in.Body.Name != in.Kit {
		return api.SavedKit{}, wrong("name", in.Body.Name+" is not "+in.Kit+", the kit in the address")
	}
	return v.saveKit(ctx, in.Body)
}

func (v *Server) saveKit(ctx context.Context, k site.Kit) (api.SavedKit, error) {
	if err := k.Check(); err != nil {
		return api.SavedKit{}, err
	}
	offers, err := configure.SaveKit(ctx, v.pipeline, &k, who(ctx))
	return api.SavedKit{Kit: k, Offers: offers}, err
}

func (v *Server) kitFromDevice(ctx context.Context, in *api.KitFromDeviceIn) (api.SavedKit, error) {
	k, err := configure.KitFrom(ctx, v.pipeline, in.Kit, in.Body.Device)
	if err != nil {
		return api.SavedKit{}, err
	}
	return v.saveKit(ctx, k)
}

func (v *Server) removeKit(ctx context.Context, in *api.KitPath) error {
	return configure.RemoveKit(ctx, v.pipeline, in.Kit, who(ctx))
}

func (v *Server) kitChanges(ctx context.Context, in *api.KitChangesIn) ([]site.KitChange, error) {
	return configure.Offers(ctx, v.pipeline, in.Kit, in.Devices)
}

func (v *Server) applyKit(ctx context.Context, in *api.ApplyKitIn) ([]site.KitChange, error) {
	return configure.ApplyKit(ctx, v.pipeline, in.Kit, in.Body.Devices, who(ctx))
}
