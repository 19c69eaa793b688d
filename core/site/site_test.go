package site

import (
	"strings"
	"testing"
)

func TestCheckName(t *testing.T) {
	for _, good := range []string{"a", "7", "greenhouse-door", strings.Repeat("x", 63)} {
		if err := CheckName(good); err != nil {
			t.Errorf("%q: %v", good, err)
		}
	}
	for bad, says := range map[string]string{
		"": "empty", "-a": "begins with -", "Air Temp": `perhaps "air-temp"`, "a/b": "only a-z", "a\x00": "only a-z",
		strings.Repeat("x", 64): "64 characters", "é": "not a name",
	} {
		if err := CheckName(bad); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v; want an error that says %q", bad, err, says)
		}
	}
}

func FuzzNameFrom(f *testing.F) {
	f.Add("Air Temp")
	f.Add("--x--")
	f.Fuzz(func(t *testing.T, text string) {
		if name := NameFrom(text); name != "" && CheckName(name) != nil {
			t.Fatalf("NameFrom(%q) = %q, which is no name: %v", text, name, CheckName(name))
		}
	})
}

func TestNearest(t *testing.T) {
	names := []string{"fern-house/air", "fern-house/glass", "pond/oxygen"}
	for text, want := range map[string]string{"fern-house/aur": "fern-house/air", "pond/oxigen": "pond/oxygen",
		"zzz": "", "": ""} {
		if got := Nearest(text, names); got != want {
			t.Errorf("Nearest(%q) = %q, want %q", text, got, want)
		}
	}
}

func TestRoles(t *testing.T) {
	for _, c := range []struct {
		role, need Role
		want       bool
	}{{Viewer, Viewer, true}, {Viewer, Keeper, false}, {Keeper, Viewer, true}, {Keeper, Owner, false},
		{Owner, Owner, true}, {"", Viewer, false}, {"", "", false}, {"boss", "", false}} {
		if got := c.role.May(c.need); got != c.want {
			t.Errorf("%q may %q: %v", c.role, c.need, got)
		}
	}
}
