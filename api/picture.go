package api

import (
	"jauntylark/core/board"
)

// Operations on pictures for boards.
var (
	ListPictures = define[None, []board.Picture](viewer, "list-pictures",
		"GET /pictures", "All pictures for boards")
	AddPicture = define[AddPictureIn, board.Picture](keeper, "add-picture",
		"POST /pictures",
		"Store a picture for boards: PNG, JPEG, WebP or SVG; it is drawn anew, and made safe", created, bringing(board.MostBytes), picturing)
	RemovePicture = define[PicturePath, None](keeper, "remove-picture",
		"DELETE /pictures/{id}", "Remove a picture that no board shows")
)

// AddPictureIn is the input of AddPicture.
type AddPictureIn struct {
	Name    string `query:"name" maxLength:"120" doc:"what it is called"`
	RawBody []byte `contentType:"application/octet-stream"`
}

// GetPicture answers with a picture itself.
var GetPicture = define[PicturePath, File](viewer, "get-picture",
	"GET /pictures/{id}", "A picture of boards", gives(bytesOf("image/png"), bytesOf("image/svg+xml")))

// PicturePath is the place of one picture.
type PicturePath struct {
	ID int64 `path:"id" minimum:"1"`
}
