package cli_test

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/server/servertest"
	"jauntylark/standin"
	"jauntylark/store/storetest"
)

// storm is a device that sends over one way in, and sends again what was not acknowledged.
type storm struct {
	name  string
	link  standin.Link
	acked []measure.Reading
	count atomic.Int64 // of acked, while it runs
}

func (s *storm) run(t *testing.T, stop <-chan struct{}) {
	defer s.link.Close()
	last := measure.Instant(0)
	for n := 0; ; n++ {
		select {
		case <-stop:
			return
		case <-time.After(10 * time.Millisecond):
		}
		last = max(last+1, measure.InstantOf(time.Now()))
		r := measure.Reading{At: last, Value: float64(n)}
		body := fmt.Sprintf(`[{"n":"v","t":%.3f,"v":%d}]`, float64(r.At)/1000, n)
		for end := time.Now().Add(60 * time.Second); ; time.Sleep(20 * time.Millisecond) {
			ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
			err := s.link.Send(ctx, []byte(body))
			cancel()
			if err == nil {
				s.acked = append(s.acked, r)
				s.count.Add(1)
				break
			}
			if time.Now().After(end) {
				t.Errorf("%s: %v", s.name, err)
				return
			}
		}
	}
}

// rage lets devices send until it is calmed, which waits until each has sent enough.
func rage(t *testing.T, storms []*storm) (calm func()) {
	stop := make(chan struct{})
	var all sync.WaitGroup
	for _, s := range storms {
		all.Go(func() { s.run(t, stop) })
	}
	return func() {
		storetest.Eventually(t, "each has sent enough", func() bool {
			return !slices.ContainsFunc(storms, func(s *storm) bool { return s.count.Load() < enough })
		})
		close(stop)
		all.Wait()
	}
}

// The service is killed again and again while devices send over all three protocols: every
// acknowledged reading is there, once.
func TestKilledInAStormOverAllProtocols(t *testing.T) {
	storetest.Long(t)
	p, database := newPerson(t), storetest.URL(t)
	web, mqtt, coaps := freeAddress(t), freeAddress(t), freeAddress(t)
	env := []string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}
	args := []string{"serve", "--database", database, "--http", web, "--mqtt", mqtt, "--coaps", coaps, "--log-level",
		"error"}
	d := p.start(env, args...)
	p.login(d.URL, "o@b.example", "a long secret")
	key := func(name string) string { return get[struct{ Key string }](p, "device", "add", name).Key }

	var storms []*storm
	for i := range 2 {
		name := fmt.Sprint("http-", i)
		to := &client.Client{URL: d.URL, Token: key(name), HTTP: &http.Client{Timeout: 3 * time.Second}}
		storms = append(storms, &storm{name: name, link: standin.HTTP{To: to}})
		name = fmt.Sprint("mqtt-", i)
		link, err := standin.DialMQTT(context.Background(), mqtt, name, key(name))
		if err != nil {
			t.Fatal(err)
		}
		storms = append(storms, &storm{name: name, link: link})
		name = fmt.Sprint("coap-", i)
		storms = append(storms, &storm{name: name, link: &standin.CoAP{Address: coaps, Name: name, Key: key(name)}})
	}
	calm := rage(t, storms)
	kills := 5
	if testing.Short() {
		kills = 2
	}
	for range kills {
		time.Sleep(time.Duration(1500+rand.IntN(1500)) * time.Millisecond)
		d.stop(syscall.SIGKILL)
		d = p.start(env, args...)
	}
	time.Sleep(2 * time.Second)
	calm()
	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for _, s := range storms {
		checkReadings(t, db, s.name, s.acked)
	}
}

// mosquitto runs Debian's broker with the accounts, and gives its address.
func mosquitto(t *testing.T, accounts map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	passwords := filepath.Join(dir, "passwords")
	if err := os.WriteFile(passwords, nil, 0o644); err != nil {
		t.Fatal(err)
	}
	for user, password := range accounts {
		if out, err := servertest.Command(t, "mosquitto_passwd", "-b", passwords, user, password); err != nil {
			t.Fatal(out, err)
		}
	}
	address := freeAddress(t)
	host, port, _ := net.SplitHostPort(address)
	config := filepath.Join(dir, "mosquitto.conf")
	text := fmt.Sprintf("listener %s %s\nallow_anonymous false\npassword_file %s\nmax_queued_messages 0\nuser root\n",
		port, host, passwords)
	if err := os.WriteFile(config, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	broker := exec.Command("/usr/sbin/mosquitto", "-c", config)
	var said bytes.Buffer
	broker.Stderr = &said
	if err := broker.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = broker.Process.Kill(); _ = broker.Wait() })
	storetest.Eventually(t, "the broker answers", func() bool {
		conn, err := net.Dial("tcp", address)
		if err == nil {
			conn.Close()
		}
		return err == nil
	})
	return address
}

// Two processes read from an outside broker, one is killed, comes again, and the other is killed: every
// message that the broker acknowledged is there, once, and each device's messages are in order.
func TestAnOutsideBrokerAndAKilledProcess(t *testing.T) {
	storetest.Long(t)
	accounts := map[string]string{"lark": "read all"}
	for i := range 6 {
		accounts[fmt.Sprint("dev-", i)] = fmt.Sprint("secret-", i)
	}
	address := mosquitto(t, accounts)
	p, database := newPerson(t), storetest.URL(t)
	env := []string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example",
		"JAUNTY_MQTT_BROKER=mqtt://lark:read%20all@" + address}
	first := []string{"serve", "--database", database, "--http", freeAddress(t), "--log-level", "error"}
	second := []string{"serve", "--database", database, "--http", freeAddress(t), "--log-level", "error"}
	a, b := p.start(env, first...), p.start(env, second...)
	p.login(b.URL, "o@b.example", "a long secret")
	var storms []*storm
	for i := range 6 {
		name := fmt.Sprint("dev-", i)
		p.must("device", "add", name)
	}
	p.must("device", "setting", "set", "dev-0", "--interval", "5m")
	host, port, _ := net.SplitHostPort(address)
	storetest.Eventually(t, "all devices are read", func() bool {
		for i := range 6 {
			if out, err := servertest.Command(t, "mosquitto_pub", "-h", host, "-p", port, "-u", fmt.Sprint("dev-", i),
				"-P", fmt.Sprint("secret-", i), "-q", "1", "-t", fmt.Sprintf("jaunty/dev-%d/readings", i), "-m",
				`{"ready": true}`); err != nil {
				t.Fatal(out, err)
			}
		}
		time.Sleep(300 * time.Millisecond)
		return len(get[[]struct{ Name string }](p, "signal", "list")) == 6
	})
	if out, err := servertest.Command(t, "mosquitto_sub", "-h", host, "-p", port, "-u", "dev-0", "-P", "secret-0", "-t",
		"jaunty/dev-0/settings", "-C", "1", "-W", "10"); err != nil || !strings.Contains(out, `"interval":300`) {
		t.Errorf("the order that stands at the broker: %s %v", out, err)
	}
	for i := range 6 {
		name := fmt.Sprint("dev-", i)
		link, err := standin.DialMQTT(context.Background(), address, name, fmt.Sprint("secret-", i))
		if err != nil {
			t.Fatal(err)
		}
		storms = append(storms, &storm{name: name, link: link})
	}
	calm := rage(t, storms)
	time.Sleep(1500 * time.Millisecond)
	a.stop(syscall.SIGKILL)
	time.Sleep(2 * time.Second)
	a = p.start(env, first...)
	time.Sleep(2 * time.Second)
	b.stop(syscall.SIGKILL) // what it held is the other's after the lease
	time.Sleep(500 * time.Millisecond)
	calm()
	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	storetest.Eventually(t, "all that the broker has taken is stored", func() bool {
		sent, stored := 0, 0
		for _, s := range storms {
			sent += len(s.acked)
		}
		err := db.QueryRow(
			`select count(*) from reading r join signal s on s.id = r.signal_id where s.name = 'v'`).Scan(&stored)
		return err == nil && stored >= sent
	})
	for _, s := range storms {
		checkReadings(t, db, s.name, s.acked)
		for _, r := range storedReadings(t, db, s.name) {
			if r.Quality&measure.Late != 0 {
				t.Errorf("%s: the reading of %v came out of order", s.name, r.At)
				break
			}
		}
	}
	a.stop(syscall.SIGTERM)
}
