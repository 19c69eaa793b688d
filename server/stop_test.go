package server_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"net"
	"regexp"
	"runtime"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/server/servertest"
	"jauntylark/service"
	"jauntylark/store/storetest"
)

// ours are the goroutines that this module's code, but for tests, has started or is in.
func ours() (all []string) {
	room := make([]byte, 4<<20)
	room = room[:runtime.Stack(room, true)]
	frame := regexp.MustCompile(
		`(?m)^(?:created by )?jauntylark/(?:server\.|pipeline|intake|notify|history|store\.|store/cluster)`)
	for _, one := range bytes.Split(room, []byte("\n\n")) {
		if text := string(one); frame.MatchString(text) && !strings.Contains(text, "_test.") &&
			!strings.Contains(text, "storetest") {
			all = append(all, text)
		}
	}
	return all
}

// dumb is a mail server that takes connections and says nothing.
func dumb(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			t.Cleanup(func() { c.Close() })
		}
	}()
	return l.Addr().String()
}

// The service stops within three seconds whatever hangs on it, waits for all that it started, and has lost nothing that
// it acknowledged.
func TestStoppingWhateverHangsOnIt(t *testing.T) {
	storetest.Alone(t)
	database := storetest.URL(t)
	s := servertest.On(t, database, "127.0.0.1:0", func(o *service.Settings) {
		o.SMTP = "smtp://" + dumb(t) +
			"?from=lark@hollowbrook.example"
	})
	host := strings.TrimPrefix(s.URL, "http://")
	pond := s.Device("pond")
	s.Send(pond, `{"oxygen": 8}`)
	s.Guard(object{"name": "low", "signal": "pond/oxygen", "when": "below 5", "severity": "critical",
		"tell": []string{servertest.Owner}})
	s.Send(pond, `{"oxygen": 4}`) // whose mail hangs
	dial := func(address, text string) net.Conn {
		c, err := net.Dial("tcp", address)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { c.Close() })
		if _, err := io.WriteString(c, text); err != nil {
			t.Fatal(err)
		}
		return c
	}
	bearer := "Authorization: Bearer " + pond.Token + "\r\n\r\n"
	poll := dial(host, api.GetOrders.At().Asking("wait", "2m").String()+" HTTP/1.1\r\nHost: x\r\n"+bearer)
	dial(host, api.SendReadings.At().String()+
		" HTTP/1.1\r\nHost: x\r\nContent-Length: 100\r\nContent-Type: application/json\r\n"+bearer+"{")
	dial(host, api.BringImport.At().Asking("name", "x").String()+
		" HTTP/1.1\r\nHost: x\r\nContent-Length: 1000\r\nAuthorization: Bearer "+s.Owner.Token+"\r\n\r\nhalf")
	dial(host, "GET /health/live HTTP/1.1\r\nHost: x\r\n\r\n") // idle afterwards
	dial(host, "GET /heal")
	dial(s.Ways.MQTT, "\x10")
	quiet, _ := helloMQTT(t, s.Ways.MQTT, "pond", pond.Token)
	defer quiet.Close()
	streaming, live := make(chan bool, 10), make(chan error, 1)
	go func() {
		live <- s.Owner.Follow(context.Background(), "", func(client.Event) error { streaming <- true; return nil })
	}()
	<-streaming
	time.Sleep(300 * time.Millisecond)

	begun := time.Now()
	s.Stop()
	if took := time.Since(begun); took > 3*time.Second {
		t.Error("it stopped after", took)
	} else {
		t.Log("it stopped after", took)
	}
	answer := make([]byte, 12)
	_ = poll.SetReadDeadline(time.Now().Add(time.Second))
	if _, err := io.ReadFull(poll, answer); err != nil || string(answer) != "HTTP/1.1 204" {
		t.Errorf("a long poll was not answered: %q %v", answer, err)
	}
	select {
	case <-live:
	case <-time.After(time.Second):
		t.Error("a live stream goes on")
	}
	var left []string
	// those that have said that they end
	for end := time.Now().Add(500 * time.Millisecond); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if left = ours(); len(left) == 0 {
			break
		}
	}
	if len(left) > 0 {
		t.Errorf("%d goroutines go on:\n%s", len(left), strings.Join(left, "\n\n"))
	}
	again := servertest.On(t, database, "127.0.0.1:0")
	if n := again.Signal("pond/oxygen"); n == nil || n.Value == nil || *n.Value != 4 || len(again.Alarms()) != 1 {
		t.Errorf("what was acknowledged is not there: %+v", n)
	}
}

func helloMQTT(t *testing.T, address, user, key string) (net.Conn, error) {
	t.Helper()
	c, err := net.Dial("tcp", address)
	if err != nil {
		t.Fatal(err)
	}
	text := func(s string) string { return fmt.Sprintf("\x00%c%s", len(s), s) }
	body := text("MQTT") + "\x04\xc2\x00\x00" + text("quiet") + text(user) + text(key)
	_, _ = io.WriteString(c, fmt.Sprintf("\x10%c%s", len(body), body))
	ack := make([]byte, 4)
	_, err = io.ReadFull(c, ack)
	if err != nil || ack[3] != 0 {
		t.Fatal(ack, err)
	}
	return c, nil
}

// A service that cannot begin ends at once, says why, and leaves nothing that runs.
func TestAServiceThatCannotBeginEnds(t *testing.T) {
	storetest.Alone(t)
	busy := dumb(t)
	for name, adjust := range map[string]func(*service.Settings){
		"an address that is taken": func(o *service.Settings) { o.Metrics = busy },
		"a first owner's password": func(o *service.Settings) {
			o.Owner, o.Password = "a@hollowbrook.example", "short"
		},
		"an address that is taken, of MQTT": func(o *service.Settings) { o.MQTT = busy },
	} {
		settings := service.Settings{Database: storetest.URL(t), HTTP: "127.0.0.1:0",
			Log: slog.New(slog.DiscardHandler)}
		adjust(&settings)
		ended := make(chan error, 1)
		go func() { ended <- service.Serve(t.Context(), settings) }()
		select {
		case err := <-ended:
			if err == nil {
				t.Errorf("%s: it ended without a word", name)
			}
		case <-time.After(10 * time.Second):
			t.Fatalf("%s: it goes on", name)
		}
	}
	if left := ours(); len(left) > 0 {
		t.Errorf("%d goroutines go on:\n%s", len(left), strings.Join(left, "\n\n"))
	}
}
