package total

import (
	"slices"
	"testing"
	"time"

	"jauntylark/core/measure"
)

// Days, tariffs and months agree on when a day begins, in zones that skip midnight, have it twice, or leave out a date.
func TestDaysOfTotalsFollowTheWallClock(t *testing.T) {
	tariff := Tariff{Name: "night", Versions: []Version{{From: "2000-01-01",
		Rates: []Rate{{Name: "night", Since: "23:30", Until: "01:30", Blocks: []Block{{Price: 1}}},
			{Name: "day", Blocks: []Block{{Price: 2}}}}}}}
	if err := tariff.Check(); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		zone, from, until string
		days              []string
		night             time.Duration // in all
	}{
		{"America/Santiago", "2026-09-05T12:00:00Z", "2026-09-06T12:00:00Z",
			[]string{"2026-09-05T04:00:00Z", "2026-09-06T04:00:00Z", "2026-09-07T03:00:00Z"}, 3 * time.Hour},
		{"America/Havana", "2026-11-01T12:00:00Z", "2026-11-01T13:00:00Z",
			[]string{"2026-11-01T04:00:00Z", "2026-11-02T05:00:00Z"}, 3 * time.Hour},
		{"Pacific/Apia", "2011-12-29T12:00:00Z", "2011-12-30T12:00:00Z",
			[]string{"2011-12-29T10:00:00Z", "2011-12-30T10:00:00Z", "2011-12-31T10:00:00Z"}, 4 * time.Hour},
	} {
		zone, err := time.LoadLocation(c.zone)
		if err != nil {
			t.Fatal(err)
		}
		instant := func(text string) (at measure.Instant) {
			if err := at.UnmarshalText([]byte(text)); err != nil {
				t.Fatal(err)
			}
			return at
		}
		var want []measure.Instant
		for _, day := range c.days {
			want = append(want, instant(day))
		}
		from, until := instant(c.from), instant(c.until)
		edges := Edges(ByDay, from, until, zone)
		if !slices.Equal(edges, want) {
			t.Errorf("days in %s: %v, want %v", c.zone, edges, want)
		}
		cuts := tariff.Cuts(from, until, zone)
		night := time.Duration(0)
		for i, cut := range cuts {
			end := edges[len(edges)-1]
			if i+1 < len(cuts) {
				end = cuts[i+1].At
			}
			if cut.Rate == 0 {
				night += end.Sub(cut.At)
			}
		}
		if cuts[0].At != edges[0] || night != c.night {
			t.Errorf("%s: the tariff begins at %v, and night is %v long, want %v", c.zone, cuts[0].At, night, c.night)
		}
	}
}
