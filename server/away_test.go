package server_test

import (
	"context"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/api"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"

	"jauntylark/client"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// deadWire is a connection to a database that can go dead: it takes what it is sent, and neither passes it on nor
// refuses it.
type deadWire struct {
	listener net.Listener
	to       string
	dead     atomic.Bool
}

// wireTo puts a wire before the database at address, and gives the database's address through it.
func wireTo(t *testing.T, address string) (*deadWire, string) {
	t.Helper()
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	w := &deadWire{listener: l, to: u.Host}
	go w.run()
	u.Host = l.Addr().String()
	return w, u.String()
}

func (w *deadWire) run() {
	for {
		near, err := w.listener.Accept()
		if err != nil {
			return
		}
		go func() {
			defer near.Close()
			for w.dead.Load() {
				time.Sleep(10 * time.Millisecond)
			}
			far, err := net.Dial("tcp", w.to)
			if err != nil {
				return
			}
			defer far.Close()
			go func() { w.pass(near, far); near.Close() }()
			w.pass(far, near)
		}()
	}
}

func (w *deadWire) pass(to io.Writer, from io.Reader) {
	room := make([]byte, 64<<10)
	for {
		n, err := from.Read(room)
		for w.dead.Load() {
			time.Sleep(10 * time.Millisecond)
		}
		if n > 0 {
			if _, err := to.Write(room[:n]); err != nil {
				return
			}
		}
		if err != nil {
			return
		}
	}
}

// ready is where a service says whether it is.
var ready = api.Place{Method: http.MethodGet, Path: "/health/ready"}

// statusOf asks and gives the status.
func statusOf(t *testing.T, c *client.Client, at api.Place, body string) int {
	t.Helper()
	r, err := http.NewRequest(at.Method, c.URL+at.Path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+c.Token)
	r.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	answer.Body.Close()
	return answer.StatusCode
}

// A database that vanishes without a word counts as away within seconds, for everybody; when it is back, so is the
// service.
func TestADatabaseThatVanishes(t *testing.T) {
	storetest.Long(t)
	storetest.Alone(t)
	wire, database := wireTo(t, storetest.URL(t))
	s := servertest.On(t, database, "127.0.0.1:0")
	t.Cleanup(func() { wire.dead.Store(false) })
	pond := s.Device("pond")
	s.Send(pond, `{"oxygen": 8}`)
	s.Guard(object{"name": "low", "signal": "pond/oxygen", "when": "below 5", "severity": "critical",
		"tell": []string{servertest.Owner}})
	var away, changes atomic.Int64
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	go func() {
		_ = s.Owner.Follow(ctx, "", func(e client.Event) error {
			if e.Name == "beat" && strings.Contains(string(e.Data), `"away":true`) {
				away.Add(1)
			}
			if e.Name == "change" {
				changes.Add(1)
			}
			return nil
		})
	}()
	storetest.Eventually(t, "the stream runs", func() bool { return changes.Load() > 0 })

	wire.dead.Store(true)
	begun := time.Now()
	if status := statusOf(t, pond, api.SendReadings.At(), `{"oxygen": 4}`); status != http.StatusServiceUnavailable {
		t.Error("a reading:", status)
	}
	if took := time.Since(begun); took > 15*time.Second {
		t.Error("it was refused after", took)
	}
	if status := statusOf(t, pond, ready, ""); status != http.StatusServiceUnavailable {
		t.Error("ready:", status)
	}
	storetest.Eventually(t, "the live stream says so", func() bool { return away.Load() > 0 })

	wire.dead.Store(false)
	begun, before := time.Now(), changes.Load()
	for statusOf(t, pond, api.SendReadings.At(), `{"oxygen": 4}`) != http.StatusNoContent {
		time.Sleep(100 * time.Millisecond)
	}
	storetest.Eventually(t, "the raise is mailed", func() bool { return len(s.Inbox.Messages()) > 0 })
	storetest.Eventually(t, "the live stream goes on", func() bool { return changes.Load() > before })
	if took := time.Since(begun); took > 10*time.Second {
		t.Error("all was back after", took)
	} else {
		t.Log("all was back after", took)
	}
	var entries []site.Entry
	s.Do(api.ListJournal.At().Asking("kind", "outage"), nil, &entries)
	if len(entries) != 1 || !strings.HasPrefix(entries[0].Text, "The database was away for ") ||
		entries[0].LearnedAt.Sub(entries[0].At) < 5*time.Second {
		t.Errorf("the journal tells of the outage: %+v", entries)
	}
}

// A database that is read-only counts as away; when it is not any more, readings are taken within seconds.
func TestAReadOnlyDatabase(t *testing.T) {
	storetest.Alone(t)
	database := storetest.URL(t)
	s := servertest.On(t, database, "127.0.0.1:0")
	pond := s.Device("pond")
	s.Send(pond, `{"oxygen": 8}`)
	admin, err := sqlx.Connect("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer admin.Close()
	u, _ := url.Parse(database)
	readOnly := func(on string) {
		t.Helper()
		for _, q := range []string{"set default_transaction_read_only = off", "alter database " +
			strings.TrimPrefix(u.Path, "/") + " set default_transaction_read_only = " + on,
			"select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> " +
				"pg_backend_pid()"} {
			if _, err := admin.Exec(q); err != nil {
				t.Fatal(q, err)
			}
		}
	}
	readOnly("on")
	storetest.Eventually(t, "it counts as away", func() bool {
		return statusOf(t, pond, api.SendReadings.At(), `{"oxygen": 7}`) == http.StatusServiceUnavailable
	})
	if status := statusOf(t, pond, ready, ""); status != http.StatusServiceUnavailable {
		t.Error("ready:", status)
	}
	readOnly("off")
	begun := time.Now()
	for statusOf(t, pond, api.SendReadings.At(), `{"oxygen": 7}`) != http.StatusNoContent {
		time.Sleep(50 * time.Millisecond)
	}
	if took := time.Since(begun); took > 8*time.Second {
		t.Error("readings were taken after", took)
	}
}
