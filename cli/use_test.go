package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"jauntylark/store/storetest"
)

func TestWrongUseAndFailure(t *testing.T) {
	p := newPerson(t)
	if _, errs, code := p.run("alarm", "list"); code != 1 || !strings.Contains(errs, "jaunty login") {
		t.Errorf("not logged in: %d %s", code, errs)
	}
	s := p.start([]string{"JAUNTY_PASSWORD=a long secret"}, "serve", "--database", storetest.URL(t), "--http",
		"127.0.0.1:0", "--owner", "o@b.example")
	p.login(s.URL, "o@b.example", "a long secret")
	p.must("device", "add", "pond")
	p.must("send", "pond/oxygen=80")
	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{2, "unknown command", []string{"alarms"}},
		{2, "did you mean add", []string{"device", "ad"}},
		{2, "unknown flag", []string{"alarm", "list", "--everything"}},
		{2, "takes NAME; 0 given", []string{"device", "add"}},
		{2, `perhaps "greenhouse-door"`, []string{"device", "add", "Greenhouse Door"}},
		{1, "pond is taken", []string{"device", "add", "pond"}},
		{2, "required flag", []string{"guard", "add", "pond/oxygen"}},
		{2, "is not a test", []string{"guard", "add", "pond/oxygen", "--when", "over 3"}},
		{2, "is not a duration", []string{"guard", "add", "pond/oxygen", "--when", "above 3", "--on-delay", "ten"}},
		{2, "not a severity", []string{"guard", "add", "pond/oxygen", "--when", "above 3", "--severity", "dire"}},
		{2, "no roster or contact orla", []string{"guard", "add", "pond/oxygen", "--when", "above 3", "--tell",
			"orla"}},
		{2, "did you mean pond/oxygen", []string{"guard", "add", "pond/oxigen", "--when", "above 3"}},
		{2, "not DEVICE/SIGNAL", []string{"reading", "list", "oxygen"}},
		{1, "Did you mean pond/oxygen", []string{"reading", "list", "pond/oxigen"}},
		{2, "neither a time", []string{"reading", "list", "pond/oxygen", "--since", "yesterday"}},
		{2, "not the number of an alarm", []string{"alarm", "ack", "x"}},
		{1, "no alarm 77", []string{"alarm", "ack", "77"}},
		{2, "not DEVICE/SIGNAL=VALUE", []string{"send", "pond/oxygen"}},
		{2, "not a number", []string{"send", "pond/oxygen=NaN"}},
		{2, "did you mean pond?", []string{"send", "pnd/oxygen=3"}},
		{2, "not a role", []string{"person", "add", "a@b.example", "--role", "boss"}},
		{1, "last owner", []string{"person", "remove", "o@b.example"}},
		{2, "not an address", []string{"login", "lark", "--user", "x"}},
		{2, "go together", []string{"serve", "--tls-cert", "x"}},
		{2, "--smtp", []string{"serve", "--smtp", "mail"}},
		{2, "not HOST:PORT", []string{"serve", "--http", "nonsense"}},
		{2, "neither an address nor a network", []string{"serve", "--trusted-proxy", "x"}},
		{2, "--owner", []string{"serve", "--owner", "me"}},
		{2, "takes no arguments; 1 given", []string{"device", "list", "x"}},
		{2, "did you mean --severity?", []string{"guard", "add", "pond/oxygen", "--severty", "x"}},
		{2, "--limit 0 is not 1 to 1000", []string{"journal", "list", "--limit", "0"}},
		{2, `invalid argument "x" for "--alarm" flag`, []string{"notice", "list", "--alarm", "x"}},
		{2, "not the number of an alarm", []string{"notice", "list", "--alarm", "-3"}},
		{1, "did you mean pond?", []string{"follow", "pnd"}},
		{2, "--log-level", []string{"serve", "--log-level", "loud"}},
		{1, "no stand-ins", []string{"standin", "inbox"}},
	} {
		out, errs, code := p.run(c.args...)
		if code != c.code || !strings.Contains(errs, c.says) || out != "" {
			t.Errorf("jaunty %s: exit %d, stdout %q, stderr %q; want exit %d and %q", strings.Join(c.args, " "), code,
				out, errs, c.code, c.says)
		}
	}
	s.stop(syscall.SIGTERM)
	if _, errs, code := p.run("alarm", "list"); code != 1 || !strings.Contains(errs, "does not answer") {
		t.Errorf("a service that is gone: %d %s", code, errs)
	}
}

// Settings come by flag, then by variable, then from the file.
func TestSettings(t *testing.T) {
	p := newPerson(t)
	file := filepath.Join(p.home, "lark.yaml")
	if err := os.WriteFile(file, []byte("http: 127.0.0.1:1\nowner: o@b.example\ndatabase: "+storetest.URL(t)+"\n"),
		0o600); err != nil {
		t.Fatal(err)
	}
	s := p.start([]string{"JAUNTY_HTTP=127.0.0.1:0", "JAUNTY_CONFIG=ignored", "JAUNTY_PASSWORD=a long secret"}, "serve",
		"--config", file)
	if strings.HasSuffix(s.URL, ":1") {
		t.Error("the file went before the variable")
	}
	if err := os.WriteFile(file, []byte("htp: x\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, errs, code := p.run("serve", "--config", file); code != 2 || !strings.Contains(errs, "did you mean http") {
		t.Errorf("a setting that is none: %d %s", code, errs)
	}
}

// Help and completion are there for every command, with an example.
func TestEveryCommandHasHelp(t *testing.T) {
	storetest.Long(t)
	p := newPerson(t)
	var visit func(path ...string)
	visited := 0
	visit = func(path ...string) {
		out := p.must(append(path, "--help")...)
		visited++
		_, commands, group := strings.Cut(out, "Available Commands:\n")
		if !group {
			if !strings.Contains(out, "Examples:") {
				t.Errorf("jaunty %s --help has no example", strings.Join(path, " "))
			}
			return
		}
		for line := range strings.Lines(commands) {
			fields := strings.Fields(line)
			if len(fields) < 2 || strings.HasPrefix(line, "Flags") {
				break
			}
			if fields[0] != "help" && fields[0] != "completion" {
				visit(append(path, fields[0])...)
			}
		}
	}
	visit()
	if visited < 25 {
		t.Errorf("only %d commands seen", visited)
	}
	if out := p.must("completion", "bash"); !strings.Contains(out, "jaunty") {
		t.Error("no completion")
	}
	if out, _, code := p.run("__complete", "guard", ""); code != 0 || !strings.Contains(out, "remove") {
		t.Errorf("completes %q", out)
	}
}
