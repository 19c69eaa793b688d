package record

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/board"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
	"jauntylark/server/web"
	"jauntylark/store/config"
)

// boardsOperations has the operations of this file answered.
func boardsOperations(v *web.Server) {
	web.Answer(v, api.ListBoards, listBoards)
	web.KeepOrChange(v, api.GetBoard, getBoard, api.PutBoard, putBoard, api.ChangeBoard, changeBoard)
	web.Answer(v, api.CopyBoard, copyBoard)
	web.Carry(v, api.RemoveBoard, removeBoard)
	web.Answer(v, api.BringBoardBack, bringBoardBack)
	web.Answer(v, api.PutDraft, putDraft)
	web.Answer(v, api.DropDraft, dropDraft)
	web.Answer(v, api.PublishBoard, publishBoard)
	web.Answer(v, api.ListBoardVersions, listBoardVersions)
	web.Answer(v, api.TakeBoardVersion, takeBoardVersion)
	web.Answer(v, api.SetStart, setStart)
	web.Answer(v, api.ListPictures, listPictures)
	web.Answer(v, api.AddPicture, addPicture)
	web.Carry(v, api.RemovePicture, removePicture)
	web.AnswerFile(v, api.GetPicture.Operation, servePicture)
}

// boardsOf gives the boards that a person may look at.
func boardsOf(ctx context.Context, v *web.Server) ([]board.Board, error) {
	all, err := config.Boards(ctx, v.Store)
	person := web.PersonOf(ctx)
	return slices.DeleteFunc(all, func(b board.Board) bool { return !b.SeenBy(&person) }), err
}

func listBoards(ctx context.Context, v *web.Server, in *api.ListBoardsIn) ([]board.Board, error) {
	all, err := boardsOf(ctx, v)
	return slices.DeleteFunc(all, func(b board.Board) bool { return (b.RemovedAt != nil) != in.Removed }), err
}

func getBoard(ctx context.Context, v *web.Server, in *api.BoardPath) (board.Board, error) {
	return findBoard(ctx, v, in.Board)
}

// findBoard finds a board by name; the error names the nearest one.
func findBoard(ctx context.Context, v *web.Server, name string) (board.Board, error) {
	all, err := boardsOf(ctx, v)
	all = slices.DeleteFunc(all, func(b board.Board) bool { return b.RemovedAt != nil })
	return web.Named(all, err, "board", name, func(b board.Board) string { return b.Name })
}

// changedBoard gives a board as it is after an act.
func changedBoard(ctx context.Context, v *web.Server, name string,
	act func(who *site.Person) error) (board.Board, error) {
	person := web.PersonOf(ctx)
	if err := act(&person); err != nil {
		return board.Board{}, err
	}
	return findBoard(ctx, v, name)
}

func putBoard(ctx context.Context, v *web.Server, in *api.PutBoardIn) (board.Board, error) {
	return changedBoard(ctx, v, in.Board, func(who *site.Person) error {
		return record.SaveBoard(ctx, v.Pipeline, in.Board, in.Body, who)
	})
}

func changeBoard(ctx context.Context, v *web.Server, in *api.ChangeBoardIn) (board.Board, error) {
	return changedBoard(ctx, v, in.Board, func(who *site.Person) error {
		return record.ChangeBoard(ctx, v.Pipeline, in.Board, in.Body, who)
	})
}

func removeBoard(ctx context.Context, v *web.Server, in *api.BoardPath) error {
	person := web.PersonOf(ctx)
	return record.RemoveBoard(ctx, v.Pipeline, in.Board, &person)
}

func bringBoardBack(ctx context.Context, v *web.Server, in *api.BoardPath) (board.Board, error) {
	return changedBoard(ctx, v, in.Board, func(who *site.Person) error {
		return record.BringBoardBack(ctx, v.Pipeline, in.Board, who)
	})
}

func copyBoard(ctx context.Context, v *web.Server, in *api.CopyBoardIn) (board.Board, error) {
	return changedBoard(ctx, v, in.Body.Name, func(who *site.Person) error {
		return record.CopyBoard(ctx, v.Pipeline, in.Board, in.Body.Name, in.Body.Title, who)
	})
}

func putDraft(ctx context.Context, v *web.Server, in *api.PutDraftIn) (board.Board, error) {
	return changedBoard(ctx, v, in.Board, func(who *site.Person) error {
		return record.SaveDraft(ctx, v.Pipeline, in.Board, in.Body.Tiling, in.Body.Revision, who)
	})
}

func dropDraft(ctx context.Context, v *web.Server, in *api.BoardPath) (board.Board, error) {
	return changedBoard(ctx, v, in.Board, func(who *site.Person) error {
		return record.DropDraft(ctx, v.Pipeline, in.Board, who)
	})
}

func publishBoard(ctx context.Context, v *web.Server, in *api.PublishBoardIn) (board.Board, error) {
	return changedBoard(ctx, v, in.Board, func(who *site.Person) error {
		return record.PublishDraft(ctx, v.Pipeline, in.Board, in.Body.Revision, in.Body.Note, who)
	})
}

func listBoardVersions(ctx context.Context, v *web.Server, in *api.BoardPath) ([]board.Edition, error) {
	b, err := findBoard(ctx, v, in.Board)
	if err != nil {
		return nil, err
	}
	return config.BoardVersions(ctx, v.Store, b.ID)
}

func takeBoardVersion(ctx context.Context, v *web.Server, in *api.TakeBoardVersionIn) (board.Board, error) {
	return changedBoard(ctx, v, in.Board, func(who *site.Person) error {
		return record.TakeVersion(ctx, v.Pipeline, in.Board, in.Version, who)
	})
}

func setStart(ctx context.Context, v *web.Server, in *api.Body[api.StartOrder]) (site.Person, error) {
	person := web.PersonOf(ctx)
	err := record.SetStart(ctx, v.Pipeline, in.Body.Board, &person)
	person.Start = in.Body.Board
	return person, err
}

func listPictures(ctx context.Context, v *web.Server, _ *api.None) ([]board.Picture, error) {
	return config.Pictures(ctx, v.Store)
}

func addPicture(ctx context.Context, v *web.Server, in *api.AddPictureIn) (board.Picture, error) {
	p, err := board.NewPicture(in.Name, in.RawBody)
	if err != nil {
		return board.Picture{}, err
	}
	person := web.PersonOf(ctx)
	err = record.AddPicture(ctx, v.Pipeline, &p, &person)
	return p, err
}

func removePicture(ctx context.Context, v *web.Server, in *api.PicturePath) error {
	person := web.PersonOf(ctx)
	return record.RemovePicture(ctx, v.Pipeline, in.ID, &person)
}

// servePicture answers with a picture itself. Opened by itself it may do nothing but be looked at.
func servePicture(v *web.Server, c *echo.Context) error {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return echo.ErrNotFound
	}
	p, err := config.Picture(c.Request().Context(), v.Store, id)
	if err != nil {
		return fmt.Errorf("there is no picture %d: %w", id, err)
	}
	h := c.Response().Header()
	h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; sandbox")
	h.Set("Cache-Control", "private, max-age=31536000, immutable")
	return web.Ranged(c, p.Type, p.Body)
}
