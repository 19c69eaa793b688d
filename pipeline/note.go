package pipeline

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/act"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// WriteNote writes a note into the journal; charts of what it is about show it.
func (p *Pipeline) WriteNote(ctx context.Context, n act.Note, who string) error {
	return p.Do(ctx, func(t *Turn) error {
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
		if err := t.knows(n.Of); err != nil {
			return err
		}
		return t.Tx.AddEntry(t.ctx, site.Entry{At: at, LearnedAt: t.Now, Kind: "note", Subject: n.Of, Who: who, Text: text}, t.CommitNo)
	})
}

// knows tells whether there is a device or a signal of that name; nothing is the site.
func (t *Turn) knows(name string) error {
	if asset, is := strings.CutPrefix(name, AssetSubject("")); is {
		if _, err := t.assetNamed(asset); err != nil {
			return &measure.Fault{Field: "of", Reason: errorText(err)}
		}
		return nil
	}
	if strings.Contains(name, "/") {
		_, err := t.live.find(name)
		return err
	}
	if name == "" || t.live.byName[name] != nil {
		return nil
	}
	var names []string
	for known := range t.live.byName {
		names = append(names, known)
	}
	slices.Sort(names)
	return &measure.Fault{Field: "of", Reason: site.Unknown("device", name, names)}
}
