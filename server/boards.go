package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"jauntylark/core/board"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/store"
)

// boardsOf gives the boards that a person may look at.
func (v *Server) boardsOf(ctx context.Context) ([]board.Board, error) {
	all, err := v.store.Boards(ctx)
	person := personOf(ctx)
	return slices.DeleteFunc(all, func(b board.Board) bool { return !b.SeenBy(&person) }), err
}

func (v *Server) listBoards(ctx context.Context, in *struct {
	Removed bool `query:"removed" doc:"those that were removed and can be brought back, instead of those that are there"`
}) (*body[[]board.Board], error) {
	all, err := v.boardsOf(ctx)
	return answer(slices.DeleteFunc(all, func(b board.Board) bool { return (b.RemovedAt != nil) != in.Removed }), err)
}

// BoardPath is the place of one board.
type BoardPath struct {
	Board string `path:"board"`
}

func (v *Server) getBoard(ctx context.Context, in *BoardPath) (*body[board.Board], error) {
	return answer(v.board(ctx, in.Board))
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
func (v *Server) changed(ctx context.Context, name string, act func(who *site.Person) error) (*body[board.Board], error) {
	person := personOf(ctx)
	if err := act(&person); err != nil {
		return nil, err
	}
	return answer(v.board(ctx, name))
}

func (v *Server) putBoard(ctx context.Context, in *struct {
	BoardPath
	Body pipeline.BoardSaving
}) (*body[board.Board], error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error { return v.pipeline.SaveBoard(ctx, in.Board, in.Body, who) })
}

func (v *Server) changeBoard(ctx context.Context, in *struct {
	BoardPath
	Body pipeline.BoardChange
}) (*body[board.Board], error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error { return v.pipeline.ChangeBoard(ctx, in.Board, in.Body, who) })
}

func (v *Server) removeBoard(ctx context.Context, in *BoardPath) (*none, error) {
	person := personOf(ctx)
	return nil, v.pipeline.RemoveBoard(ctx, in.Board, &person)
}

func (v *Server) bringBoardBack(ctx context.Context, in *BoardPath) (*body[board.Board], error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error { return v.pipeline.BringBoardBack(ctx, in.Board, who) })
}

// BoardCopy says what a copy is called.
type BoardCopy struct {
	Name  string `json:"name" maxLength:"63"`
	Title string `json:"title,omitempty" required:"false" maxLength:"80"`
}

func (v *Server) copyBoard(ctx context.Context, in *struct {
	BoardPath
	Body BoardCopy
}) (*body[board.Board], error) {
	return v.changed(ctx, in.Body.Name, func(who *site.Person) error {
		return v.pipeline.CopyBoard(ctx, in.Board, in.Body.Name, in.Body.Title, who)
	})
}

// DraftSaving is a changed tiling.
type DraftSaving struct {
	Tiling   board.Tiling `json:"tiling"`
	Revision int          `json:"revision,omitempty" required:"false" doc:"of the draft that was changed; 0: the published tiling was"`
}

func (v *Server) putDraft(ctx context.Context, in *struct {
	BoardPath
	Body DraftSaving
}) (*body[board.Board], error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error {
		return v.pipeline.SaveDraft(ctx, in.Board, in.Body.Tiling, in.Body.Revision, who)
	})
}

func (v *Server) dropDraft(ctx context.Context, in *BoardPath) (*body[board.Board], error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error { return v.pipeline.DropDraft(ctx, in.Board, who) })
}

// Publishing makes a draft what everybody sees.
type Publishing struct {
	Revision int    `json:"revision" doc:"of the draft"`
	Note     string `json:"note,omitempty" required:"false" maxLength:"200" doc:"what was changed"`
}

func (v *Server) publishBoard(ctx context.Context, in *struct {
	BoardPath
	Body Publishing
}) (*body[board.Board], error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error {
		return v.pipeline.PublishDraft(ctx, in.Board, in.Body.Revision, in.Body.Note, who)
	})
}

func (v *Server) listBoardVersions(ctx context.Context, in *BoardPath) (*body[[]board.Edition], error) {
	b, err := v.board(ctx, in.Board)
	if err != nil {
		return nil, err
	}
	return answer(v.store.BoardVersions(ctx, b.ID))
}

func (v *Server) takeBoardVersion(ctx context.Context, in *struct {
	BoardPath
	Version int `path:"version" minimum:"1"`
}) (*body[board.Board], error) {
	return v.changed(ctx, in.Board, func(who *site.Person) error { return v.pipeline.TakeVersion(ctx, in.Board, in.Version, who) })
}

// StartOrder says what a person sees first.
type StartOrder struct {
	Board string `json:"board" doc:"name of a board; empty: what is wrong now"`
}

func (v *Server) setStart(ctx context.Context, in *body[StartOrder]) (*body[site.Person], error) {
	person := personOf(ctx)
	err := v.pipeline.SetStart(ctx, in.Body.Board, &person)
	person.Start = in.Body.Board
	return answer(person, err)
}

func (v *Server) listPictures(ctx context.Context, _ *none) (*body[[]board.Picture], error) {
	return answer(v.store.Pictures(ctx))
}

func (v *Server) addPicture(ctx context.Context, in *struct {
	Name    string `query:"name" maxLength:"120" doc:"what it is called"`
	RawBody []byte `contentType:"application/octet-stream"`
}) (*body[board.Picture], error) {
	p, err := board.NewPicture(in.Name, in.RawBody)
	if err != nil {
		return nil, err
	}
	person := personOf(ctx)
	err = v.pipeline.AddPicture(ctx, &p, &person)
	return answer(p, err)
}

func (v *Server) removePicture(ctx context.Context, in *struct {
	ID int64 `path:"id" minimum:"1"`
}) (*none, error) {
	person := personOf(ctx)
	return nil, v.pipeline.RemovePicture(ctx, in.ID, &person)
}

// servePicture answers with a picture itself. Opened by itself it may do nothing but be looked at.
func (v *Server) servePicture(c *echo.Context) error {
	if _, err := v.mayDo(c.Request(), site.Viewer); err != nil {
		return v.answerProblem(c, err)
	}
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return echo.ErrNotFound
	}
	p, err := v.store.Picture(c.Request().Context(), id)
	if err != nil {
		return v.answerProblem(c, v.problem(fmt.Errorf("there is no picture %d: %w", id, err)))
	}
	h := c.Response().Header()
	h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; sandbox")
	h.Set("Cache-Control", "private, max-age=31536000, immutable")
	return c.Blob(http.StatusOK, p.Type, p.Body)
}
