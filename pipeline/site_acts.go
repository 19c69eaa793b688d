package pipeline

import (
	"context"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/site"
)

// SetSite changes the site. Guards with armed hours begin anew when its time zone or its holidays change, and
// statements follow its time zone.
func (p *Pipeline) SetSite(ctx context.Context, v site.Site, who string) error {
	return p.Do(ctx, func(t *Turn) error {
		before := t.live.site
		if err := t.Tx.SetSite(t.ctx, v); err != nil {
			return err
		}
		if err := t.Enter("site set", v.Name, who, "The site is "+v.Name+", "+v.Zone+", "+v.Currency); err != nil {
			return err
		}
		t.touched = true
		t.live.site = v
		if before.Zone != v.Zone || !slices.Equal(before.Holidays, v.Holidays) {
			for _, g := range t.live.guards {
				if g.Armed == "" {
					continue
				}
				t.step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - g.signal.state.Lag()}, "")
				if err := t.live.prepare(t.ctx, t.Tx, g); err != nil {
					return err
				}
				t.beginGuard(g, t.Now, who, "the site's time zone or holidays were changed")
				g.begunAt = g.state.Stepped
			}
		}
		for _, i := range t.live.locks {
			if i.Hours != "" {
				if err := t.live.equip(t.ctx, t.Tx, i); err != nil {
					return err
				}
				t.mayLook(i)
			}
		}
		if before.Zone != v.Zone {
			if err := t.rezoneStatements(before.Location(), v.Location()); err != nil {
				return err
			}
		}
		return t.replan()
	})
}
