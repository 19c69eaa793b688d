package config

import (
	"context"

	"jauntylark/core/board"
	"jauntylark/store"
)

const pictureColumns = `id, name, type, width, height, size, made_by, made_at`

// Pictures lists all pictures, newest first, without their bodies.
func Pictures(ctx context.Context, db store.Reader) ([]board.Picture, error) {
	pictures := []board.Picture{}
	err := db.Select(ctx, &pictures, `select `+pictureColumns+` from picture order by id desc`)
	return pictures, err
}

// Picture gives one picture with its body; ErrNotFound.
func Picture(ctx context.Context, db store.Reader, id int64) (p board.Picture, err error) {
	err = db.Get(ctx, &p, `select `+pictureColumns+`, body from picture where id = $1`, id)
	return p, store.Found(err)
}

// PictureIDs gives the numbers of all pictures.
func PictureIDs(ctx context.Context, db store.Reader) (ids []int64, err error) {
	err = db.Select(ctx, &ids, `select id from picture`)
	return ids, err
}

// AddPicture stores a picture.
func AddPicture(ctx context.Context, db store.Writer, p *board.Picture) error {
	return db.Get(ctx, &p.ID,
		`insert into picture (name, type, width, height, size, body, made_by, made_at)
			values ($1, $2, $3, $4, $5, $6, $7, $8) returning id`,
		p.Name, p.Type, p.Width, p.Height, p.Size, p.Body, p.By, p.At)
}

// RemovePicture removes a picture; ErrNotFound.
func RemovePicture(ctx context.Context, db store.Writer, id int64) error {
	return store.Found(db.Get(ctx, &id, `delete from picture where id = $1 returning id`, id))
}
