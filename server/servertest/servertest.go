// Package servertest runs a whole service inside a test: real PostgreSQL, real HTTP, a real mail
// sink.
package servertest

import (
	"bytes"
	"cmp"
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"log/slog"
	"maps"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/site"
	"jauntylark/server/web"
	"jauntylark/service"
	"jauntylark/standin"
	"jauntylark/store/storetest"
)

// The first owner of a test's service.
const (
	Owner    = "owner@hollowbrook.example"
	Password = "a long enough secret"
)

// Service is a service that runs for a test.
type Service struct {
	URL   string
	Inbox *standin.Inbox
	Owner *client.Client // signed in as the owner
	HTTP  *http.Client   // its answers are held to the description; over TLS, it trusts the service
	service.Inside
	Stop func() // stops the service before the test ends; nothing when it was stopped
	t    testing.TB
}

// Start runs a service on an empty database of its own.
func Start(t testing.TB) *Service {
	t.Helper()
	return On(t, storetest.URL(t), "127.0.0.1:0")
}

// cheap is what hashing a password costs in tests, in which nobody guesses.
var cheap = &argon2id.Params{Memory: 8, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 16}

// On runs a service on the database and the address, with settings adjusted.
func On(t testing.TB, database, listen string, adjust ...func(*service.Settings)) *Service {
	t.Helper()
	inbox, sink := Sink(t)
	ctx, cancel := context.WithCancel(context.Background())
	ready, done := make(chan string, 1), make(chan error, 1)
	settings := service.Settings{Database: database, HTTP: listen, SMTP: sink, Log: slog.New(slog.DiscardHandler),
		MQTT: "127.0.0.1:0", CoAP: "127.0.0.1:0", CoAPS: "127.0.0.1:0", SealFile: filepath.Join(t.TempDir(), "seal"),
		Inbox: inbox, Owner: Owner, Password: Password,
		Passwords: web.Passwords{Cost: cheap}, Ready: func(address string) { ready <- address }}
	s := &Service{Inbox: inbox, t: t}
	settings.Opened = func(in service.Inside) { s.Inside = in }
	for _, a := range adjust {
		a(&settings)
	}
	go func() { done <- service.Serve(ctx, settings) }()
	s.Stop = func() {
		cancel()
		if err := <-done; err != nil {
			t.Error("the service ended with", err)
		}
		s.Stop = func() {}
	}
	select {
	case s.URL = <-ready:
	case err := <-done:
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Stop() })
	s.HTTP = Described(t, nil)
	if settings.TLSCert != "" {
		s.HTTP = Described(t, trusting(t, settings.TLSCert).Transport)
	}
	s.Owner = s.SignIn(Owner, Password)
	return s
}

// Sink runs a mail server that keeps what it is given, and gives its address.
func Sink(t testing.TB) (*standin.Inbox, string) {
	t.Helper()
	inbox, err := standin.OpenInbox("", nil)
	if err != nil {
		t.Fatal(err)
	}
	sink, err := standin.StartMailSink(inbox)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { sink.Close() })
	return inbox, "smtp://" + sink.Addr
}

// trusting gives an HTTP client that trusts the certificate.
func trusting(t testing.TB, certificate string) *http.Client {
	t.Helper()
	pem, err := os.ReadFile(certificate)
	if err != nil {
		t.Fatal(err)
	}
	roots := x509.NewCertPool()
	roots.AppendCertsFromPEM(pem)
	return &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: roots}}}
}

// SignIn gives a client that is signed in.
func (s *Service) SignIn(email, password string) *client.Client {
	s.t.Helper()
	c := &client.Client{URL: s.URL, HTTP: s.HTTP}
	var token struct {
		Token string `json:"token"`
	}
	if err := c.Call(context.Background(), api.CreateToken.At(),
		map[string]string{"email": email, "password": password}, &token); err != nil {
		s.t.Fatal(err)
	}
	c.Token = token.Token
	return c
}

// Session signs in as a browser does, and gives the cookie that says so.
func (s *Service) Session(email, password string) *http.Cookie {
	s.t.Helper()
	body, err := json.Marshal(map[string]string{"email": email, "password": password})
	if err != nil {
		s.t.Fatal(err)
	}
	asked := cmp.Or(s.HTTP, http.DefaultClient)
	answer, err := asked.Post(s.URL+api.SignIn.At().Path, "application/json", bytes.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	defer answer.Body.Close()
	if cookies := answer.Cookies(); len(cookies) == 1 {
		return cookies[0]
	}
	s.t.Fatalf("%s cannot sign in: %s", email, answer.Status)
	return nil
}

// Device adds a device and gives a client that sends as it.
func (s *Service) Device(name string) *client.Client {
	s.t.Helper()
	var added struct {
		Key string `json:"key"`
	}
	if err := s.Owner.Call(context.Background(), api.AddDevice.At(), map[string]string{"name": name},
		&added); err != nil {
		s.t.Fatal(err)
	}
	return &client.Client{URL: s.URL, Token: added.Key, HTTP: s.HTTP}
}

// Send sends flat JSON as the device and fails the test when any of it is refused.
func (s *Service) Send(device *client.Client, body string) {
	s.t.Helper()
	refused, err := device.SendReadings(context.Background(), "application/json", []byte(body))
	if err != nil || len(refused) > 0 {
		s.t.Fatal(refused, err)
	}
}

// Guard adds a guard.
func (s *Service) Guard(fields map[string]any) {
	s.t.Helper()
	if err := s.Owner.Call(context.Background(), api.AddGuard.At(), fields, nil); err != nil {
		s.t.Fatal(err)
	}
}

// Alarms gives all alarms, newest first.
func (s *Service) Alarms() []alarm.Alarm {
	s.t.Helper()
	var all []alarm.Alarm
	if err := s.Owner.Call(context.Background(), api.ListAlarms.At().Asking("all", "true", "limit", "1000"), nil,
		&all); err != nil {
		s.t.Fatal(err)
	}
	return all
}

// Signal gives a signal as the API tells it; nil when there is none.
func (s *Service) Signal(path string) *site.Signal {
	s.t.Helper()
	var out site.Signal
	if err := s.Owner.Call(context.Background(), api.GetSignal.At(strings.Split(path, "/")), nil, &out); err != nil {
		return nil
	}
	return &out
}

// Look gives a device as the API tells it.
func (s *Service) Look(device string) site.Device {
	s.t.Helper()
	var out site.Device
	if err := s.Owner.Call(context.Background(), api.GetDevice.At(device), nil, &out); err != nil {
		s.t.Fatal(err)
	}
	return out
}

// Do asks the API as the owner and fails the test when that is refused.
func (s *Service) Do(at api.Place, in, out any) {
	s.t.Helper()
	if err := s.Owner.Call(context.Background(), at, in, out); err != nil {
		s.t.Fatal(at, err)
	}
}

// Command runs a program of the machine's for at most 20 seconds, and gives what it printed.
func Command(t testing.TB, name string, args ...string) (string, error) {
	t.Helper()
	if path, err := exec.LookPath(name); err == nil {
		name = path
	} else if sbin := "/usr/sbin/" + name; fileExists(sbin) {
		name = sbin
	} else {
		t.Fatalf("%s is missing; make test installs it", name)
	}
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	out, err := exec.CommandContext(ctx, name, args...).CombinedOutput()
	return string(out), err
}

func fileExists(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

// Output saves an output of a device; without fields it is a switch.
func (s *Service) Output(path string, fields map[string]any) {
	s.t.Helper()
	spec := map[string]any{"kind": "switch"}
	maps.Copy(spec, fields)
	s.Do(api.PutOutput.At(strings.Split(path, "/")), spec, nil)
}

// Interlock saves an interlock.
func (s *Service) Interlock(name string, fields map[string]any) {
	s.t.Helper()
	fields["name"] = name
	s.Do(api.PutInterlock.At(name), fields, nil)
}

// Stands gives an output as the API tells it.
func (s *Service) Stands(path string) (o drive.Output) {
	s.t.Helper()
	s.Do(api.GetOutput.At(strings.Split(path, "/")), nil, &o)
	return o
}
