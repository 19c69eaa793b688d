package feed_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// What is packed comes out again, and joining covers what was there, in order and apart.
func TestStretchesArePackedAndJoined(t *testing.T) {
	dice := rand.New(rand.NewPCG(4, 2))
	for range 300 {
		now := measure.Instant(1_790_000_000_000)
		all := make([]feed.Stretch, dice.IntN(40))
		for i := range all {
			from := now - measure.Instant(dice.Int64N(3_600_000))
			if dice.IntN(10) == 0 {
				from = 0
			}
			all[i] = feed.Stretch{Signal: 1 + dice.Int64N(5)*1000, From: from, Until: from + measure.Instant(dice.Int64N(50_000))}
		}
		joined := feed.Together(slices.Clone(all))
		for i := 1; i < len(joined); i++ {
			a, b := joined[i-1], joined[i]
			if a.Signal > b.Signal || a.Signal == b.Signal && b.From <= a.Until.Add(feed.Near) {
				t.Fatalf("%v is not apart from %v", a, b)
			}
		}
		for _, s := range all {
			if !slices.ContainsFunc(joined, func(j feed.Stretch) bool {
				return j.Signal == s.Signal && j.From <= s.From && j.Until >= s.Until
			}) {
				t.Fatalf("%v is not in %v", s, joined)
			}
		}
		packed := feed.Pack(joined, now)
		if again, err := feed.Unpack(packed); err != nil || !slices.Equal(again, joined) {
			t.Fatalf("%v came out as %v, %v", joined, again, err)
		}
		for cut := range len(packed) { // nothing that is cut off trips it
			_, _ = feed.Unpack(packed[:cut])
		}
	}
	if _, err := feed.Unpack(nil); err == nil {
		t.Error("nothing is no packed stretches")
	}
}

// A place reads as it is written, and nothing else is a place.
func TestPlaces(t *testing.T) {
	for _, p := range []feed.Place{{}, feed.After(12), {No: 3, In: 9, Signal: 4, At: 1_790_000_000_000, Entry: 7}} {
		if again, err := feed.ParsePlace(p.String()); err != nil || again != p {
			t.Errorf("%v became %v, %v", p, again, err)
		}
	}
	for _, text := range []string{"", "x", "-1", "3-", "3-9", "3-2.1.1.1", "3-9.1.1", "3-9.1.1.1.1", "3-9.-1.1.1", "1e3",
		"99999999999999999999"} {
		if p, err := feed.ParsePlace(text); err == nil {
			t.Errorf("%q is no place, but was read as %v", text, p)
		}
	}
}

// A guard, a contact or a board may be called as a device is; what is about it is not about the device.
func TestWhichDeviceAnEntryIsAbout(t *testing.T) {
	id := int64(1)
	for _, c := range []struct {
		of   site.Entry
		want string
	}{
		{site.Entry{Kind: "device set", Subject: "pond"}, "pond"},
		{site.Entry{Kind: "signal calibrated", Subject: "pond/oxygen"}, "pond"},
		{site.Entry{Kind: "output ordered", Subject: "pond/pump"}, "pond"},
		{site.Entry{Kind: "alarm raised", Subject: "pond", AlarmID: &id}, "pond"},
		{site.Entry{Kind: "kit applied", Subject: "pond"}, "pond"},
		{site.Entry{Kind: "readings cleared", Subject: "pond"}, "pond"},
		{site.Entry{Kind: "kit saved", Subject: "pond"}, ""},
		{site.Entry{Kind: "guard changed", Subject: "pond"}, ""},
		{site.Entry{Kind: "contact removed", Subject: "pond"}, ""},
		{site.Entry{Kind: "asset added", Subject: "asset pond"}, ""},
	} {
		if got := feed.DeviceOf(&c.of); got != c.want {
			t.Errorf("%s of %s: %q, want %q", c.of.Kind, c.of.Subject, got, c.want)
		}
	}
}
