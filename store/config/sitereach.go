package config

import (
	"context"
	"encoding/json"

	"jauntylark/core/roster"
	"jauntylark/store"
)

const selectReach = `select to_jsonb(tell) as tell_json, templates, heartbeat, quiet_word, flood from site`

type reachRow struct {
	roster.SiteReach
	TellJSON []byte `db:"tell_json"`
}

func (r *reachRow) reach() (roster.SiteReach, error) {
	err := json.Unmarshal(r.TellJSON, &r.Tell)
	return r.SiteReach, err
}

// SiteReach gives what the site itself has to tell, and to whom.
func SiteReach(ctx context.Context, db store.Reader) (roster.SiteReach, error) {
	var row reachRow
	if err := db.Get(ctx, &row, selectReach); err != nil {
		return row.SiteReach, err
	}
	return row.reach()
}

// SetSiteReach changes it.
func SetSiteReach(ctx context.Context, db store.Writer, r *roster.SiteReach) error {
	_, err := db.Exec(ctx, `update site set tell = $1, templates = $2, heartbeat = $3, quiet_word = $4, flood = $5`,
		r.Tell, r.Templates, r.Heartbeat, r.QuietWord, r.Flood)
	return err
}

// SigningKey is what links in messages, callbacks and webhooks are signed with.
func SigningKey(ctx context.Context, db store.Reader) (key []byte, err error) {
	err = db.Get(ctx, &key, `select signing_key from site`)
	return key, err
}

// PushKeys gives the site's own key pair for Web Push, base64url. Where there is none, it keeps the one that was
// brought.
func PushKeys(ctx context.Context, db store.Writer, newPrivate, newPublic string) (private, public string, err error) {
	var row struct {
		Private string `db:"push_private"`
		Public  string `db:"push_public"`
	}
	err = db.Get(ctx, &row, `
		update site set push_private = case when push_private = '' then $1 else push_private end, push_public = case
		    when push_private = '' then $2 else push_public end
		returning push_private, push_public`, newPrivate, newPublic)
	return row.Private, row.Public, err
}
