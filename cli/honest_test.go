package cli_test

import (
	"strings"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store/storetest"
)

// What the command line says of how alarms end, of states, faults and runs.
func TestHonestOnTheCommandLine(t *testing.T) {
	storetest.Long(t)
	p, address := newPerson(t), freeAddress(t)
	d := p.start([]string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}, "serve", "--database",
		storetest.URL(t), "--http", address, "--log-level", "error")
	p.login(d.URL, "o@b.example", "a long secret")
	p.must("device", "add", "d")
	p.must("send", "d/level=2", "d/flame=0", "d/pump=false")

	if text := p.must("guard", "add", "d/level", "--name", "high", "--when", "above 10", "--rung", "above 20, critical",
		"--rung", "below 1, deadband 0.1", "--deadband", "0.5", "--on-delay", "0s", "--off-delay",
		"3s"); !strings.Contains(text,
		"warning when d/level is above 10, deadband 0.5, over after 3s; critical when above 20, deadband 0.5, over "+
			"after 3s; warning when below 1, deadband 0.1, over after 3s") {
		t.Error(text)
	}
	p.must("send", "d/level=12")
	p.must("guard", "remove", "high")
	list := get[[]alarm.Alarm](p, "alarm", "list", "--all")
	if len(list) != 1 || list[0].Ending != alarm.EndUnwatched {
		t.Fatalf("%+v", list)
	}
	if text := p.must("alarm", "show", "1"); !strings.Contains(text,
		"No longer watched: the guard was removed. It still reads 12. D level was above 10") {
		t.Error(text)
	}
	if text := p.must("alarm", "list", "--all"); !strings.Contains(text, "no longer watched") {
		t.Error(text)
	}

	for range 6 {
		p.must("send", "d/flame=1")
		p.must("send", "d/flame=0")
	}
	if text := p.must("signal", "show", "d/flame"); !strings.Contains(text,
		"it has read 0 and 1 alone; if it is on or off: jaunty signal set d/flame --switch") {
		t.Error(text)
	}
	if text := p.must("signal", "set", "d/flame", "--switch"); !strings.Contains(text, "is on or off from now on") {
		t.Error(text)
	}
	p.must("signal", "set", "d/flame", "--band", "dark off", "--band", "flame on", "--fault-severity", "advisory",
		"--fault-tell", "o@b.example")
	if s := get[site.Signal](p, "signal", "show", "d/flame"); s.Kind != site.KindSwitch ||
		s.Faults.Severity != alarm.Advisory || len(s.Faults.Tell) != 1 {
		t.Errorf("%+v", s)
	}
	if text := p.must("guard", "add", "d/flame", "--name", "out", "--when", `is "dark"`); !strings.Contains(text,
		"is off") {
		t.Error(text)
	}
	if text := p.must("alarm", "list"); !strings.Contains(text, "D flame is dark") {
		t.Error(text)
	}
	p.must("send", "d/pump=true")
	p.must("send", "d/pump=false")
	if text := p.must("signal", "list"); !strings.Contains(text, "off, was on for ") ||
		!strings.Contains(text, "1 time today") {
		t.Error(text)
	}
	p.must("device", "set", "d", "--fault-severity", "critical")
	p.must("contact", "add", "orla", "--mail", "orla@b.example")
	if text := p.must("roster", "add", "house", "--step", "orla for silence, fault gap 1m"); !strings.Contains(text,
		"orla for silence, fault gap 1m") {
		t.Error(text)
	}
	if r := get[roster.Roster](p, "roster", "show", "house"); len(r.Steps[0].Kinds) != 2 ||
		r.Steps[0].LeastGap.String() != "1m" {
		t.Errorf("%+v", r)
	}
	if text := p.must("roster", "show", "house", "--at", "now"); !strings.Contains(text,
		"nobody is told: no step is for such alarms") {
		t.Error(text)
	}
	if text := p.must("roster", "show", "house", "--kind", "silence"); !strings.Contains(text,
		"A critical alarm (silence) at ") || !strings.Contains(text, "Orla") && !strings.Contains(text, "orla") {
		t.Error(text)
	}
	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{2, "--when 'outside 3..9' stands alone", []string{"guard", "add", "d/level", "--when", "outside 3..9",
			"--rung", "above 12"}},
		{2, "--when 'above 9' --rung 'below 3'", []string{"guard", "add", "d/level", "--when", "outside 3..9", "--rung",
			"above 12"}},
		{2, `has the states "dark", "flame"; did you mean flame?`, []string{"guard", "add", "d/flame", "--when",
			`is "flmae"`}},
		{2, "is no switch: it read", []string{"signal", "set", "d/level", "--switch"}},
		{2, "faults.tell: there is no roster or contact nobody", []string{"device", "set", "d", "--fault-tell",
			"nobody"}},
		{2, "silence", []string{"roster", "show", "house", "--kind", "silnce"}},
		{2, "did you mean silence?", []string{"roster", "set", "house", "--step", "orla for silense"}},
	} {
		if _, stderr, code := p.run(c.args...); code != c.code || !strings.Contains(stderr, c.says) {
			t.Errorf("%v: %d %s", c.args, code, stderr)
		}
	}
}
