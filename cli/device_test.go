package cli_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/drive"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// guest is a person at the command line of a service that runs in this test.
func guest(t *testing.T) (*person, *servertest.Service) {
	t.Helper()
	s := servertest.Start(t)
	p := newPerson(t)
	p.login(s.URL, servertest.Owner, servertest.Password)
	return p, s
}

// refused runs a command that must fail with the code and say so.
func (p *person) refused(code int, says string, args ...string) {
	p.t.Helper()
	if out, errs, got := p.run(args...); got != code || !strings.Contains(errs, says) || out != "" {
		p.t.Errorf("jaunty %s: %d, want %d with %q: %s%s", strings.Join(args, " "), got, code, says, out, errs)
	}
}

// A device's whole life by hand: added, set, ordered, its key rotated and revoked, its data kept, deleted,
// back as an arrival.
func TestADevicesLifeByHand(t *testing.T) {
	p, s := guest(t)
	p.must("device", "add", "hub", "--title", "Attic hub")
	leaf := get[struct {
		Key  string
		Code []struct{ For, Text string }
	}](p, "device", "add", "leaf", "--behind", "hub")
	if len(leaf.Code) != 6 || !strings.Contains(leaf.Code[0].Text, leaf.Key) {
		t.Errorf("ready text: %+v", leaf.Code)
	}
	p.must("send", "leaf/temp=21.5", "leaf/level=3")
	p.must("device", "set", "leaf", "--interval", "30s", "--closed", "--clock-offset", "-3600")
	p.must("device", "setting", "set", "leaf", "--interval", "5m", "--set", "led=off", "--set", "tune=3")
	if out := p.must("device", "setting", "set", "leaf", "--unset", "tune"); !strings.Contains(out,
		"ordered interval 5m, led off (version 2); the device has not said what it runs") {
		t.Error(out)
	}
	d := get[site.Device](p, "device", "show", "leaf")
	if d.Behind != "hub" || !d.Closed || d.ClockOffset != -3600 || d.Interval.String() != "30s" || d.Version != 2 ||
		d.Signals != 2 {
		t.Errorf("%+v", d)
	}
	if out := p.must("device", "show", "leaf"); !strings.Contains(out, "expected every 30s") ||
		!strings.Contains(out, "closed, no new ones appear") || !strings.Contains(out, "-3600 s are added") {
		t.Error(out)
	}
	if out := p.must("device", "list"); !strings.Contains(out, "leaf    online") {
		t.Error(out)
	}
	p.must("signal", "set", "leaf/level", "--span", "0..4095", "--band", "dry ..1150", "--band", "wet 1150..", "--step",
		"1", "--interval", "2s")
	if v := s.Signal("leaf/level"); len(v.Bands) != 2 || *v.SpanHigh != 4095 {
		t.Errorf("%+v", v)
	}

	if out := p.must("device", "code", "leaf", "--for", "mqtt", "--key", leaf.Key); !strings.Contains(out, "-P "+
		leaf.Key) || !strings.Contains(out, "jaunty/leaf/readings") {
		t.Error(out)
	}
	if out := p.must("device", "code", "leaf", "--for", "cpp"); !strings.Contains(out, "THE-DEVICE-KEY") {
		t.Error(out)
	}
	rotated := get[struct{ Key, Identity string }](p, "device", "key", "rotate", "leaf", "--overlap", "24h")
	keys := get[[]site.Key](p, "device", "key", "list", "leaf")
	if rotated.Identity != "leaf.2" || len(keys) != 2 || keys[0].ExpiresAt == nil {
		t.Errorf("%+v %+v", rotated, keys)
	}
	if out := p.must("device", "key", "revoke", "leaf", "leaf.2"); !strings.Contains(out, "ended") {
		t.Error(out)
	}

	file := filepath.Join(p.home, "leaf.csv")
	p.must("device", "remove", "leaf", "--export", file)
	if text, err := os.ReadFile(file); err != nil || strings.Count(string(text), "\n") != 3 ||
		!strings.HasPrefix(string(text), "at,signal,value,unit,text,quality\n") {
		t.Errorf("%q %v", text, err)
	}
	p.refused(1, "Did you mean hub?", "device", "show", "hup")
	p.refused(1, "leaf.csv", "device", "remove", "hub", "--export", file)
	p.refused(2, "did you mean mqtt?", "device", "code", "hub", "--for", "mqqt")
	p.refused(2, "--interval 15s", "device", "set", "hub")
	p.refused(2, "interval", "device", "set", "hub", "--interval", "3d")
	p.refused(2, "is not a duration", "device", "setting", "set", "hub", "--interval", "soon")
	p.refused(2, "KEY=VALUE", "device", "setting", "set", "hub", "--set", "x")
	p.refused(2, "is not a band", "signal", "set", "hub/x", "--band", "dry")
	p.refused(1, "has no key 99", "device", "key", "revoke", "hub", "99")
	p.refused(2, "there is no key x", "device", "key", "revoke", "hub", "x")
}

// Adding a device can wait for its first reading, and says what comes instead.
func TestAddingCanWait(t *testing.T) {
	p, s := guest(t)
	add := exec.Command(binary, "device", "add", "pond", "--wait", "--json")
	add.Env = p.env
	said := new(safeBuffer)
	out, err := add.StdoutPipe()
	add.Stderr = said
	if err == nil {
		err = add.Start()
	}
	if err != nil {
		t.Fatal(err)
	}
	var added struct{ Key string }
	if err := json.NewDecoder(out).Decode(&added); err != nil {
		t.Fatal(err)
	}
	device := &client.Client{URL: s.URL, Token: added.Key}
	_, _ = device.SendReadings(t.Context(), "application/senml+json", []byte(`[{"n":"temp","u":"Celsius","v":1}]`))
	storetest.Eventually(t, "it says what is wrong",
		func() bool { return strings.Contains(said.String(), "did you mean Cel?") })
	s.Send(device, `{"temp": 21.5}`)
	if err := add.Wait(); err != nil || !strings.Contains(said.String(), "pond/temp  21.5") {
		t.Errorf("%v %s", err, said)
	}
}

func TestArrivalsByHand(t *testing.T) {
	p, s := guest(t)
	if out := p.must("arrival", "enrolment", "show"); !strings.Contains(out, "no enrolment key") {
		t.Error(out)
	}
	key := get[struct{ Key string }](p, "arrival", "enrolment", "start").Key
	for _, name := range []string{"stranger", "pest"} {
		if out, err := servertest.Command(t, "curl", "-sS", "-i", s.URL+api.SendReadings.At().Path, "-H",
			"Authorization: Bearer "+key, "-H", "Jaunty-Device: "+name, "-H", "Content-Type: application/json", "-d",
			`{"soil": 12.5, "firmware": "0.1"}`); err != nil || !strings.Contains(out, "202 Accepted") {
			t.Fatal(out, err)
		}
	}
	if out := p.must("arrival", "list"); !strings.Contains(out, "soil 12.5") || !strings.Contains(out, "firmware 0.1") {
		t.Error(out)
	}
	if out := p.must("arrival", "let-in", "stranger", "--title", "Second bench"); !strings.Contains(out,
		"with 2 signals") {
		t.Error(out)
	}
	p.must("arrival", "turn-away", "pest")
	p.must("arrival", "enrolment", "end")
	p.refused(1, "no device stranger has arrived", "arrival", "let-in", "stranger")
	p.refused(2, "did you mean end?", "arrival", "enrolment", "en")
}

// A kit goes out as YAML and comes back the same; a changed one is offered before it is applied.
func TestKitsByHand(t *testing.T) {
	storetest.Long(t)
	p, s := guest(t)
	p.must("device", "add", "pond")
	s.Send(s.Owner, `{"pond/oxygen": 80, "pond/door": true}`)
	p.must("guard", "add", "pond/oxygen", "--when", "below 55", "--name", "pond-low", "--advice",
		"Switch on the cascade: now.")
	p.must("device", "set", "pond", "--interval", "15s")
	p.must("output", "add", "pond/cascade", "--safe", "on", "--rest", "off", "--least-on", "5m", "--off-sends", "shut")
	if out := p.must("kit", "add", "pond-probe", "--device", "pond"); !strings.Contains(out,
		"2 signals, 1 guard, 1 output") {
		t.Error(out)
	}
	file := filepath.Join(p.home, "kit.yaml")
	text := p.must("kit", "show", "pond-probe")
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	if out := p.must("kit", "set", file); strings.Contains(out, "would change") ||
		p.must("kit", "show", "pond-probe") != text {
		t.Errorf("%s\n%s", text, out)
	}
	p.must("device", "add", "second-pond", "--kit", "pond-probe")
	if guards := p.must("guard", "list"); !strings.Contains(guards, "second-pond-low") {
		t.Error(guards)
	}
	if o := get[drive.Output](p, "output", "show", "second-pond/cascade"); o.Safe != "on" || o.Ordered != "off" ||
		o.OffSends != "shut" || o.LeastOn.String() != "5m" {
		t.Errorf("%+v", o)
	}
	changed := strings.Replace(text, "below 55", "below 60", 1)
	if err := os.WriteFile(file, []byte(changed), 0o600); err != nil {
		t.Fatal(err)
	}
	if out := p.must("kit", "set", file); !strings.Contains(out, "Nothing has changed yet") ||
		!strings.Contains(out, "guard second-pond-low") {
		t.Error(out)
	}
	if out := p.must("kit", "apply", "pond-probe", "--try"); !strings.Contains(out, "below 60") ||
		strings.Contains(p.must("guard", "list"), "below 60") {
		t.Error(out)
	}
	p.must("kit", "apply", "pond-probe")
	if guards := p.must("guard", "list"); !strings.Contains(guards, "below 60") {
		t.Error(guards)
	}
	for says, text := range map[string]string{
		"unknown field \"colour\"": "name: k\ncolour: red\n",
		"signals[0].unit":          "name: k\nsignals:\n- name: a\n  unit: Celsius\n",
		"below 5x":                 "name: k\nsignals:\n- name: a\nguards:\n- name: g\n  signal: a\n  when: below 5x\n",
	} {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		p.refused(2, says, "kit", "set", file)
	}
	p.must("kit", "remove", "pond-probe")
	p.refused(1, "no kit pond-probe", "kit", "show", "pond-probe")
	var schema map[string]any
	if err := json.Unmarshal([]byte(p.must("kit", "schema")), &schema); err != nil || schema["$ref"] == nil {
		t.Errorf("%v %v", schema, err)
	}
	if out, _, _ := p.run("__complete", "device", "show", "s"); !strings.Contains(out, "second-pond") {
		t.Errorf("the shell completes %q", out)
	}
	storetest.Eventually(t, "the device is known by its kit",
		func() bool { return s.Look("second-pond").Kit == "pond-probe" })
}
