// Command bench measures what the service promises of its speed, each figure as a ratio to a bare
// baseline in the same run, on this machine, clients included. It uses a PostgreSQL of its own with
// ordinary settings, and ends by itself.
package main

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"jauntylark/client"
	"jauntylark/server"
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
	for _, measure := range []func(context.Context, *service) error{packs, posts, mails} {
		if err := measure(ctx, s); err != nil {
			return err
		}
	}
	return nil
}

// service is the service under test.
type service struct {
	url, database string
	owner         *client.Client
	inbox         *standin.Inbox
	stop          func()
}

const owner, password = "bench@hollowbrook.example", "only for the bench"

func serve(ctx context.Context, database string) (*service, error) {
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
	go func() {
		done <- server.Serve(ctx, server.Settings{Database: database, HTTP: "127.0.0.1:0", SMTP: "smtp://" + sink.Addr, Owner: owner, Password: password,
			Log: slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn})), Ready: func(url string) { ready <- url }})
	}()
	s := &service{database: database, inbox: inbox, stop: func() { cancel(); <-done; sink.Close() }}
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
	if err := s.owner.Do(ctx, http.MethodPost, "/api/v1/tokens", map[string]string{"email": owner, "password": password}, &token); err != nil {
		return nil, err
	}
	s.owner.Token = token.Token
	return s, nil
}

// device adds a device and gives its key.
func (s *service) device(ctx context.Context, name string) (string, error) {
	var added struct {
		Key string `json:"key"`
	}
	err := s.owner.Do(ctx, http.MethodPost, "/api/v1/devices", map[string]string{"name": name}, &added)
	return added.Key, err
}

// rate is how many things a second.
func rate(n int, d time.Duration) float64 { return float64(n) / d.Seconds() }
