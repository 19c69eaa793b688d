package record

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/act"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store/events"
)

// WriteNote writes a note into the journal; charts of what it is about show it.
func WriteNote(ctx context.Context, p *pipeline.Pipeline, n act.Note, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		at := t.Now
		if n.At != nil {
			at = *n.At
		}
		text := strings.TrimSpace(n.Text)
		switch {
		case text == "":
			return &measure.Fault{Field: "text", Reason: "is empty"}
		case at > t.Now:
			return &measure.Fault{Field: "at", Reason: fmt.Sprintf("%s has not come yet", at)}
		}
		if err := knows(t, n.Of); err != nil {
			return err
		}
		return events.AddEntry(t.Ctx, t.Tx, site.Entry{At: at, LearnedAt: t.Now, Kind: "note", Subject: n.Of, Who: who,
			Text: text}, t.CommitNo)
	})
}

// knows tells whether there is a device or a signal of that name; nothing is the site.
func knows(t *reading.Turn, name string) error {
	if asset, is := strings.CutPrefix(name, memory.AssetSubject("")); is {
		if _, err := t.FindAsset(asset); err != nil {
			return &measure.Fault{Field: "of", Reason: errorText(err)}
		}
		return nil
	}
	if strings.Contains(name, "/") {
		_, err := t.Site.FindSignal(name)
		return err
	}
	if name == "" || t.Site.Named[name] != nil {
		return nil
	}
	var names []string
	for known := range t.Site.Named {
		names = append(names, known)
	}
	slices.Sort(names)
	return &measure.Fault{Field: "of", Reason: site.Unknown("device", name, names)}
}
