// Command bench measures what the service promises of its speed, each figure as a ratio to a bare
// baseline in the same run, on this machine, clients included. It uses a PostgreSQL of its own with
// ordinary settings, and ends by itself.
package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/sketch"
	"jauntylark/pipeline"
	"jauntylark/service"
	"jauntylark/standin"
	"jauntylark/store/cluster"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	if len(os.Args) > 3 && os.Args[1] == holdCommand {
		return hold(os.Args[2], os.Args[3], os.Args[4:])
	}
	dir, err := os.MkdirTemp("", "jaunty-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o711); err != nil {
		return err
	}
	ctx := context.Background()
	db, err := cluster.Start(ctx, filepath.Join(dir, "d"), cluster.Options{})
	if err != nil {
		return err
	}
	defer db.Stop(ctx)
	s, err := serve(ctx, db.URL)
	if err != nil {
		return err
	}
	defer s.stop()
	for _, m := range measurements {
		if len(os.Args) > 1 && !slices.Contains(os.Args[1:], m.name) {
			continue
		}
		if err := m.measure(ctx, s); err != nil {
			return fmt.Errorf("%s: %w", m.name, err)
		}
	}
	return nil
}

// measurements are all; arguments name those that are wanted.
var measurements = []struct {
	name    string
	measure func(context.Context, *process) error
}{
	{"packs", packs}, {"posts", posts}, {"mails", mails}, {"mqtt", messages}, {"coap", confirmables}, {"idle", idle},
	{"backlog", backlog}, {"runaway", runaway}, {"past", past}, {"sealing", sealing},
	{"meaning", meaning}, {"correcting", correcting}, {"replaying", replaying}, {"searching", searching},
	{"configuring", configuring}, {"guarding", guarding}, {"outbox", outbox}, {"switching", switching},
	{"boards", boards}, {"charts", charts}, {"watching", watching}, {"frames", frames}, {"strip", strip},
	{"besieging", besieging},
}

// service is the service under test.
type process struct {
	url, database string
	ways          sketch.Ways
	pipe          *pipeline.Pipeline
	owner         *client.Client
	inbox         *standin.Inbox
	stop          func()
}

const owner, password = "bench@hollowbrook.example", "only for the bench"

func serve(ctx context.Context, database string, adjust ...func(*service.Settings)) (*process, error) {
	inbox, err := standin.OpenInbox("", nil)
	if err != nil {
		return nil, err
	}
	sink, err := standin.StartMailSink(inbox)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithCancel(ctx)
	ready, done := make(chan string, 1), make(chan error, 1)
	s := &process{database: database, inbox: inbox, stop: func() { cancel(); <-done; sink.Close() }}
	settings := service.Settings{Database: database, HTTP: "127.0.0.1:0", MQTT: "127.0.0.1:0", CoAP: "127.0.0.1:0",
		DeviceRate: 100_000, Private: true,
		SMTP: "smtp://" + sink.Addr, Owner: owner, Password: password, Opened: func(in service.Inside) {
			s.ways, s.pipe = in.Ways, in.Pipeline
		},
		Log:   slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn})),
		Ready: func(url string) { ready <- url }}
	for _, a := range adjust {
		a(&settings)
	}
	go func() { done <- service.Serve(ctx, settings) }()
	select {
	case s.url = <-ready:
	case err := <-done:
		cancel()
		return nil, err
	}
	s.owner = &client.Client{URL: s.url}
	var token struct {
		Token string `json:"token"`
	}
	if err := s.owner.Call(ctx, api.CreateToken.At(), map[string]string{"email": owner, "password": password},
		&token); err != nil {
		return nil, err
	}
	s.owner.Token = token.Token
	// Each alarm is told by itself.
	return s, s.owner.Call(ctx, api.PutReach.At(),
		map[string]any{"flood": map[string]any{"messages": 10_000, "within": "10s"}}, nil)
}

// device adds a device and gives its key.
func (s *process) device(ctx context.Context, name string) (string, error) {
	var added struct {
		Key string `json:"key"`
	}
	err := s.owner.Call(ctx, api.AddDevice.At(), map[string]string{"name": name}, &added)
	return added.Key, err
}

// devices adds so many devices and gives their names and keys.
func (s *process) devices(ctx context.Context, stem string, n int) (names, keys []string, err error) {
	for i := range n {
		name := fmt.Sprintf("%s-%d", stem, i)
		key, err := s.device(ctx, name)
		if err != nil {
			return nil, nil, err
		}
		names, keys = append(names, name), append(keys, key)
	}
	return names, keys, nil
}

// rate is how many things a second.
func rate(n int, d time.Duration) float64 { return float64(n) / d.Seconds() }
