package cli_test

import (
	"strconv"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/site"
	"jauntylark/store/storetest"
)

// A person finds a limit on the command line, guards what is computed of a signal, and deals with what is raised.
func TestGuardsOnTheCommandLine(t *testing.T) {
	storetest.Long(t)
	p, address := newPerson(t), freeAddress(t)
	d := p.start([]string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}, "serve", "--database",
		storetest.URL(t), "--http", address, "--log-level", "error")
	p.login(d.URL, "o@b.example", "a long secret")
	p.must("device", "add", "d")
	p.must("send", "d/gas=3", "d/here=false")
	if text := p.must("guard", "add", "d/gas", "--name", "gas", "--when", "above 30", "--deadband", "2", "--rung",
		"above 100, critical, deadband 5, on-delay 0s", "--latch",
		"--armed", "daily", "--suppressed-while", "d/here is on", "--tell",
		"orla@hollowbrook.example"); !strings.Contains(text, "critical when above 100, deadband 5") ||
		!strings.Contains(text, "stays until it is reset") {
		t.Error(text)
	}
	if text := p.must("guard", "add", "d/here", "--watch", "cycles", "--window", "1h", "--when",
		"above 12"); !strings.Contains(text, "d/here-cycles-1h is above 12") {
		t.Error(text)
	}
	if text := p.must("guard", "add", "d/gas", "--watch", "readings-over", "--test", "above 20", "--last", "10",
		"--when", "above 7"); !strings.Contains(text, "d/gas-readings-over is above 7") {
		t.Error(text)
	}
	p.must("send", "d/gas=40")
	p.must("send", "d/gas=120")
	list := get[[]alarm.Alarm](p, "alarm", "list")
	if len(list) != 1 || list[0].Level != "high-high" || list[0].Severity != alarm.Critical {
		t.Fatalf("%+v", list)
	}
	id := strconv.FormatInt(list[0].ID, 10)
	p.must("alarm", "ack", id, "--cause", "the flue")
	p.must("alarm", "hand", id, "--to", "tadhg@hollowbrook.example")
	if text := p.must("alarm", "list"); !strings.Contains(text, "for tadhg@hollowbrook.example") {
		t.Error(text)
	}
	p.refused(1, "while it is so", "alarm", "reset", id)
	p.must("send", "d/gas=2")
	if text := p.must("alarm", "list"); !strings.Contains(text, "waits to be reset") {
		t.Error(text)
	}
	p.must("alarm", "reset", id)
	p.must("alarm", "mark", id, "real")
	if text := p.must("alarm", "show", id); !strings.Contains(text, "Cause: the flue") ||
		!strings.Contains(text, "marked real") || !strings.Contains(text, "handed on") {
		t.Error(text)
	}
	if text := p.must("guard", "show", "gas"); !strings.Contains(text, "1 alarm") ||
		!strings.Contains(text, "1 were real") {
		t.Error(text)
	}

	replayed := get[struct {
		Alarms  []alarm.Occurrence
		Summary alarm.Summary
		Marked  alarm.Marked
	}](p, "guard", "replay", "gas", "--as-it-was")
	if len(replayed.Alarms) != 1 || replayed.Alarms[0].RaisedAt != list[0].RaisedAt || replayed.Marked.Real != 1 {
		t.Errorf("as it was: %+v", replayed)
	}
	if text := p.must("guard", "replay", "gas", "--since", "1h", "--limit", "150", "--rung",
		""); !strings.Contains(text, "would have raised no alarm") {
		t.Error(text)
	}
	if text := p.must("guard", "replay", "gas", "--since", "1h"); !strings.Contains(text, "high-high") ||
		!strings.Contains(text, "1 of 1 that were real") {
		t.Error(text)
	}
	if text := p.must("guard", "limits", "d/gas"); !strings.Contains(text, "4 usable readings") {
		t.Error(text)
	}

	if text := p.must("guard", "shelve", "gas", "--for", "2h", "--why", "the plumber is here"); !strings.Contains(text,
		"SHELVED until") {
		t.Error(text)
	}
	p.must("guard", "unshelve", "gas")
	if text := p.must("guard", "disable", "gas", "--why", "away"); !strings.Contains(text, "OUT OF SERVICE") {
		t.Error(text)
	}
	p.must("guard", "enable", "gas")
	p.must("guard", "missed", "gas", "--at", "1m")
	if text := p.must("journal", "list", "plumb", "--kind", "guard"); !strings.Contains(text, "the plumber is here") {
		t.Error(text)
	}
	if text := p.must("journal", "list", "--device", "d", "--severity", "critical"); !strings.Contains(text,
		"alarm over") {
		t.Error(text)
	}
	if text := p.must("alarm", "health"); !strings.Contains(text, "alarms a day") || !strings.Contains(text, "gas") {
		t.Error(text)
	}
	if text := p.must("site", "set", "--holiday", "2026-12-25"); !strings.Contains(text, "Holidays: 2026-12-25") {
		t.Error(text)
	}

	trial := get[site.Trial](p, "trial", "start", "d/gas", "--note", "smoke")
	p.must("trial", "mark", "normal")
	p.must("send", "d/gas=4")
	time.Sleep(20 * time.Millisecond)
	p.must("trial", "mark", "event")
	p.must("send", "d/gas=80")
	time.Sleep(20 * time.Millisecond)
	p.must("trial", "mark", "end")
	if text := p.must("trial", "suggest"); !strings.Contains(text, "half way is 42") ||
		!strings.Contains(text, "cannot be tried out") {
		t.Error(text)
	}
	if text := p.must("trial", "accept", "--name", "from-trial", "--least-gap", "5m"); !strings.Contains(text,
		"above 42") || !strings.Contains(text, "least gap 5m") {
		t.Error(text)
	}
	if text := p.must("trial", "list"); !strings.Contains(text, "from-trial") {
		t.Error(text)
	}
	p.must("trial", "remove", strconv.FormatInt(trial.ID, 10))

	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{2, "is not a part of a rung; did you mean deadband", []string{"guard", "add", "d/gas", "--when", "above 3",
			"--rung", "above 4, deadbnd 3"}},
		{2, "is no day", []string{"guard", "add", "d/gas", "--when", "above 3", "--armed", "someday"}},
		{2, "--window goes with --watch", []string{"guard", "add", "d/gas", "--when", "above 3", "--window", "3m"}},
		{2, "did you mean cycles?", []string{"guard", "add", "d/gas", "--when", "above 3", "--watch", "cyclse"}},
		{2, "did you mean event?", []string{"trial", "mark", "evnt"}},
		{1, "no trial yet", []string{"trial", "suggest"}},
		{2, "did you mean false?", []string{"alarm", "mark", id, "flase"}},
		{2, "say why", []string{"guard", "disable", "gas"}},
		{2, "say for how long", []string{"guard", "shelve", "gas", "--why", "x"}},
		{1, "did you mean gas?", []string{"guard", "replay", "gsa"}},
		{2, "is no date", []string{"site", "set", "--holiday", "christmas"}},
	} {
		p.refused(c.code, c.says, c.args...)
	}
}
