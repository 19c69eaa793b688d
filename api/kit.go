package api

import (
	"jauntylark/core/site"
)

// Operations on kits.
var (
	ListKits = define[None, []site.Kit](viewer, "list-kits", "GET /kits", "All kits",
		listed(func(v site.Kit) string { return v.Name }))
	GetKit = define[KitPath, site.Kit](viewer, "get-kit", "GET /kits/{kit}", "One kit", tagged)
	PutKit = define[PutKitIn, SavedKit](keeper, "put-kit",
		"PUT /kits/{kit}", "Save a kit; what it would change of its devices is offered", tagged)
	PatchKit      = inParts(PutKit, "Change parts of a kit; what it would change of its devices is offered")
	KitFromDevice = define[KitFromDeviceIn, SavedKit](keeper, "kit-from-device",
		"POST /kits/{kit}/from-device", "Save a kit that describes a device as it is")
	RemoveKit = define[KitPath, None](keeper, "remove-kit",
		"DELETE /kits/{kit}", "Remove a kit; its devices stay as they are")
	KitChanges = define[KitChangesIn, []site.KitChange](viewer, "kit-changes",
		"GET /kits/{kit}/changes", "What applying a kit would change")
	ApplyKit = define[ApplyKitIn, []site.KitChange](keeper, "apply-kit",
		"POST /kits/{kit}/apply", "Make devices what their kit says")
)

// PutKitIn is the input of PutKit.
type PutKitIn struct {
	KitPath
	Body site.Kit
}

// KitSource names the device that a kit is to describe.
type KitSource struct {
	Device string `json:"device" doc:"the device that the kit is to describe"`
}

// KitFromDeviceIn is the input of KitFromDevice.
type KitFromDeviceIn struct {
	KitPath
	Body KitSource
}

// KitChangesIn is the input of KitChanges.
type KitChangesIn struct {
	KitPath
	Devices []string `query:"device,explode" doc:"which devices; left out: all that were made from the kit"`
}

// KitApplication names the devices that a kit is applied to.
type KitApplication struct {
	Devices []string `json:"devices,omitempty" required:"false" doc:"which devices; left out: all that were made from the kit"`
}

// ApplyKitIn is the input of ApplyKit.
type ApplyKitIn struct {
	KitPath
	Body KitApplication
}

// KitPath is the place of one kit.
type KitPath struct {
	Kit string `path:"kit"`
}

// SavedKit is a kit that was saved, and what it would change of the devices that were made from it.
type SavedKit struct {
	Kit    site.Kit         `json:"kit"`
	Offers []site.KitChange `json:"offers" nullable:"false" doc:"what applying it would change; nothing has changed yet"`
}
