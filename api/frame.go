package api

import (
	"time"

	"jauntylark/core/frame"
)

// Operations on thermal frames.
var (
	GetEye = define[DevicePath, frame.Eye](viewer, "get-eye",
		"GET /devices/{device}/eye", "How the frames of a device are read", tagged)
	PutEye = define[PutEyeIn, frame.Eye](keeper, "put-eye",
		"PUT /devices/{device}/eye",
		"Say how the frames of a device are read; new regions tell of the newest 10,000 frames too", tagged)
	PatchEye   = inParts(PutEye, "Change parts of how the frames of a device are read")
	ListFrames = define[ListFramesIn, FrameList](viewer, "list-frames",
		"GET /devices/{device}/frames", "The frames of a stretch, without their temperatures", long)
	ListPalettes = define[None, []PaletteInfo](viewer, "list-palettes",
		"GET /palettes", "The palettes that frames are coloured by",
		listed(func(v PaletteInfo) string { return v.Name }))
)

// PutEyeIn is the input of PutEye.
type PutEyeIn struct {
	DevicePath
	Body frame.Eye
}

// ListFramesIn is the input of ListFrames.
type ListFramesIn struct {
	DevicePath
	Since time.Time `query:"since" doc:"only those of then or later; a day back when left out"`
	Until time.Time `query:"until" doc:"only those before then; now when left out"`
	Most  int       `query:"most" default:"200" minimum:"2" maximum:"2000" doc:"so many at most: where there are more, the first of each of as many equal parts, and the newest"`
}

// FrameList is the frames of a stretch.
type FrameList struct {
	Eye    frame.Eye     `json:"eye"`
	Frames []frame.Frame `json:"frames" nullable:"false" doc:"in order of time"`
	All    int           `json:"all" doc:"how many there are; more than are told where they are many"`
}

// PaletteInfo is a palette as pages use it.
type PaletteInfo struct {
	Name    string   `json:"name"`
	Words   string   `json:"words" doc:"what it is good for"`
	Both    bool     `json:"both" doc:"it goes to both sides of a middle: for what has changed"`
	Colours []string `json:"colours" nullable:"false" doc:"256, from the coldest to the hottest"`
}

// Operations that answer with frames themselves.
var (
	GetFrame = define[GetFrameIn, File](viewer, "get-frame",
		"GET /devices/{device}/frames/{file}",
		"The frame nearest to a time: TIME.png, .csv, .json, .cbor, .pgm, or .jpg for the picture beside it; TIME "+
			"may be newest",
		gives(bytesOf("image/png"), bytesOf("image/jpeg"), bytesOf("text/csv"), jsonOf[FrameValues]("application/json"),
			bytesOf(frame.CBOR), bytesOf(frame.PGM)), ranged)
	GetStrip = define[GetStripIn, File](viewer, "get-strip",
		"GET /devices/{device}/strip.gif",
		"The frames of a stretch as a moving picture: 240 at most, and 32 million pixels of them, 640 wide at most",
		long, gives(bytesOf("image/gif")), ranged)
)

// FrameValues is a frame in JSON.
type FrameValues struct {
	At      string     `json:"at,omitempty" format:"date-time"`
	Width   int        `json:"width"`
	Height  int        `json:"height"`
	Unit    string     `json:"unit" doc:"of the values, in UCUM"`
	Values  []*float64 `json:"values" nullable:"false" doc:"row by row from the top left; null: a dead pixel"`
	Picture string     `json:"picture,omitempty" doc:"the camera's own picture, JPEG in base64"`
}

// FrameLook says how frames are drawn.
type FrameLook struct {
	Palette string  `query:"palette" doc:"hearth, dusk, ash or change"`
	Low     float64 `query:"low" doc:"°C: where the palette begins"`
	High    float64 `query:"high" doc:"°C: where it ends"`
	Width   int     `query:"width" doc:"pixels of the picture part, about"`
	Against string  `query:"against" doc:"another frame's time, or reference: what has changed since"`
	AsSent  bool    `query:"as_sent" doc:"without correction for emissivity"`
	Regions bool    `query:"regions" doc:"with the outlines of regions"`
	Bare    bool    `query:"bare" doc:"without scale and words"`
}

// GetFrameIn is the input of GetFrame.
type GetFrameIn struct {
	DevicePath
	File string `path:"file" doc:"TIME and an ending" example:"newest.png"`
	FrameLook
}

// GetStripIn is the input of GetStrip.
type GetStripIn struct {
	DevicePath
	Since time.Time `query:"since" doc:"a day back when left out"`
	Until time.Time `query:"until" doc:"before then; now when left out"`
	FrameLook
}
