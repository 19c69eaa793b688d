package cli_test

import (
	"strings"
	"testing"

	"jauntylark/core/drive"
	"jauntylark/server/servertest"
)

// What people do with outputs and interlocks on the command line, and what it says when that is wrong.
func TestOutputsOnTheCommandLine(t *testing.T) {
	s := servertest.Start(t)
	p := newPerson(t)
	p.login(s.URL, servertest.Owner, servertest.Password)
	p.must("device", "add", "shed")
	p.must("send", "shed/vapour=100")
	says := func(want string, args ...string) {
		t.Helper()
		if got := p.must(args...); !strings.Contains(got, want) {
			t.Errorf("jaunty %s: %q is not in\n%s", strings.Join(args, " "), want, got)
		}
	}
	says("There are no outputs", "output", "list")
	says("shed/fan is off since", "output", "add", "shed/fan", "--safe", "on", "--rest", "off", "--dangerous",
		"--title", "Fan")
	p.refused(1, "is there already", "output", "add", "shed/fan")
	p.refused(2, "--kind", "output", "add", "shed/x", "--kind", "relay")
	p.refused(2, "--least-on", "output", "add", "shed/x", "--least-on", "soon")
	p.refused(2, "did you mean Cel?", "output", "add", "shed/x", "--kind", "level", "--unit", "°C")
	p.refused(2, "units are", "output", "add", "shed/x", "--kind", "level", "--unit", "furlong")
	p.refused(2, "is no DEVICE/OUTPUT", "output", "add", "fan")
	p.refused(1, "Did you mean shed/fan?", "output", "show", "shed/fna")
	says("shed/fan is off", "output", "set", "shed/fan", "--least-on", "1m")
	p.refused(2, "Say --yes", "output", "drive", "shed/fan", "on")
	says("shed/fan is on", "output", "drive", "shed/fan", "on", "--for", "10m", "--why", "airing", "--yes")
	says("airing", "output", "list")
	p.refused(2, "it is on or off", "output", "drive", "shed/fan", "half", "--yes")
	says("It goes off at", "output", "release", "shed/fan")
	p.refused(1, "not set by hand", "output", "release", "shed/fan")

	p.refused(2, "what drives it is missing", "interlock", "add", "x", "--output", "shed/fan")
	p.refused(2, "--output is missing", "interlock", "add", "x", "--alarm", "any")
	p.refused(2, "one thing drives an interlock", "interlock", "add", "x", "--output", "shed/fan", "--alarm", "any",
		"--hours", "daily")
	p.refused(2, "begins with no DEVICE/SIGNAL", "interlock", "add", "x", "--output", "shed/fan", "--when",
		"vapour above 4")
	p.refused(2, "write it like", "interlock", "add", "x", "--output", "shed/fan", "--bands", "shed/vapour: low blue")
	p.refused(2, "did you mean shed/vapour?", "interlock", "add", "x", "--output", "shed/fan", "--when",
		"shed/vapuor above 4")
	says("its silence is never noticed: jaunty device set shed", "interlock", "add", "vapour-fan", "--output",
		"shed/fan", "--when", "shed/vapour above 400", "--deadband", "80", "--latch")
	p.refused(1, "is there already", "interlock", "add", "vapour-fan", "--output", "shed/fan", "--alarm", "any")
	says("idle", "interlock", "list")
	p.must("send", "shed/vapour=500")
	says("It asks for on since", "interlock", "show", "vapour-fan")
	p.refused(1, "still so that Shed vapour is above 400", "interlock", "reset", "vapour-fan")
	p.must("send", "shed/vapour=100")
	says("waits for reset", "interlock", "list")
	p.must("interlock", "add", "vapour-high", "--output", "shed/fan", "--when", "shed/vapour above 90", "--latch")
	p.refused(1, "vapour-high: it is still so that", "output", "reset", "shed/fan")
	p.must("send", "shed/vapour=50")
	says("shed/fan is", "output", "reset", "shed/fan")
	p.refused(1, "nothing to reset", "output", "reset", "shed/fan")
	p.must("interlock", "remove", "vapour-high")
	says("asks for nothing now", "interlock", "show", "vapour-fan")
	says("would have started once", "interlock", "replay", "vapour-fan", "--since", "1h")
	says("would have started 0 times", "interlock", "replay", "--output", "shed/fan", "--when",
		"shed/vapour above 5000", "--since", "1h")
	if tried := get[drive.Tried](p, "interlock", "replay", "vapour-fan", "--when", "shed/vapour above 50", "--since",
		"1h"); tried.Starts != 1 || len(tried.Stretches) == 0 {
		t.Errorf("%+v", tried)
	}
	says("above 300", "interlock", "set", "vapour-fan", "--when", "shed/vapour above 300")

	p.refused(2, "Say --yes", "output", "all-safe")
	says("shed/fan is on", "output", "all-safe", "--why", "smoke", "--yes")
	says("Emergency: owner@hollowbrook.example put all outputs into their safe states", "output", "list")
	says("shed/fan is on since", "output", "resume", "--yes")
	p.refused(2, "Say --yes", "output", "remove", "shed/fan")
	says("Interlock vapour-fan is removed; 'jaunty interlock bring-back vapour-fan'", "interlock", "remove",
		"vapour-fan")
	says("Output shed/fan is removed; 'jaunty output bring-back shed/fan'", "output", "remove", "shed/fan", "--yes")
	says("There are no interlocks", "interlock", "list")
}
