package store

import (
	"context"
	"encoding/json"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
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
func (s *Store) SiteReach(ctx context.Context) (roster.SiteReach, error) {
	var row reachRow
	if err := s.db.GetContext(ctx, &row, selectReach); err != nil {
		return row.SiteReach, err
	}
	return row.reach()
}

// SiteReach gives what the site itself has to tell, and to whom.
func (t *Tx) SiteReach(ctx context.Context) (roster.SiteReach, error) {
	var row reachRow
	if err := t.GetContext(ctx, &row, selectReach); err != nil {
		return row.SiteReach, err
	}
	return row.reach()
}

// SetSiteReach changes it.
func (t *Tx) SetSiteReach(ctx context.Context, r *roster.SiteReach) error {
	_, err := t.ExecContext(ctx, `update site set tell = $1, templates = $2, heartbeat = $3, quiet_word = $4, flood = $5`, r.Tell, r.Templates, r.Heartbeat, r.QuietWord, r.Flood)
	return err
}

// SigningKey is what links in messages, callbacks and webhooks are signed with.
func (s *Store) SigningKey(ctx context.Context) (key []byte, err error) {
	err = s.db.GetContext(ctx, &key, `select signing_key from site`)
	return key, err
}

// PushKeys gives the site's own key pair for Web Push, base64url. Where there is none, it keeps the one that was brought.
func (s *Store) PushKeys(ctx context.Context, newPrivate, newPublic string) (private, public string, err error) {
	var row struct {
		Private string `db:"push_private"`
		Public  string `db:"push_public"`
	}
	err = s.db.GetContext(ctx, &row, `
		update site set push_private = case when push_private = '' then $1 else push_private end, push_public = case when push_private = '' then $2 else push_public end
		returning push_private, push_public`, newPrivate, newPublic)
	return row.Private, row.Public, err
}

// Outage is the last stretch in which no process of the service was up.
type Outage struct {
	From  measure.Instant `db:"down_from"`
	Until measure.Instant `db:"up_since"`
	Told  bool            `db:"blind_told"`
}

// Outage gives the last stretch in which no process of the service was up.
func (t *Tx) Outage(ctx context.Context) (o Outage, err error) {
	err = t.GetContext(ctx, &o, `select down_from, up_since, blind_told from way_in`)
	return o, err
}

// OutageTold notes that people were told of the last outage.
func (t *Tx) OutageTold(ctx context.Context) error {
	_, err := t.ExecContext(ctx, `update way_in set blind_told = true`)
	return err
}

// OutageUntold tells whether people are still to be told of an outage.
func (s *Store) OutageUntold(ctx context.Context) (untold bool, err error) {
	err = s.db.GetContext(ctx, &untold, `select not blind_told from way_in`)
	return untold, err
}

// Heart tells how the heartbeat went.
func (s *Store) Heart(ctx context.Context) (h roster.Heart, err error) {
	err = s.db.GetContext(ctx, &h, `select heart_ok, heart_bad from way_in`)
	return h, err
}

// TakeHeartbeat takes the heartbeat that is due, so that one process sends it; false: none is due.
func (s *Store) TakeHeartbeat(ctx context.Context, now, next measure.Instant) (due bool, err error) {
	result, err := s.db.ExecContext(ctx, `update way_in set heart_at = $2 where (heart_at <= $1 or heart_at > $2) and beat_at > $1 - 15000`, now, next)
	if err != nil {
		return false, err
	}
	n, err := result.RowsAffected()
	return n > 0, err
}

// NoteHeartbeat notes how a heartbeat went: bad is empty when it was taken.
func (s *Store) NoteHeartbeat(ctx context.Context, now measure.Instant, bad string) error {
	_, err := s.db.ExecContext(ctx, `update way_in set heart_ok = case when $2 = '' then $1 else heart_ok end, heart_bad = $2`, now, bad)
	return err
}

// TakeQuietWord takes the word of a day, so that it is told once; false: it was told.
func (t *Tx) TakeQuietWord(ctx context.Context, day string) (first bool, err error) {
	result, err := t.ExecContext(ctx, `update way_in set quiet_on = $1 where quiet_on <> $1`, day)
	if err != nil {
		return false, err
	}
	n, err := result.RowsAffected()
	return n > 0, err
}

// QuietOn gives the day on which the word was last told; empty: never.
func (s *Store) QuietOn(ctx context.Context) (day string, err error) {
	err = s.db.GetContext(ctx, &day, `select quiet_on from way_in`)
	return day, err
}
