package respond

import (
	"context"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
)

// SetSite changes the site. Guards with armed hours begin anew when its time zone or its holidays change, and
// statements follow its time zone.
func SetSite(ctx context.Context, p *pipeline.Pipeline, v site.Site, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		before := t.Site.Settings
		if err := config.SetSite(t.Ctx, t.Tx, v); err != nil {
			return err
		}
		if err := t.Enter("site set", v.Name, who, "The site is "+v.Name+", "+v.Zone+", "+v.Currency); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfAll})
		t.Site.Settings = v
		if before.Zone != v.Zone || !slices.Equal(before.Holidays, v.Holidays) {
			for _, g := range t.Site.Guards {
				if g.Armed == "" {
					continue
				}
				t.Step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - g.Subject.State.Lag()}, "")
				if err := t.Site.Prepare(t.Ctx, t.Tx, g); err != nil {
					return err
				}
				t.BeginGuard(g, t.Now, who, "the site's time zone or holidays were changed")
				g.BegunAt = g.State.Stepped
			}
		}
		for _, i := range t.Site.Interlocks {
			if i.Hours != "" {
				if err := t.Site.Equip(t.Ctx, t.Tx, i); err != nil {
					return err
				}
				t.MayLook(i)
			}
		}
		if before.Zone != v.Zone {
			if err := rezoneStatements(t, before.Location(), v.Location()); err != nil {
				return err
			}
		}
		return replan(t)
	})
}
