package cli_test

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"jauntylark/store/storetest"
)

// binary is the program that the tests run, built by TestMain.
var binary string

// TestMain lets three tests run at a time: most of what they do is to wait for processes of their own.
func TestMain(m *testing.M) {
	flag.Parse()
	if err := flag.Set("test.parallel", "3"); err != nil {
		panic(err)
	}
	dir, err := os.MkdirTemp("", "jaunty-cli-")
	if err == nil {
		binary = filepath.Join(dir, "jaunty")
		build := exec.Command("go", "build", "-o", binary, "../cmd/jaunty")
		build.Stderr = os.Stderr
		err = build.Run()
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	code := storetest.Run(m)
	os.RemoveAll(dir)
	os.Exit(code)
}

// person is somebody at a shell, with a home of their own.
type person struct {
	t    *testing.T
	home string
	env  []string
}

func newPerson(t *testing.T) *person {
	dir, err := os.MkdirTemp("", "jaunty-home-")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(dir, 0o711); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	return &person{t: t, home: dir, env: []string{"HOME=" + dir, "XDG_CONFIG_HOME=" + dir + "/config", "PATH=" +
		filepath.Dir(binary) + ":" + os.Getenv("PATH"), "TZ=UTC", "XDG_DATA_HOME=" + dir + "/data",
		"JAUNTY_MQTT=off", "JAUNTY_COAP=off", "JAUNTY_COAPS=off"}}
}

// run runs a command and gives what it printed and how it ended.
func (p *person) run(args ...string) (stdout, stderr string, code int) {
	p.t.Helper()
	return p.exec(exec.Command(binary, args...))
}

// command makes a command that ends with ctx.
func (p *person) command(ctx context.Context, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(ctx, binary, args...)
	cmd.Env = p.env
	return cmd
}

func (p *person) exec(cmd *exec.Cmd) (stdout, stderr string, code int) {
	p.t.Helper()
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	cmd.Env = append(p.env, cmd.Env...)
	err := cmd.Run()
	if _, ended := err.(*exec.ExitError); err != nil && !ended {
		p.t.Fatal(err)
	}
	return out.String(), errs.String(), cmd.ProcessState.ExitCode()
}

// must runs a command that has to succeed.
func (p *person) must(args ...string) string {
	p.t.Helper()
	out, errs, code := p.run(args...)
	if code != 0 {
		p.t.Fatalf("jaunty %s: exit %d: %s", strings.Join(args, " "), code, errs)
	}
	return out
}

// get runs a command with --json and reads what it prints.
func get[T any](p *person, args ...string) (v T) {
	p.t.Helper()
	out := p.must(append(args, "--json")...)
	if err := json.Unmarshal([]byte(out), &v); err != nil {
		p.t.Fatalf("jaunty %s --json printed %q: %v", strings.Join(args, " "), out, err)
	}
	return v
}

// daemon is a program that runs until it is stopped.
type daemon struct {
	*exec.Cmd
	t    *testing.T
	URL  string
	out  *safeBuffer
	done chan struct{}
}

// start starts a program and waits until it is ready.
func (p *person) start(env []string, args ...string) *daemon {
	p.t.Helper()
	d := &daemon{Cmd: exec.Command(binary, args...), t: p.t, out: new(safeBuffer), done: make(chan struct{})}
	d.Env = append(p.env, env...)
	d.Stdout, d.Stderr = d.out, d.out
	d.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := d.Start(); err != nil {
		p.t.Fatal(err)
	}
	go func() { _ = d.Wait(); close(d.done) }()
	p.t.Cleanup(func() { d.stop(syscall.SIGKILL) })
	for end := time.Now().Add(60 * time.Second); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		for line := range strings.Lines(d.out.String()) {
			if url, ready := strings.CutPrefix(strings.TrimSpace(line), "ready "); ready {
				d.URL = url
				return d
			}
		}
		select {
		case <-d.done:
			p.t.Fatalf("jaunty %s ended: %s", strings.Join(args, " "), d.out)
		default:
		}
	}
	p.t.Fatalf("jaunty %s is not ready: %s", strings.Join(args, " "), d.out)
	return nil
}

// stop sends a signal and waits for the end.
func (d *daemon) stop(sig syscall.Signal) {
	d.t.Helper()
	_ = d.Process.Signal(sig)
	select {
	case <-d.done:
	case <-time.After(30 * time.Second):
		d.t.Errorf("still running 30 s after %v: %s", sig, d.out)
		_ = d.Process.Kill()
	}
}

func (p *person) login(url, email, password string) {
	p.t.Helper()
	cmd := exec.Command(binary, "login", url, "--user", email)
	cmd.Stdin = strings.NewReader(password + "\n")
	if out, errs, code := p.exec(cmd); code != 0 || !strings.Contains(out, "Signed in") {
		p.t.Fatal(out, errs, code)
	}
}

type alarmLine struct {
	ID                             int64
	Kind, About                    string
	Guard, Signal, Severity, State string
	RaisedAt                       time.Time  `json:"raised_at"`
	ClearedAt                      *time.Time `json:"cleared_at"`
	AcknowledgedAt                 *time.Time `json:"acknowledged_at"`
}

type inboxLine struct {
	Carrier, To, Subject, Text string
	ReceivedAt                 time.Time `json:"received_at"`
}

// A person goes the whole way by hand, with the line that device add prints run as it stands.
func TestByHand(t *testing.T) {
	storetest.Long(t)
	p := newPerson(t)
	demo := p.start([]string{"JAUNTY_PASSWORD=hollowbrook"}, "demo", "--data", filepath.Join(p.home, "data"), "--http",
		"127.0.0.1:0", "--mqtt", "127.0.0.1:0", "--coap", "127.0.0.1:0", "--no-devices")
	p.login(demo.URL, "orla@hollowbrook.example", "hollowbrook")

	printed := p.must("device", "add", "greenhouse-door")
	_, text, _ := strings.Cut(printed, "appear by themselves:")
	text, _, _ = strings.Cut(text, "Then see it land")
	if out, errs, code := p.exec(exec.Command("sh", "-e", "-c", text)); code != 0 ||
		strings.Count(out, "204 No Content") != 2 {
		t.Fatalf("the printed text %q: %d %s %s", text, code, out, errs)
	}
	readings := get[[]struct {
		At      time.Time
		Value   float64
		Quality []string
	}](p, "reading", "list", "greenhouse-door/temp", "--since", "1h")
	if len(readings) != 1 || readings[0].Value != 21.5 || readings[0].Quality == nil ||
		time.Since(readings[0].At) > time.Minute {
		t.Errorf("%+v", readings)
	}
	guard := get[map[string]any](p, "guard", "add", "greenhouse-door/temp", "--when", "above 30", "--deadband", "1",
		"--on-delay", "1s", "--off-delay", "1s",
		"--severity", "warning", "--tell", "orla@hollowbrook.example")
	if guard["name"] != "greenhouse-door-temp-above-30" || guard["when"] != "above 30" || guard["on_delay"] != 1.0 {
		t.Errorf("%+v", guard)
	}
	p.must("send", "greenhouse-door/temp=31.5")
	storetest.Eventually(t, "the alarm", func() bool { return len(get[[]alarmLine](p, "alarm", "list")) == 1 })
	a := get[[]alarmLine](p, "alarm", "list")[0]
	if a.Signal != "greenhouse-door/temp" || a.State != "raised" || a.Severity != "warning" ||
		a.Guard != guard["name"] {
		t.Errorf("%+v", a)
	}
	if acked := get[alarmLine](p, "alarm", "ack", fmt.Sprint(a.ID)); acked.AcknowledgedAt == nil {
		t.Errorf("%+v", acked)
	}
	p.must("send", "greenhouse-door/temp=20")
	storetest.Eventually(t, "both mails", func() bool { return len(get[[]inboxLine](p, "standin", "inbox")) == 2 })
	mails := get[[]inboxLine](p, "standin", "inbox")
	if mails[0].Carrier != "e-mail" || mails[0].To != "orla@hollowbrook.example" ||
		!strings.HasPrefix(mails[1].Subject, "Over after") {
		t.Errorf("%+v", mails)
	}
	if all := get[[]alarmLine](p, "alarm", "list", "--all"); len(all) != 1 || all[0].State != "over" ||
		all[0].ClearedAt == nil {
		t.Errorf("%+v", all)
	}
	for _, command := range [][]string{{"device", "list"}, {"signal", "list"}, {"guard", "list"},
		{"alarm", "list", "--all"}, {"journal", "list"}, {"notice", "list"}, {"person", "list"}, {"standin", "inbox"}} {
		if rows := get[[]map[string]any](p, command...); len(rows) == 0 {
			t.Errorf("%v --json is empty", command)
		}
		if out := p.must(command...); len(out) < 20 || strings.HasPrefix(out, "[") {
			t.Errorf("%v prints %q", command, out)
		}
	}

	if gone := get[map[string]string](p, "guard", "remove", guard["name"].(string)); gone["removed"] != guard["name"] {
		t.Errorf("%+v", gone)
	}
	if api := get[map[string]any](p, "openapi"); api["openapi"] != "3.1.0" {
		t.Errorf("openapi --json: %v", api["openapi"])
	}

	demo.stop(syscall.SIGTERM)
	if demo.ProcessState.ExitCode() != 0 {
		t.Errorf("SIGTERM: exit %d: %s", demo.ProcessState.ExitCode(), demo.out)
	}
	if _, err := os.Stat(filepath.Join(p.home, "data", "postgres", "postmaster.pid")); err == nil {
		t.Error("PostgreSQL was left running")
	}
	again := p.start(nil, "demo", "--data", filepath.Join(p.home, "data"), "--http",
		strings.TrimPrefix(demo.URL, "http://"), "--no-devices")
	if all := get[[]alarmLine](p, "alarm", "list", "--all"); len(all) != 1 {
		t.Errorf("started again with other data: %+v", all)
	}
	if mails := get[[]inboxLine](p, "standin", "inbox"); len(mails) != 2 {
		t.Errorf("the inbox was forgotten: %+v", mails)
	}
	if left := get[map[string]string](p, "logout"); left["left"] != demo.URL {
		t.Errorf("%+v", left)
	}
	if _, errs, code := p.run("alarm", "list"); code != 1 || !strings.Contains(errs, "not logged in") {
		t.Errorf("after logout: %d %s", code, errs)
	}
	again.stop(syscall.SIGINT)
}

func TestFollowStreamsAndEnds(t *testing.T) {
	p := newPerson(t)
	s := p.start([]string{"JAUNTY_PASSWORD=a long secret"}, "serve", "--database", storetest.URL(t), "--http",
		"127.0.0.1:0", "--owner", "o@b.example")
	p.login(s.URL, "o@b.example", "a long secret")
	p.must("device", "add", "d")
	p.must("send", "d/temp=1")
	p.must("guard", "add", "d/temp", "--when", "above 5", "--on-delay", "100ms")
	follow := exec.Command(binary, "follow", "d", "--json")
	follow.Env = p.env
	out, err := follow.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := follow.Start(); err != nil {
		t.Fatal(err)
	}
	lines := make(chan string)
	go func() {
		for decoder := json.NewDecoder(out); ; {
			var line struct {
				Kind   string
				Signal struct{ Value float64 }
			}
			if decoder.Decode(&line) != nil {
				close(lines)
				return
			}
			lines <- fmt.Sprint(line.Kind, " ", line.Signal.Value)
		}
	}()
	time.Sleep(500 * time.Millisecond)
	p.must("send", "d/temp=7")
	select {
	case line := <-lines:
		if line != "signal 7" {
			t.Errorf("followed %q", line)
		}
	case <-time.After(10 * time.Second):
		t.Error("nothing was followed")
	}
	// The sweeper's raise moves the signal's state, but brings no newer reading.
	select {
	case line := <-lines:
		if line != "alarm 0" {
			t.Errorf("then followed %q", line)
		}
	case <-time.After(10 * time.Second):
		t.Error("the alarm was not followed")
	}
	_ = follow.Process.Signal(syscall.SIGTERM)
	for range lines {
	}
	if err := follow.Wait(); err != nil {
		t.Errorf("follow ended with %v", err)
	}
}

// A private PostgreSQL that a killed service left behind is found again, and its folder is one
// service's at a time.
func TestThePrivateDatabaseOutlivesACrash(t *testing.T) {
	storetest.Long(t)
	p := newPerson(t)
	data := filepath.Join(p.home, "data")
	env := []string{"JAUNTY_PASSWORD=a long secret"}
	s := p.start(env, "serve", "--data", data, "--http", "127.0.0.1:0", "--owner", "o@b.example")
	p.login(s.URL, "o@b.example", "a long secret")
	p.must("device", "add", "d")
	if _, errs, code := p.run("serve", "--data", data, "--http", "127.0.0.1:0"); code != 1 ||
		!strings.Contains(errs, "in use by another jaunty") {
		t.Errorf("a second service on the folder: %d %s", code, errs)
	}
	s.stop(syscall.SIGKILL)
	again := p.start(env, "serve", "--data", data, "--http", strings.TrimPrefix(s.URL, "http://"))
	if rows := get[[]map[string]any](p, "device", "list"); len(rows) != 1 {
		t.Errorf("after the crash: %v", rows)
	}
	hba, err := os.ReadFile(filepath.Join(data, "postgres", "pg_hba.conf"))
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(hba)) {
		if !strings.HasPrefix(line, "#") && strings.Contains(line, "trust") {
			t.Errorf("PostgreSQL trusts: %s", line)
		}
	}
	again.stop(syscall.SIGTERM)
	if _, err := os.Stat(filepath.Join(data, "postgres", "postmaster.pid")); err == nil {
		t.Error("PostgreSQL was left running")
	}
}

// freeAddress gives an address on loopback where nobody listens: none of the ports that outgoing connections take.
func freeAddress(t *testing.T) string {
	t.Helper()
	for range 100 {
		listener, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", 10_000+rand.IntN(20_000)))
		if err == nil {
			defer listener.Close()
			return listener.Addr().String()
		}
	}
	t.Fatal("no port is free")
	return ""
}
