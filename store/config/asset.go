package config

import (
	"context"
	"fmt"

	"jauntylark/core/asset"
	"jauntylark/core/measure"
	"jauntylark/store"
)

const selectAsset = `
	select a.id, a.name, a.title, a.kind, a.stands_in, a.note, a.condition, a.condition_why, a.condition_by,
	    a.condition_since, a.next_service, a.signals, a.outputs, a.made_at, a.removed_at,
	       (select min(p.id) from attachment p where p.asset_id = a.id and p.kind = 'photo') as photo
	from asset a`

// Assets lists all assets that are not removed, by name.
func Assets(ctx context.Context, db store.Reader) ([]asset.Asset, error) {
	assets := []asset.Asset{}
	err := db.Select(ctx, &assets, selectAsset+` where a.removed_at is null order by a.name`)
	return assets, err
}

// RemovedAsset gives the asset of a name that was removed last; ErrNotFound.
func RemovedAsset(ctx context.Context, db store.Reader, name string) (a asset.Asset, err error) {
	err = db.Get(ctx, &a, selectAsset+
		` where a.name = $1 and a.removed_at is not null order by a.removed_at desc limit 1`, name)
	return a, store.Found(err)
}

// SaveAsset stores an asset, new when its ID is 0; ErrTaken when the name is in use.
func SaveAsset(ctx context.Context, db store.Writer, a *asset.Asset) (err error) {
	args := []any{a.Name, a.Title, a.Kind, a.In, a.Note, a.Condition, a.Why, a.By, a.Since, a.NextService, a.Signals,
		a.Outputs, a.MadeAt, a.RemovedAt}
	if a.ID == 0 {
		err = db.Get(ctx, &a.ID, `
			insert into asset (name, title, kind, stands_in, note, condition, condition_why, condition_by,
			    condition_since, next_service, signals, outputs, made_at, removed_at)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14) returning id`, args...)
	} else {
		_, err = db.Exec(ctx, `
			update asset set name = $1, title = $2, kind = $3, stands_in = $4, note = $5, condition = $6,
			    condition_why = $7, condition_by = $8, condition_since = $9, next_service = $10,
			       signals = $11, outputs = $12, made_at = $13, removed_at = $14 where id = $15`, append(args, a.ID)...)
	}
	if store.Taken(err) {
		return fmt.Errorf("asset %s %w", a.Name, store.ErrTaken)
	}
	return err
}

// DropAssets forgets assets that were removed before an instant.
func DropAssets(ctx context.Context, db store.Writer, removedBefore measure.Instant) error {
	_, err := db.Exec(ctx, `delete from asset where removed_at < $1`, removedBefore)
	return err
}

const attachmentColumns = `id, kind, name, type, width, height, size, made_by, made_at`

// Attachments lists the photos and papers of an asset, oldest first, without their bodies.
func Attachments(ctx context.Context, db store.Reader, of int64) ([]asset.Attachment, error) {
	all := []asset.Attachment{}
	err := db.Select(ctx, &all, `select `+attachmentColumns+` from attachment where asset_id = $1 order by id`, of)
	return all, err
}

// Attachment gives a photo or a paper of an asset with its body, or with its small picture alone; ErrNotFound.
func Attachment(ctx context.Context, db store.Reader, of string, id int64, small bool) (a asset.Attachment, err error) {
	column := "body"
	if small {
		column = "coalesce(small, body) as body"
	}
	err = db.Get(ctx, &a, `
		select p.id, p.kind, p.name, p.type, p.width, p.height, p.size, p.made_by, p.made_at, `+column+`
		from attachment p join asset a on a.id = p.asset_id where p.id = $1 and a.name = $2 and a.removed_at is null`,
		id, of)
	return a, store.Found(err)
}

// AddAttachment stores a photo or a paper.
func AddAttachment(ctx context.Context, db store.Writer, of int64, a *asset.Attachment) error {
	return db.Get(ctx, &a.ID, `
		insert into attachment (asset_id, kind, name, type, width, height, size, body, small, made_by, made_at)
		    values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) returning id`,
		of, a.Kind, a.Name, a.Type, a.Width, a.Height, a.Size, a.Body, a.Small, a.By, a.At)
}

// CountAttachments tells how many photos and papers an asset has.
func CountAttachments(ctx context.Context, db store.Reader, of int64) (n int, err error) {
	err = db.Get(ctx, &n, `select count(*) from attachment where asset_id = $1`, of)
	return n, err
}

// RemoveAttachment removes a photo or a paper of an asset, and gives what it was; ErrNotFound.
func RemoveAttachment(ctx context.Context, db store.Writer, of, id int64) (a asset.Attachment, err error) {
	err = db.Get(ctx, &a, `delete from attachment where id = $1 and asset_id = $2 returning `+attachmentColumns, id, of)
	return a, store.Found(err)
}

// LastOver gives when the newest alarm of some signals was over; 0: none was.
func LastOver(ctx context.Context, db store.Reader, signals []string) (at measure.Instant, err error) {
	err = db.Get(ctx, &at, `select coalesce(max(cleared_at), 0) from alarm where signal = any($1)`, signals)
	return at, err
}
