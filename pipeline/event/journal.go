package event

import (
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/asset"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// EnterAlarm writes a transition of an alarm into the journal.
func (t *Turn) EnterAlarm(a alarm.Alarm, kind string, h Happening, text string) error {
	t.AlarmsMoved = true
	return events.AddEntry(t.Ctx, t.Tx, site.Entry{At: h.At, LearnedAt: t.Now, Kind: kind, Subject: a.Signal,
		Who: h.Who, Value: &h.Value, Text: text, AlarmID: &a.ID}, t.CommitNo)
}

// Enter writes an act of a person into the journal.
func (t *Turn) Enter(kind, subject, who, text string) error {
	return events.AddEntry(t.Ctx, t.Tx, site.Entry{At: t.Now, LearnedAt: t.Now, Kind: kind, Subject: subject, Who: who,
		Text: text}, t.CommitNo)
}

// FindAsset gives an asset; the error names the nearest one.
func (t *Turn) FindAsset(name string) (*asset.Asset, error) {
	all, err := config.Assets(t.Ctx, t.Tx)
	if err != nil {
		return nil, err
	}
	names := make([]string, len(all))
	for i := range all {
		if names[i] = all[i].Name; names[i] == name {
			return &all[i], nil
		}
	}
	return nil, fmt.Errorf("%s: %w", site.Unknown("asset", name, names), store.ErrNotFound)
}
