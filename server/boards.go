package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/board"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
	"jauntylark/store"
)

// boardsOf gives the boards that a person may look at.
func (v *Server) boardsOf(ctx context.Context) ([]board.Board, error) {
	all, err := v.store.Boards(ctx)
	person := personOf(ctx)
	return slices.DeleteFunc(all, func(b board.Board) bool { return !b.SeenBy(&person) }), err
}

func (v *Server) listBoards(ctx context.Context, in *api.ListBoardsIn) ([]board.Board, error) {
	all, err := v.boardsOf(ctx)
	return slices.DeleteFunc(all, func(b board.Board) bool { return (b.RemovedAt != nil) != in.Removed }), err
}

func (v *Server) getBoard(ctx context.Context, in *api.BoardPath) (board.Board, error) {
	return v.board(ctx, in.Board)
}

// board finds a board by name; the error names the nearest one.
func (v *Server) board(ctx context.Context, name string) (board.Board, error) {
	all, err := v.boardsOf(ctx)
	if err != nil {
		return board.Board{}, err
	}
	var names []string
	for _, b := range all {
		if b.RemovedAt != nil {
			continue
		}
		if names = append(names, b.Name); b.Name == name {
			return b, nil
		}
	}
	return board.Board{}, missing(store.ErrNotFound, "board", name, names)
}

// changed gives a board as it is after an act.
func (v *Server) changed(ctx context.Context, name string, act func(who *site.Person) error) (board.Board, error) {
	person := personOf(ctx)
	if err := act(&person); err != nil {
		return board.Board{}, err
	}
	return v.board(ctx, name)
}

func (v *Server) putBoard(ctx context.Context, in *api.PutBoardIn) (board.Board, error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error { return record.SaveBoard(ctx, v.pipeline, in.Board, in.Body, who) })
}

func (v *Server) changeBoard(ctx context.Context, in *api.ChangeBoardIn) (board.Board, error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error { return record.ChangeBoard(ctx, v.pipeline, in.Board, in.Body, who) })
}

func (v *Server) removeBoard(ctx context.Context, in *api.BoardPath) error {
	person := personOf(ctx)
	return record.RemoveBoard(ctx, v.pipeline, in.Board, &person)
}

func (v *Server) bringBoardBack(ctx context.Context, in *api.BoardPath) (board.Board, error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error { return record.BringBoardBack(ctx, v.pipeline, in.Board, who) })
}

func (v *Server) copyBoard(ctx context.Context, in *api.CopyBoardIn) (board.Board, error) {
	return v.changed(ctx, in.Body.Name, func(who *site.Person) error {
		return record.CopyBoard(ctx, v.pipeline, in.Board, in.Body.Name, in.Body.Title, who)
	})
}

func (v *Server) putDraft(ctx context.Context, in *api.PutDraftIn) (board.Board, error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error {
		return record.SaveDraft(ctx, v.pipeline, in.Board, in.Body.Tiling, in.Body.Revision, who)
	})
}

func (v *Server) dropDraft(ctx context.Context, in *api.BoardPath) (board.Board, error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error { return record.DropDraft(ctx, v.pipeline, in.Board, who) })
}

func (v *Server) publishBoard(ctx context.Context, in *api.PublishBoardIn) (board.Board, error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error {
		return record.PublishDraft(ctx, v.pipeline, in.Board, in.Body.Revision, in.Body.Note, who)
	})
}

func (v *Server) listBoardVersions(ctx context.Context, in *api.BoardPath) ([]board.Edition, error) {
	b, err := v.board(ctx, in.Board)
	if err != nil {
		return nil, err
	}
	return v.store.BoardVersions(ctx, b.ID)
}

func (v *Server) takeBoardVersion(ctx context.Context, in *api.TakeBoardVersionIn) (board.Board, error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error { return record.TakeVersion(ctx, v.pipeline, in.Board, in.Version, who) })
}

func (v *Server) setStart(ctx context.Context, in *api.Body[api.StartOrder]) (site.Person, error) {
	person := personOf(ctx)
	err := record.SetStart(ctx, v.pipeline, in.Body.Board, &person)
	person.Start = in.Body.Board
	return person, err
}

func (v *Server) listPictures(ctx context.Context, _ *api.None) ([]board.Picture, error) {
	return v.store.Pictures(ctx)
}

func (v *Server) addPicture(ctx context.Context, in *api.AddPictureIn) (board.Picture, error) {
	p, err := board.NewPicture(in.Name, in.RawBody)
	if err != nil {
		return board.Picture{}, err
	}
	person := personOf(ctx)
	err = record.AddPicture(ctx, v.pipeline, &p, &person)
	return p, err
}

func (v *Server) removePicture(ctx context.Context, in *api.PicturePath) error {
	person := personOf(ctx)
	return record.RemovePicture(ctx, v.pipeline, in.ID, &person)
}

// servePicture answers with a picture itself. Opened by itself it may do nothing but be looked at.
func (v *Server) servePicture(c *echo.Context) error {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return echo.ErrNotFound
	}
	p, err := v.store.Picture(c.Request().Context(), id)
	if err != nil {
		return fmt.Errorf("there is no picture %d: %w", id, err)
	}
	h := c.Response().Header()
	h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; sandbox")
	h.Set("Cache-Control", "private, max-age=31536000, immutable")
	return c.Blob(http.StatusOK, p.Type, p.Body)
}
