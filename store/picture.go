package store

import (
	"context"

	"jauntylark/core/board"
)

const pictureColumns = `id, name, type, width, height, size, made_by, made_at`

// Pictures lists all pictures, newest first, without their bodies.
func (s *Store) Pictures(ctx context.Context) ([]board.Picture, error) {
	pictures := []board.Picture{}
	err := s.db.SelectContext(ctx, &pictures, `select `+pictureColumns+` from picture order by id desc`)
	return pictures, err
}

// Picture gives one picture with its body; ErrNotFound.
func (s *Store) Picture(ctx context.Context, id int64) (p board.Picture, err error) {
	err = s.db.GetContext(ctx, &p, `select `+pictureColumns+`, body from picture where id = $1`, id)
	return p, found(err)
}

// PictureIDs gives the numbers of all pictures.
func (t *Tx) PictureIDs(ctx context.Context) (ids []int64, err error) {
	err = t.SelectContext(ctx, &ids, `select id from picture`)
	return ids, err
}

// AddPicture stores a picture.
func (t *Tx) AddPicture(ctx context.Context, p *board.Picture) error {
	return t.GetContext(ctx, &p.ID, `insert into picture (name, type, width, height, size, body, made_by, made_at) values ($1, $2, $3, $4, $5, $6, $7, $8) returning id`,
		p.Name, p.Type, p.Width, p.Height, p.Size, p.Body, p.By, p.At)
}

// RemovePicture removes a picture; ErrNotFound.
func (t *Tx) RemovePicture(ctx context.Context, id int64) error {
	return found(t.GetContext(ctx, &id, `delete from picture where id = $1 returning id`, id))
}
