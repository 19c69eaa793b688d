package events

import (
	"context"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// AddEntry appends to the journal.
func AddEntry(ctx context.Context, db store.Writer, e site.Entry, commitNo int64) error {
	_, err := db.Exec(ctx, `
		insert into journal (commit_no, at, learned_at, kind, subject, who, value, text, alarm_id)
		    values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
		commitNo, e.At, e.LearnedAt, e.Kind, e.Subject, e.Who, e.Value, e.Text, e.AlarmID)
	return err
}

// OutageEntered tells whether the journal has an entry about an outage of what its text begins with, that was learned
// of since an instant.
func OutageEntered(ctx context.Context, db store.Reader, kind, what string,
	since measure.Instant) (entered bool, err error) {
	err = db.Get(ctx, &entered,
		`select exists (select from journal where kind = $1 and learned_at >= $3
			and starts_with(lower(text), lower($2)))`, kind, what, since)
	return entered, err
}

// JournalQuery says which entries are wanted: each field that is set narrows.
type JournalQuery struct {
	Alarm    int64
	Device   string   // its own entries and those of its signals
	Subjects []string // one of these, or about something of one of Devices
	Devices  []string
	Kind     string // as it stands, or its beginning: "alarm"
	Severity string // of the alarm behind the entry
	Words    string // each must begin a word of the entry
	Since    measure.Instant
	Until    measure.Instant // before it
	Before   int64           // with a lower ID, for the next page
	Limit    int
}

// entryColumns are an entry's, of a journal j with the alarms a.
const entryColumns = `j.id, j.at, j.learned_at, j.kind, j.subject, j.who, j.value, j.text, j.alarm_id,
	coalesce(a.worst, '') as severity,
	case when j.kind in ('alarm raised', 'alarm over', 'alarm learned late') then a.cleared_at - a.raised_at
	    end as lasted`

// Journal gives entries, newest first. Entries of an alarm tell how long it stood.
func Journal(ctx context.Context, s *store.Store, q JournalQuery) ([]site.Entry, error) {
	entries := []site.Entry{}
	where, args := []string{"true"}, map[string]any{"limit": q.Limit}
	narrow := func(set bool, name string, value any, condition string) {
		if set {
			where, args[name] = append(where, condition), value
		}
	}
	narrow(q.Alarm != 0, "alarm", q.Alarm, `j.alarm_id = :alarm`)
	narrow(q.Device != "", "device", q.Device, `(j.subject = :device or j.subject like :signals)`)
	args["signals"] = strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(q.Device) + "/%"
	narrow(q.Subjects != nil, "subjects", q.Subjects,
		`(j.subject = any(:subjects) or j.subject = any(:devices) or split_part(j.subject, '/', 1) = any(:devices))`)
	args["devices"] = q.Devices
	narrow(q.Kind != "", "kind", q.Kind, `(j.kind = :kind or starts_with(j.kind, :kind || ' '))`)
	narrow(q.Severity != "", "severity", q.Severity, `a.worst = :severity`)
	words := prefixes(q.Words)
	if words == "" && q.Words != "" {
		return entries, nil
	}
	narrow(words != "", "words", words,
		`to_tsvector('simple', translate(j.text, '/', ' ')) @@ to_tsquery('simple', :words)`)
	narrow(q.Since != 0, "since", q.Since, `j.at >= :since`)
	narrow(q.Until != 0, "until", q.Until, `j.at < :until`)
	narrow(q.Before != 0, "before", q.Before, `j.id < :before`)
	query := `
		select ` + entryColumns + `
		from journal j left join alarm a on a.id = j.alarm_id where ` + strings.Join(where, " and ") +
		` order by j.id desc limit :limit`
	return entries, s.NamedSelect(ctx, &entries, query, args)
}

// NotesOn gives what people wrote about a subject in a stretch, in order of time.
func NotesOn(ctx context.Context, db store.Reader, subject string, from, until measure.Instant) ([]site.Entry, error) {
	entries := []site.Entry{}
	err := db.Select(ctx, &entries, `
		select id, at, learned_at, kind, subject, who, value, text, alarm_id, '' as severity from journal
		where subject = $1 and kind = 'note' and at between $2 and $3 order by at, id limit 500`, subject, from, until)
	return entries, err
}

// prefixes makes a text search of words that people type: each must begin a word.
func prefixes(words string) string {
	var parts []string
	for _, word := range strings.FieldsFunc(words,
		func(r rune) bool { return strings.ContainsRune(" \t\n,;.:()!?&|<>*'\"\\/", r) }) {
		parts = append(parts, "'"+word+"':*")
	}
	return strings.Join(parts, " & ")
}
