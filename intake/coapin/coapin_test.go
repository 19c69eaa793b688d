package coapin_test

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/plgd-dev/go-coap/v3/message"
	"github.com/plgd-dev/go-coap/v3/message/codes"
	"github.com/plgd-dev/go-coap/v3/udp"
	"github.com/plgd-dev/go-coap/v3/udp/client"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/standin"
	"jauntylark/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// secure sends with libcoap's own client over DTLS, and gives what it printed.
func secure(t *testing.T, s *servertest.Service, identity, key, method, path string, args ...string) string {
	t.Helper()
	args = append([]string{"-B", "5", "-v", "6", "-m", method, "-u", identity, "-k", key}, args...)
	out, _ := servertest.Command(t, "coap-client-openssl", append(args, "coaps://"+s.Ways.CoAPS+path)...)
	return timeOfDay.ReplaceAllString(out, "")
}

// timeOfDay stands before each line; "03:43:12.044" is no answer of 2.04.
var timeOfDay = regexp.MustCompile(`\d\d:\d\d:\d\d\.\d+`)

// plain sends with libcoap's own client without DTLS.
func plain(t *testing.T, s *servertest.Service, method, path string, args ...string) string {
	t.Helper()
	args = append([]string{"-B", "5", "-v", "6", "-m", method}, args...)
	out, _ := servertest.Command(t, "coap-client-notls", append(args, "coap://"+s.Ways.CoAP+path)...)
	return timeOfDay.ReplaceAllString(out, "")
}

func TestReadingsByARealClient(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("fern-house").Token
	cbor := filepath.Join(t.TempDir(), "pack.cbor")
	// [{0: "temp", 2: 25}]
	if err := os.WriteFile(cbor, []byte("\x81\xa2\x00\x64temp\x02\x18\x19"), 0o600); err != nil {
		t.Fatal(err)
	}
	for i, args := range [][]string{{"-t", "50", "-e", `{"temp": 22}`},
		{"-t", "110", "-e", `[{"n":"temp","u":"Cel","v":23}]`}, {"-e", `{"temp": 24}`}, {"-t", "112", "-f", cbor},
		{"-N", "-t", "50", "-e", `{"temp": 26}`}} {
		out := secure(t, s, "fern-house", key, "post", "/intake", args...)
		if !strings.Contains(out, "2.04") {
			t.Errorf("%v: %s", args, out)
		}
		if v := s.Signal("fern-house/temp"); v == nil || *v.Value != float64(22+i) {
			t.Errorf("%v: %+v", args, v)
		}
	}
	query := "?device=fern-house&key=" + key
	if out := plain(t, s, "post", "/intake"+query, "-t", "50", "-e", `{"temp": 30}`); !strings.Contains(out, "2.04") ||
		*s.Signal("fern-house/temp").Value != 30 {
		t.Errorf("without DTLS: %s", out)
	}
	storetest.Eventually(t, "how it came is known",
		func() bool { d := s.Look("fern-house"); return d.Protocol == "CoAP" && d.Address == "127.0.0.1" })
	for says, out := range map[string]string{
		"4.22": plain(t, s, "post", "/intake"+query, "-t", "50", "-e", `{"temp": null}`),
		"4.00": plain(t, s, "post", "/intake"+query, "-t", "50", "-e", `{`),
		"4.15": plain(t, s, "post", "/intake"+query, "-t", "40", "-e", `<x>`),
		"4.01": plain(t, s, "post", "/intake?device=fern-house&key=wrong", "-e", `{}`),
		"4.04": plain(t, s, "post", "/intakes"+query, "-e", `{}`), "4.05": plain(t, s, "get", "/intake"+query),
		"</settings>": plain(t, s, "get", "/.well-known/core"),
		"user name":   "user name",
	} {
		if !strings.Contains(out, says) {
			t.Errorf("want %s: %s", says, out)
		}
	}
	storetest.Eventually(t, "what was wrong stands on the device's page",
		func() bool { return s.Look("fern-house").Refused != "" })
}

// A long body comes in blocks, in both modes, and is put together.
func TestBlocksByARealClient(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("gate-node").Token
	var pack bytes.Buffer
	pack.WriteString(`[{"bn":"gate-node/","n":"air","t":-1000,"v":0}`)
	for i := 1; i < 600; i++ {
		fmt.Fprintf(&pack, `,{"n":"air","t":%d,"v":%d}`, i-1000, i)
	}
	pack.WriteString("]")
	file := filepath.Join(t.TempDir(), "pack")
	if err := os.WriteFile(file, pack.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	out := secure(t, s, "gate-node", key, "post", "/intake", "-t", "110", "-b", "512", "-f", file)
	if s.Signal("gate-node/air") == nil {
		t.Fatal(out)
	}
	var line struct{ Of int }
	s.Do(api.GetLine.At("gate-node", "air"), nil, &line)
	if line.Of != 600 {
		t.Errorf("%d readings of 600: %s", line.Of, out[max(0, len(out)-400):])
	}
}

func TestAWrongKeyOverDTLSIsTold(t *testing.T) {
	s := servertest.Start(t)
	s.Device("fern-house")
	if out := secure(t, s, "fern-house", "wrong", "post", "/intake", "-t", "50", "-e",
		`{"temp": 22}`); strings.Contains(out, "2.04") {
		t.Fatal(out)
	}
	storetest.Eventually(t, "the device's page says so",
		func() bool { return strings.Contains(s.Look("fern-house").Refused, "key is perhaps wrong") })
	secure(t, s, "nobody", "wrong", "post", "/intake", "-e", `{"temp": 22}`)
	storetest.Eventually(t, "an unknown identity is noted", func() bool {
		var story struct{ Knocks []site.Knock }
		s.Do(api.GetDevice.At("fern-house"), nil, &story)
		return len(story.Knocks) > 0 && story.Knocks[0].Name == "fern-house"
	})
}

// A rotated key has an identity of its own; the old one ends when the new one is used.
func TestARotatedKeyOverDTLS(t *testing.T) {
	s := servertest.Start(t)
	old := s.Device("fern-house").Token
	var rotated struct{ Key, Identity string }
	s.Do(api.RotateKey.At("fern-house"), map[string]any{}, &rotated)
	send := func(identity, key string) bool {
		return strings.Contains(secure(t, s, identity, key, "post", "/intake", "-t", "50", "-e", `{"temp": 22}`),
			"2.04")
	}
	if rotated.Identity != "fern-house.2" || !send("fern-house", old) || !send("fern-house.2", rotated.Key) {
		t.Fatalf("identity %q", rotated.Identity)
	}
	if send("fern-house", old) {
		t.Error("the old key is still good")
	}
}

// Settings are observed: a newer order comes by itself, and what runs is confirmed.
func TestObserveByARealClient(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("fern-house").Token
	s.Do(api.OrderSettings.At("fern-house"), map[string]any{"interval": "5m"}, nil)
	command := exec.Command("stdbuf", "-oL", "coap-client-openssl", "-m", "get", "-s", "20", "-u", "fern-house", "-k",
		key, "coaps://"+s.Ways.CoAPS+"/settings")
	out, err := command.StdoutPipe()
	if err == nil {
		err = command.Start()
	}
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = command.Process.Kill(); _ = command.Wait() }()
	orders := make(chan string, 10)
	go func() {
		for in := bufio.NewReader(out); ; {
			order, err := in.ReadString('}')
			if err != nil {
				close(orders)
				return
			}
			orders <- order
		}
	}()
	next := func() string {
		select {
		case order := <-orders:
			return order
		case <-time.After(10 * time.Second):
			t.Fatal("no order came")
			return ""
		}
	}
	first := next()
	if strings.Contains(first, `"version":0`) { // the order was on its way
		first = next()
	}
	if got := first; !strings.Contains(got, `"version":1`) || !strings.Contains(got, `"interval":300`) {
		t.Errorf("the first: %s", got)
	}
	s.Do(api.OrderSettings.At("fern-house"), map[string]any{"interval": "1m"}, nil)
	if got := next(); !strings.Contains(got, `"version":2`) {
		t.Errorf("the newer: %s", got)
	}
	if out := secure(t, s, "fern-house", key, "put", "/settings", "-t", "50", "-e",
		`{"version": 2}`); !strings.Contains(out, "2.04") {
		t.Error(out)
	}
	if d := s.Look("fern-house"); d.RunningNo != 2 {
		t.Errorf("%+v", d)
	}
	if out := secure(t, s, "fern-house", key, "put", "/settings", "-t", "50", "-e",
		`{"version": 3}`); !strings.Contains(out, "4.22") {
		t.Error(out)
	}
}

func TestAStrangerOverCoAP(t *testing.T) {
	s := servertest.Start(t)
	var enrolment struct{ Key string }
	s.Do(api.NewEnrolment.At(), nil, &enrolment)
	storetest.Eventually(t, "the stranger is taken in", func() bool {
		return strings.Contains(secure(t, s, "stranger", enrolment.Key, "post", "/intake", "-t", "50", "-e",
			`{"soil": 12}`), "2.04")
	})
	s.Do(api.LetIn.At("stranger"), map[string]string{}, nil)
	if v := s.Signal("stranger/soil"); v == nil || *v.Value != 12 {
		t.Errorf("%+v", v)
	}
}

// While the database is away the answer is 5.03, and never 2.04.
func TestNothingIsAcknowledgedWhileTheDatabaseIsAway(t *testing.T) {
	gate := storetest.NewGate(t, storetest.URL(t))
	s := servertest.On(t, gate.URL, "127.0.0.1:0")
	key := s.Device("pond").Token
	c, err := udp.Dial(s.Ways.CoAP)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	send := func() codes.Code {
		answer, err := c.Post(ctx, "/intake", message.AppJSON, strings.NewReader(`{"v": 1}`),
			message.Option{ID: message.URIQuery, Value: []byte("device=pond")},
			message.Option{ID: message.URIQuery, Value: []byte("key=" + key)})
		if err != nil {
			t.Fatal(err)
		}
		return answer.Code()
	}
	if code := send(); code != codes.Changed {
		t.Fatal(code)
	}
	gate.Shut()
	if code := send(); code != codes.ServiceUnavailable {
		t.Errorf("away: %v", code)
	}
	gate.Open()
	storetest.Eventually(t, "it is taken again", func() bool { return send() == codes.Changed })
}

// A revoked key's open connection does not send any more.
func TestARevokedKeysConnectionIsClosed(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("pond").Token
	c, err := standin.DialCoAP(s.Ways.CoAPS, "pond", key)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	send := func(c *client.Conn) (codes.Code, error) {
		ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
		defer cancel()
		answer, err := c.Post(ctx, "/intake", message.AppJSON, strings.NewReader(`{"v": 1}`))
		if err != nil {
			return 0, err
		}
		return answer.Code(), nil
	}
	if code, err := send(c); code != codes.Changed {
		t.Fatal(code, err)
	}
	var keys []site.Key
	s.Do(api.ListKeys.At("pond"), nil, &keys)
	s.Do(api.RevokeKey.At("pond", keys[0].ID), nil, nil)
	select {
	case <-c.Done():
	case <-time.After(10 * time.Second):
		t.Error("the connection is still open")
	}
	if code, err := send(c); err == nil && code == codes.Changed {
		t.Error("it still sends")
	}
}
