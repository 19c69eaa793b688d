package site

import (
	"testing"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/quality"
)

// A value is said in its signal's step, in the unit that people see, with the word of its band; what is on or off is
// its word alone.
func TestWhatASignalSays(t *testing.T) {
	low, mid := 12.0, 20.0
	cold, fine := Band{Name: "cold", To: &low}, Band{Name: "fine", From: &low, To: &mid}
	one := 1.0
	named := Bands{{Name: "shut", To: &one}, {Name: "open", From: &one}}
	fahrenheit := Units{"temperature": "[degF]"}
	for _, c := range []struct {
		signal Signal
		value  float64
		units  Units
		says   string
	}{
		{Signal{Kind: KindNumber, Unit: "Cel", Rules: quality.Rules{Step: 0.1}}, 21.04, nil, "21.0 °C"},
		{Signal{Kind: KindNumber, Unit: "Cel", Rules: quality.Rules{Step: 0.1}}, 21.04, fahrenheit, "69.9 °F"},
		// of 0.9 °F, told to 0.1
		{Signal{Kind: KindNumber, Unit: "Cel", Rules: quality.Rules{Step: 0.5}}, 21.04, fahrenheit, "69.9 °F"},
		{Signal{Kind: KindNumber, Unit: "Cel"}, 33.3333333, nil, "33.333 °C"},
		// a difference stays
		{Signal{Kind: KindNumber, Unit: "K", Rules: quality.Rules{Step: 0.1}}, 3.04, fahrenheit, "3.0 K"},
		{Signal{Kind: KindNumber, Unit: "kWh"}, 5.83431e-07, nil, "0.583 mWh"},
		{Signal{Kind: KindNumber, Unit: "h"}, 43.5, nil, "1 day 19 hours"},
		{Signal{Kind: KindNumber}, 7, nil, "7"},
		{Signal{Kind: KindNumber, Unit: "Cel", Bands: Bands{cold, fine}}, 11.9, nil, "11.9 °C (cold)"},
		{Signal{Kind: KindNumber, Unit: "Cel", Bands: Bands{cold, fine}}, 12, nil, "12 °C (fine)"},
		{Signal{Kind: KindNumber, Unit: "Cel", Bands: Bands{cold, fine}}, 20, nil, "20 °C"},
		{Signal{Kind: KindSwitch}, 1, nil, "on"}, {Signal{Kind: KindSwitch}, 0, nil, "off"},
		{Signal{Kind: KindSwitch, Bands: named}, 1, nil, "open"}, {Signal{Kind: KindSwitch, Bands: named}, 0, nil,
			"shut"},
	} {
		if got := c.signal.Says(c.value, c.units); got != c.says {
			t.Errorf("%v of %s %q by %v: %q, want %q", c.value, c.signal.Kind, c.signal.Unit, c.signal.Step, got,
				c.says)
		}
	}
	if b, ok := named.Word("OPEN"); !ok || b.Name != "open" {
		t.Errorf("a word in capitals: %+v", b)
	}
	if _, ok := named.Word("ajar"); ok {
		t.Error("there is a band ajar")
	}
}

// The newest run is said of a thing that runs, that is on, or in its own word, with how often on its day.
func TestWordsOfTheNewestRun(t *testing.T) {
	dublin, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		t.Fatal(err)
	}
	at := func(text string) *measure.Instant {
		var i measure.Instant
		if err := i.UnmarshalText([]byte(text)); err != nil {
			t.Fatal(err)
		}
		return &i
	}
	one := 1.0
	now := *at("2026-07-01T23:30:00Z") // 00:30 on the second, in Dublin
	for _, c := range []struct {
		signal Signal
		ran    Ran
		says   string
	}{
		{Signal{Name: "running"}, Ran{}, ""},
		{Signal{Name: "running"}, Ran{From: at("2026-07-01T23:10:00Z"), Until: at("2026-07-01T23:10:04Z"),
			Day: "2026-07-02", Times: 56}, "ran for 4 seconds, 19 minutes 56 seconds ago; 56 times today"},
		{Signal{Name: "running"}, Ran{From: at("2026-07-01T23:10:00Z"), Day: "2026-07-02", Times: 1},
			"has run for 20 minutes; 1 time today"},
		{Signal{Name: "lamp"}, Ran{From: at("2026-07-01T20:00:00Z"), Until: at("2026-07-01T21:00:00Z"),
			Day: "2026-07-01", Times: 3}, "was on for 1 hour, 2 hours 30 minutes ago; not today"},
		{Signal{Name: "lamp", Title: "On/off"}, Ran{From: at("2026-07-01T23:00:00Z"), Day: "2026-07-02", Times: 2},
			"has been on for 30 minutes; 2 times today"},
		{Signal{Name: "eye", Bands: Bands{{Name: "flame", To: &one}, {Name: "dark", From: &one}}},
			Ran{From: at("2026-07-01T23:29:47Z"), Day: "2026-07-02", Times: 1},
			"has been dark for 13 seconds; 1 time today"},
	} {
		if got := c.signal.RanWords(&c.ran, now, dublin); got != c.says {
			t.Errorf("%s: %q, want %q", c.signal.Name, got, c.says)
		}
	}
}

func TestUnitsThatPeopleSee(t *testing.T) {
	house := Units{"temperature": "[degF]", "pressure": "hPa"}
	mine := Units{"temperature": "Cel"}.Or(house)
	if mine["temperature"] != "Cel" || mine["pressure"] != "hPa" || house["temperature"] != "[degF]" {
		t.Errorf("mine %v, the house's %v", mine, house)
	}
	if none := (Units(nil)).Or(nil); none == nil || len(none) != 0 {
		t.Errorf("nobody's: %v", none)
	}
	if v, u := house.Show(20, "Cel"); v != 68 || u != "[degF]" {
		t.Error(v, u)
	}
	if v, u := house.Show(3, "K"); v != 3 || u != "K" {
		t.Error("kelvins moved:", v, u)
	}
	if v, u := house.Show(3, ""); v != 3 || u != "" {
		t.Error("what has no unit moved:", v, u)
	}
	for _, bad := range []Units{{"temperature": "hPa"}, {"temperature": "degF"}, {"moisture": "Cel"}} {
		if bad.Check() == nil {
			t.Errorf("%v is taken", bad)
		}
	}
}

func TestPeopleAndPaths(t *testing.T) {
	for text, want := range map[string]string{" Orla@Hollowbrook.example ": "orla@hollowbrook.example",
		"a.b+c@d.example": "a.b+c@d.example", "Orla <orla@b.example>": "", "orla": "", "orla@": "", "": ""} {
		if got, err := CheckEmail(text); got != want || (err == nil) != (want != "") {
			t.Errorf("%q reads as %q (%v)", text, got, err)
		}
	}
	for text, good := range map[string]bool{"1234567": false, "12345678": true, string(make([]byte, 256)): true,
		string(make([]byte, 257)): false} {
		if (CheckPassword(text) == nil) != good {
			t.Errorf("a password of %d", len(text))
		}
	}
	for path, good := range map[string]bool{"pond/oxygen": true, "pond": false, "/oxygen": false, "pond/": false,
		"pond/a/b": false, "Pond/oxygen": false} {
		device, signal, err := SplitPath(path)
		if (err == nil) != good || good && device+"/"+signal != path {
			t.Errorf("%q: %q %q %v", path, device, signal, err)
		}
	}
	for _, c := range []struct{ title, name, want string }{{"", "fern-house", "Fern house"},
		{"The house", "fern-house", "The house"}, {"", "", ""}} {
		if got := Title(c.title, c.name); got != c.want {
			t.Errorf("%q %q: %q", c.title, c.name, got)
		}
	}
	if (&Person{Name: "Orla", Email: "o@b.example"}).Called() != "Orla" ||
		(&Person{Email: "o@b.example"}).Called() != "o@b.example" {
		t.Error("what people are called")
	}
}

// Settings are checked, told in one line, and go down to a device in a form that a small board can read.
func TestSettingsOfADevice(t *testing.T) {
	s := Settings{Interval: measure.Duration(5 * time.Minute), Sparing: measure.Duration(time.Hour),
		Values: map[string]string{"lamp": "off", "gain": "3"}}
	if err := s.Check(); err != nil || s.Words() != "interval 5m, sparing interval 1h, gain 3, lamp off" {
		t.Errorf("%q %v", s.Words(), err)
	}
	if o := OrderOf(4, s); o.Version != 4 || o.Interval != 300 || o.Sparing != 3600 || o.Values["gain"] != "3" {
		t.Errorf("%+v", o)
	}
	other := s
	other.Values = map[string]string{"lamp": "on", "gain": "3"}
	if s.Equal(other) || !s.Equal(Settings{s.Interval, s.Sparing, map[string]string{"gain": "3", "lamp": "off"}}) {
		t.Error("equal settings")
	}
	many := map[string]string{}
	for i := range 51 {
		many[string(rune('a'+i%26))+string(rune('a'+i/26))] = ""
	}
	for name, bad := range map[string]Settings{
		"too often":  {Interval: measure.Duration(time.Millisecond)},
		"too seldom": {Sparing: measure.Duration(48 * time.Hour)}, "too many": {Values: many},
		"a bad key": {Values: map[string]string{"LED": "on"}}, "a zero": {Values: map[string]string{"led": "\x00"}},
		"too long": {Values: map[string]string{"led": string(make([]rune, 501))}},
	} {
		if bad.Check() == nil {
			t.Errorf("%s is taken", name)
		}
	}
	if Identity("pond", 1) != "pond" || Identity("pond", 2) != "pond.2" {
		t.Error("identities of keys")
	}
}
