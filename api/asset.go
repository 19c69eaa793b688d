package api

import (
	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/asset"
	"jauntylark/core/board"
	"jauntylark/core/calibrate"
	"jauntylark/core/drive"
	"jauntylark/core/run"
	"jauntylark/core/site"
)

// Operations on assets.
var (
	ListAssets = define[None, []AssetLine](viewer, "list-assets",
		"GET /assets", "All assets in the order of their tree, with what they read now",
		listed(func(v AssetLine) string { return v.Name }))
	AddAsset = define[Body[AssetDraft], AssetPage](keeper, "add-asset",
		"POST /assets", "Add an asset", makes(func(_ *Body[AssetDraft], a AssetPage) Place {
			return GetAsset.At(a.Asset.Name)
		}))
	GetAsset = define[AssetPath, AssetPage](viewer, "get-asset",
		"GET /assets/{asset}", "One asset: how it does, and what belongs to it", tagged)
	ChangeAsset = define[ChangeAssetIn, AssetPage](keeper, "change-asset",
		"PATCH /assets/{asset}", "Change what is said of an asset", tagged)
	RemoveAsset = define[AssetPath, None](keeper, "remove-asset",
		"DELETE /assets/{asset}", "Remove an asset; it can be brought back for 30 days")
	BringAssetBack = define[AssetPath, AssetPage](keeper, "bring-asset-back",
		"POST /assets/{asset}/bring-back", "Bring back an asset that was removed")
	SetCondition = define[SetConditionIn, AssetPage](keeper, "set-condition",
		"PUT /assets/{asset}/condition", "Say how an asset is, and why")
	ListAssetJournal = define[ListAssetJournalIn, []site.Entry](viewer, "list-asset-journal",
		"GET /assets/{asset}/journal", "What happened to an asset and what belongs to it, newest first",
		newest(func(v site.Entry) int64 { return v.ID }))
	AddPhoto = define[Attaching, asset.Attachment](keeper, "add-photo",
		"POST /assets/{asset}/photos",
		"Store a photo of an asset: PNG, JPEG or WebP; it is turned, scaled, and drawn anew without the place where "+
			"it was taken", makes(attachmentPlace), bringing(board.MostBytes), picturing)
	AddPaper = define[Attaching, asset.Attachment](keeper, "add-paper",
		"POST /assets/{asset}/papers", "Store a paper of an asset: PDF", makes(attachmentPlace),
		bringing(asset.MostPaper))
	RemoveAttachment = define[RemoveAttachmentIn, None](keeper, "remove-attachment",
		"DELETE /assets/{asset}/attachments/{id}", "Remove a photo or a paper of an asset")
	GuardAsset = define[GuardAssetIn, act.Watch](keeper, "guard-asset",
		"PUT /assets/{asset}/guard",
		"Put an asset under guard: which signal, how often, which limits, who is told; or say what that would be")
)

// ChangeAssetIn is the input of ChangeAsset.
type ChangeAssetIn struct {
	AssetPath
	Body act.AssetChange
}

// SetConditionIn is the input of SetCondition.
type SetConditionIn struct {
	AssetPath
	Body act.ConditionOrder
}

// ListAssetJournalIn is the input of ListAssetJournal.
type ListAssetJournalIn struct {
	AssetPath
	Page
}

// RemoveAttachmentIn is the input of RemoveAttachment.
type RemoveAttachmentIn struct {
	AssetPath
	ID int64 `path:"id" minimum:"1"`
}

// GuardAssetIn is the input of GuardAsset.
type GuardAssetIn struct {
	AssetPath
	Body act.WatchOrder
}

// Attaching is a photo or a paper on its way to an asset.
type Attaching struct {
	AssetPath
	Name    string `query:"name" maxLength:"120" doc:"what it is called"`
	RawBody []byte `contentType:"application/octet-stream"`
}

// AssetPath is the place of one asset.
type AssetPath struct {
	Asset string `path:"asset"`
}

// AssetLine is an asset in the list of all: what guards it, and what it reads now.
type AssetLine struct {
	asset.Asset
	Depth   int            `json:"depth" doc:"how deep it stands in the tree, from 0"`
	Guards  int            `json:"guards" doc:"how many look at its signals"`
	Worst   alarm.Severity `json:"worst" enum:",advisory,warning,critical" doc:"of its standing alarms; empty: none stands"`
	Reading *site.Signal   `json:"reading" doc:"the signal that tells most: of a standing alarm, of a guard, or its first; null: it has none"`
	Eye     string         `json:"eye" doc:"the device that sends frames of it; empty: none"`
	Run     *run.Run       `json:"run" doc:"the run that is on; null: none"`
}

// AssetPage is all that an asset's page tells.
type AssetPage struct {
	Asset       asset.Asset          `json:"asset"`
	Words       []string             `json:"words" nullable:"false" doc:"how it does, in sentences"`
	Place       []AssetName          `json:"place" nullable:"false" doc:"what it stands in, the outermost first"`
	Parts       []AssetName          `json:"parts" nullable:"false" doc:"what stands in it"`
	Signals     []site.Signal        `json:"signals" nullable:"false"`
	Outputs     []drive.Output       `json:"outputs" nullable:"false"`
	Guards      []alarm.Guard        `json:"guards" nullable:"false"`
	Verified    []calibrate.Verified `json:"verified" nullable:"false" doc:"of each signal the newest verification, if there is one"`
	Alarms      []alarm.Alarm        `json:"alarms" nullable:"false" doc:"those that stand"`
	Attachments []asset.Attachment   `json:"attachments" nullable:"false"`
	Eyes        []string             `json:"eyes" nullable:"false" doc:"devices that send frames of it"`
	Runs        []run.Run            `json:"runs" nullable:"false" doc:"the newest 20"`
	Plans       []run.Plan           `json:"plans" nullable:"false"`
}

// Thing is what of it can be changed.
func (p AssetPage) Thing() any { return p.Asset }

// AssetName is an asset's name and what people call it.
type AssetName struct {
	Name      string `json:"name"`
	Called    string `json:"called"`
	Condition string `json:"condition" enum:"in order,attention,out of order,retired"`
}

// AssetDraft is a new asset.
type AssetDraft struct {
	Name string `json:"name" doc:"unique among assets; part of its page's address" example:"fog-pump"`
	act.AssetChange
}

// Operations that answer with a file of an asset, or with labels.
var (
	GetAttachment = define[GetAttachmentIn, File](viewer, "get-attachment",
		"GET /assets/{asset}/attachments/{id}", "A photo or a paper of an asset",
		gives(bytesOf("image/jpeg"), bytesOf("image/png"), bytesOf("application/pdf")), ranged)
	GetLabel = define[AssetPath, File](viewer, "get-label",
		"GET /assets/{asset}/label.svg", "A QR label that opens an asset's page", gives(bytesOf("image/svg+xml")),
		ranged)
	GetLabelPicture = define[AssetPath, File](viewer, "get-label-picture",
		"GET /assets/{asset}/label.png", "The same as PNG", gives(bytesOf("image/png")), ranged)
	GetLabels = define[GetLabelsIn, File](viewer, "get-labels",
		"GET /labels.pdf", "QR labels of assets on pages to print and cut", gives(bytesOf("application/pdf")), ranged)
)

func attachmentPlace(in *Attaching, a asset.Attachment) Place {
	return GetAttachment.At(in.Asset, a.ID)
}

// GetAttachmentIn is the input of GetAttachment.
type GetAttachmentIn struct {
	AssetPath
	ID    int64 `path:"id" minimum:"1"`
	Small bool  `query:"small" doc:"480 pixels at most"`
}

// GetLabelsIn is the input of GetLabels.
type GetLabelsIn struct {
	Assets []string `query:"asset,explode" doc:"names; all when left out"`
}
