package place

import (
	"context"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/server/web"
	"jauntylark/store/config"
)

// kitsOperations has the operations of this file answered.
func kitsOperations(v *web.Server) {
	web.Answer(v, api.ListKits, listKits)
	web.Keep(v, api.GetKit, getKit, api.PutKit, putKit, api.PatchKit)
	web.Answer(v, api.KitFromDevice, kitFromDevice)
	web.Carry(v, api.RemoveKit, removeKit)
	web.Answer(v, api.KitChanges, kitChanges)
	web.Answer(v, api.ApplyKit, applyKit)
}

func listKits(ctx context.Context, v *web.Server, _ *api.None) ([]site.Kit, error) {
	return config.Kits(ctx, v.Store)
}

func getKit(ctx context.Context, v *web.Server, in *api.KitPath) (site.Kit, error) {
	kits, err := config.Kits(ctx, v.Store)
	return web.Named(kits, err, "kit", in.Kit, func(k site.Kit) string { return k.Name })
}

func putKit(ctx context.Context, v *web.Server, in *api.PutKitIn) (api.SavedKit, error) {
	if in.Body.Name != in.Kit {
		return api.SavedKit{}, web.Wrong("name", in.Body.Name+" is not "+in.Kit+", the kit in the address")
	}
	return saveKit(ctx, v, in.Body)
}

func saveKit(ctx context.Context, v *web.Server, k site.Kit) (api.SavedKit, error) {
	if err := k.Check(); err != nil {
		return api.SavedKit{}, err
	}
	offers, err := configure.SaveKit(ctx, v.Pipeline, &k, web.Who(ctx))
	return api.SavedKit{Kit: k, Offers: offers}, err
}

func kitFromDevice(ctx context.Context, v *web.Server, in *api.KitFromDeviceIn) (api.SavedKit, error) {
	k, err := configure.KitFrom(ctx, v.Pipeline, in.Kit, in.Body.Device)
	if err != nil {
		return api.SavedKit{}, err
	}
	return saveKit(ctx, v, k)
}

func removeKit(ctx context.Context, v *web.Server, in *api.KitPath) error {
	return configure.RemoveKit(ctx, v.Pipeline, in.Kit, web.Who(ctx))
}

func kitChanges(ctx context.Context, v *web.Server, in *api.KitChangesIn) ([]site.KitChange, error) {
	return configure.Offers(ctx, v.Pipeline, in.Kit, in.Devices)
}

func applyKit(ctx context.Context, v *web.Server, in *api.ApplyKitIn) ([]site.KitChange, error) {
	return configure.ApplyKit(ctx, v.Pipeline, in.Kit, in.Body.Devices, web.Who(ctx))
}
