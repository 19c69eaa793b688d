package config

import (
	"context"
	"fmt"

	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/store"
)

const selectBoard = `select id, name, title, shared, maker, maker_id, version, tiling, draft, removed_at from board`

// Boards lists all boards by name, after them those that were removed and can be brought back.
func Boards(ctx context.Context, db store.Reader) ([]board.Board, error) {
	boards := []board.Board{}
	err := db.Select(ctx, &boards, selectBoard+` order by removed_at nulls first, name`)
	return boards, err
}

// Boards lists all boards that are not removed, by name.
func BoardsInUse(ctx context.Context, db store.Reader) ([]board.Board, error) {
	boards := []board.Board{}
	err := db.Select(ctx, &boards, selectBoard+` where removed_at is null order by name`)
	return boards, err
}

// RemovedBoard gives the board of a name that was removed last; ErrNotFound.
func RemovedBoard(ctx context.Context, db store.Reader, name string) (b board.Board, err error) {
	err = db.Get(ctx, &b, selectBoard+` where name = $1 and removed_at is not null order by removed_at desc limit 1`,
		name)
	return b, store.Found(err)
}

// SaveBoard stores a board, new when its ID is 0; ErrTaken when the name is in use.
func SaveBoard(ctx context.Context, db store.Writer, b *board.Board) (err error) {
	if b.ID == 0 {
		err = db.Get(ctx, &b.ID,
			`insert into board (name, title, shared, maker, maker_id, version, tiling, draft)
				values ($1, $2, $3, $4, $5, $6, $7, $8) returning id`,
			b.Name, b.Title, b.Shared, b.Maker, b.MakerID, b.Version, b.Tiling, b.Draft)
	} else {
		_, err = db.Exec(ctx,
			`update board set title = $2, shared = $3, version = $4, tiling = $5, draft = $6, removed_at = $7
				where id = $1`,
			b.ID, b.Title, b.Shared, b.Version, b.Tiling, b.Draft, b.RemovedAt)
	}
	if store.Taken(err) {
		return fmt.Errorf("board %s %w", b.Name, store.ErrTaken)
	}
	return err
}

// DropBoards forgets boards that were removed before an instant.
func DropBoards(ctx context.Context, db store.Writer, removedBefore measure.Instant) error {
	_, err := db.Exec(ctx, `delete from board where removed_at < $1`, removedBefore)
	return err
}

// keptVersions is how many versions of a board are kept.
const keptVersions = 100

// AddBoardVersion keeps what was published.
func AddBoardVersion(ctx context.Context, db store.Writer, b *board.Board, v *board.Edition) error {
	_, err := db.Exec(ctx, `
		with old as (delete from board_version where board_id = $1 and number <= $2::int - $7::int)
		insert into board_version (board_id, number, tiling, published_by, published_at, note)
		    values ($1, $2, $3, $4, $5, $6)`,
		b.ID, v.Number, v.Tiling, v.By, v.At, v.Note, keptVersions)
	return err
}

// BoardVersions lists what was published of a board, newest first.
func BoardVersions(ctx context.Context, db store.Reader, id int64) ([]board.Edition, error) {
	versions := []board.Edition{}
	err := db.Select(ctx, &versions,
		`select number, tiling, published_by, published_at, note from board_version where board_id = $1
			order by number desc`, id)
	return versions, err
}

// BoardVersion gives one version of a board; ErrNotFound.
func BoardVersion(ctx context.Context, db store.Reader, id int64, number int) (v board.Edition, err error) {
	err = db.Get(ctx, &v,
		`select number, tiling, published_by, published_at, note from board_version where board_id = $1 and number = $2`, id, number)
	return v, store.Found(err)
}

// SetStart says which board a person sees first; 0: none.
func SetStart(ctx context.Context, db store.Writer, person, board int64) error {
	if board == 0 {
		_, err := db.Exec(ctx, `delete from board_start where person_id = $1`, person)
		return err
	}
	_, err := db.Exec(ctx,
		`insert into board_start (person_id, board_id) values ($1, $2) on conflict (person_id) do update
			set board_id = excluded.board_id`, person, board)
	return err
}
