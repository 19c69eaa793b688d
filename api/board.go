package api

import (
	"jauntylark/core/act"
	"jauntylark/core/board"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
)

// Operations on boards.
var (
	ListBoards = define[ListBoardsIn, []board.Board](viewer, "list-boards",
		"GET /boards", "All boards that you may look at", listed(func(v board.Board) string { return v.Name }))
	GetBoard = define[BoardPath, board.Board](viewer, "get-board", "GET /boards/{board}", "One board", tagged)
	PutBoard = define[PutBoardIn, board.Board](keeper, "put-board",
		"PUT /boards/{board}", "Save a board and publish it at once", tagged)
	ChangeBoard = define[ChangeBoardIn, board.Board](keeper, "change-board",
		"PATCH /boards/{board}", "Say what a board is called and who sees it", tagged)
	CopyBoard = define[CopyBoardIn, board.Board](keeper, "copy-board",
		"POST /boards/{board}/copy", "Make a board of your own out of one that is there",
		makes(func(_ *CopyBoardIn, b board.Board) Place { return GetBoard.At(b.Name) }))
	RemoveBoard = define[BoardPath, None](keeper, "remove-board",
		"DELETE /boards/{board}", "Remove a board; it can be brought back for 30 days")
	BringBoardBack = define[BoardPath, board.Board](keeper, "bring-board-back",
		"POST /boards/{board}/bring-back", "Bring back a board that was removed")
	PutDraft = define[PutDraftIn, board.Board](keeper, "put-draft",
		"PUT /boards/{board}/draft", "Keep a changed board without publishing it")
	DropDraft = define[BoardPath, board.Board](keeper, "drop-draft",
		"DELETE /boards/{board}/draft", "Forget what was changed and not published")
	PublishBoard = define[PublishBoardIn, board.Board](keeper, "publish-board",
		"POST /boards/{board}/publish", "Publish the draft of a board")
	ListBoardVersions = define[BoardPath, []board.Edition](viewer, "list-board-versions",
		"GET /boards/{board}/versions", "What was published of a board, newest first",
		listed(func(v board.Edition) int64 { return int64(v.Number) }))
	TakeBoardVersion = define[TakeBoardVersionIn, board.Board](keeper, "take-board-version",
		"POST /boards/{board}/versions/{version}/draft", "Make an older version of a board its draft")
)

// TryInterlockOrder says what is tried, over which stretch.
type TryInterlockOrder struct {
	Interlock drive.Interlock `json:"interlock" doc:"saved or not; any name will do"`
	From      measure.Instant `json:"from" format:"date-time"`
	Until     measure.Instant `json:"until" format:"date-time"`
}

// ListBoardsIn is the input of ListBoards.
type ListBoardsIn struct {
	Removed bool `query:"removed" doc:"those that were removed and can be brought back, instead of those that are there"`
}

// PutBoardIn is the input of PutBoard.
type PutBoardIn struct {
	BoardPath
	Body act.BoardSaving
}

// ChangeBoardIn is the input of ChangeBoard.
type ChangeBoardIn struct {
	BoardPath
	Body act.BoardChange
}

// CopyBoardIn is the input of CopyBoard.
type CopyBoardIn struct {
	BoardPath
	Body BoardCopy
}

// PutDraftIn is the input of PutDraft.
type PutDraftIn struct {
	BoardPath
	Body DraftSaving
}

// PublishBoardIn is the input of PublishBoard.
type PublishBoardIn struct {
	BoardPath
	Body Publishing
}

// TakeBoardVersionIn is the input of TakeBoardVersion.
type TakeBoardVersionIn struct {
	BoardPath
	Version int `path:"version" minimum:"1"`
}

// BoardPath is the place of one board.
type BoardPath struct {
	Board string `path:"board"`
}

// BoardCopy says what a copy is called.
type BoardCopy struct {
	Name  string `json:"name" maxLength:"63"`
	Title string `json:"title,omitempty" required:"false" maxLength:"80"`
}

// DraftSaving is a changed tiling.
type DraftSaving struct {
	Tiling   board.Tiling `json:"tiling"`
	Revision int          `json:"revision,omitempty" required:"false" doc:"of the draft that was changed; 0: the published tiling was"`
}

// Publishing makes a draft what everybody sees.
type Publishing struct {
	Revision int    `json:"revision" doc:"of the draft"`
	Note     string `json:"note,omitempty" required:"false" maxLength:"200" doc:"what was changed"`
}

// Operations on pictures for boards.
var (
	ListPictures = define[None, []board.Picture](viewer, "list-pictures",
		"GET /pictures", "All pictures for boards", listed(func(v board.Picture) int64 { return v.ID }))
	AddPicture = define[AddPictureIn, board.Picture](keeper, "add-picture",
		"POST /pictures",
		"Store a picture for boards: PNG, JPEG, WebP or SVG; it is drawn anew, and made safe",
		makes(func(_ *AddPictureIn, p board.Picture) Place { return GetPicture.At(p.ID) }), bringing(board.MostBytes), picturing)
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
	"GET /pictures/{id}", "A picture of boards", gives(bytesOf("image/png"), bytesOf("image/svg+xml")), ranged)

// PicturePath is the place of one picture.
type PicturePath struct {
	ID int64 `path:"id" minimum:"1"`
}
