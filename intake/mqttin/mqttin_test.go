package mqttin_test

import (
	"bufio"
	"context"
	"encoding/json"
	"net"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/eclipse/paho.golang/paho"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// pub publishes with Debian's own client.
func pub(t *testing.T, s *servertest.Service, user, key string, args ...string) (string, error) {
	t.Helper()
	host, port, _ := net.SplitHostPort(s.Ways.MQTT)
	return servertest.Command(t, "mosquitto_pub", append([]string{"-h", host, "-p", port, "-u", user, "-P", key},
		args...)...)
}

// sub starts Debian's own client on topics and gives the lines that it prints, after it has subscribed.
func sub(t *testing.T, s *servertest.Service, user, key string, topics ...string) <-chan string {
	t.Helper()
	host, port, _ := net.SplitHostPort(s.Ways.MQTT)
	args := []string{"-h", host, "-p", port, "-u", user, "-P", key, "-v", "-d"}
	for _, topic := range topics {
		args = append(args, "-t", topic)
	}
	command := exec.Command("stdbuf", append([]string{"-oL", "mosquitto_sub"}, args...)...)
	out, err := command.StdoutPipe()
	if err == nil {
		err = command.Start()
	}
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = command.Process.Kill(); _ = command.Wait() })
	lines := make(chan string, 100)
	subscribed := make(chan struct{})
	go func() {
		for in := bufio.NewScanner(out); in.Scan(); {
			line := in.Text()
			switch {
			case strings.HasPrefix(line, "Subscribed"):
				close(subscribed)
			case strings.HasPrefix(line, "jaunty/"):
				lines <- line
			}
		}
		close(lines)
	}()
	select {
	case <-subscribed:
	case <-time.After(10 * time.Second):
		t.Fatal("mosquitto_sub did not subscribe")
	}
	return lines
}

func next(t *testing.T, lines <-chan string) string {
	t.Helper()
	select {
	case line := <-lines:
		return line
	case <-time.After(10 * time.Second):
		t.Fatal("nothing came down")
		return ""
	}
}

func TestReadingsByARealClient(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("pond").Token
	for i, args := range [][]string{
		{"-q", "0", "-m", `{"temp": 21.5, "q": 0}`}, {"-q", "1", "-m", `{"temp": 21.5, "q": 1}`},
		{"-q", "2", "-m", `{"temp": 21.5, "q": 2}`},
		{"-V", "mqttv5", "-q", "1", "-m", `[{"n":"temp","u":"Cel","v":21.5},{"n":"q","v":3}]`},
		{"-V", "mqttv5", "-q", "2", "-m", `{"temp": 21.5, "q": 4}`},
		{"-V", "mqttv311", "-q", "1", "-r", "-m", `{"temp": 21.5, "q": 5}`},
	} {
		if out, err := pub(t, s, "pond", key, append([]string{"-t", "jaunty/pond/readings"}, args...)...); err != nil {
			t.Fatalf("%v: %s %v", args, out, err)
		}
		storetest.Eventually(t, "the reading is there", func() bool {
			q := s.Signal("pond/q")
			return q != nil && *q.Value == float64(i)
		})
	}
	for topic, message := range map[string]string{"level": "7.25", "door": "true", "state": `"idle"`} {
		if out, err := pub(t, s, "pond", key, "-q", "1", "-t", "jaunty/pond/readings/"+topic, "-m",
			message); err != nil {
			t.Fatal(out, err)
		}
	}
	if v := s.Signal("pond/level"); v == nil || *v.Value != 7.25 {
		t.Errorf("a bare number: %+v", v)
	}
	if v := s.Signal("pond/door"); v == nil || v.Kind != site.KindSwitch || *v.Value != 1 {
		t.Errorf("bare true: %+v", v)
	}
	if v := s.Signal("pond/state"); v == nil || v.Text == nil || *v.Text != "idle" {
		t.Errorf("bare text: %+v", v)
	}
	storetest.Eventually(t, "how it came is known", func() bool {
		d := s.Look("pond")
		return d.Protocol == "MQTT" && d.Address == "127.0.0.1"
	})
	if lines := sub(t, s, "pond", key, "jaunty/pond/#"); len(lines) != 0 {
		t.Errorf("readings are not kept by the broker: %q", <-lines)
	}
}

func TestWhoMayDoWhat(t *testing.T) {
	s := servertest.Start(t)
	pond, other := s.Device("pond").Token, s.Device("other").Token
	for _, c := range [][2]string{{"pond", "wrong"}, {"pond", other}, {"nobody", pond}, {"", ""}} {
		if out, err := pub(t, s, c[0], c[1], "-q", "1", "-t", "jaunty/pond/readings", "-m", `{"temp": 1}`); err == nil {
			t.Errorf("%q was let in: %s", c, out)
		}
	}
	lines := sub(t, s, "other", other, "jaunty/other/refused")
	for topic, says := range map[string]string{
		"jaunty/pond/readings": "under its own name alone", "jaunty/other/reading": "did you mean readings?",
		"else": "no topic of a device", "jaunty/other/readings/Bad": "perhaps",
	} {
		if out, err := pub(t, s, "other", other, "-q", "1", "-t", topic, "-m", `{"temp": 1}`); err != nil {
			t.Errorf("on 3.1.1 a refused message is acknowledged: %s %v", out, err)
		}
		if line := next(t, lines); !strings.Contains(line, says) {
			t.Errorf("%s: %q, want %q", topic, line, says)
		}
	}
	if out, _ := pub(t, s, "other", other, "-V", "mqttv5", "-d", "-q", "1", "-t", "jaunty/pond/readings", "-m",
		`{"temp": 1}`); !strings.Contains(out, "RC:135") {
		t.Errorf("on 5 it is told so: %s", out)
	}
	next(t, lines)
	if s.Signal("pond/temp") != nil {
		t.Error("another device's reading was taken")
	}
	if out, err := pub(t, s, "other", other, "-q", "1", "-t", "jaunty/other/readings", "-m",
		`{"temp": 1, "bad": null}`); err != nil {
		t.Fatal(out, err)
	}
	if line := next(t, lines); !strings.Contains(line, `"signal":"bad"`) {
		t.Errorf("a record that was refused: %q", line)
	}
	host, port, _ := net.SplitHostPort(s.Ways.MQTT)
	if out, err := servertest.Command(t, "mosquitto_sub", "-h", host, "-p", port, "-u", "other", "-P", other, "-t",
		"jaunty/pond/#", "-t", "#", "-W", "1", "-d"); !strings.Contains(out, "128, 128") {
		t.Errorf("it may read what is another's: %s %v", out, err)
	}
	storetest.Eventually(t, "what was wrong stands on the device's page",
		func() bool { return strings.Contains(s.Look("other").Refused, "bad") })
	var story struct{ Knocks []site.Knock }
	storetest.Eventually(t, "the unknown key is noted", func() bool {
		s.Do(api.GetDevice.At("pond"), nil, &story)
		return len(story.Knocks) > 0 && story.Knocks[0].Protocol == "MQTT"
	})
}

func TestAGatewayOverMQTT(t *testing.T) {
	s := servertest.Start(t)
	hub := s.Device("hub").Token
	s.Do(api.AddDevice.At(), map[string]string{"name": "leaf", "behind": "hub"}, nil)
	for topic, message := range map[string]string{"jaunty/hub/readings": `[{"bn":"leaf/","n":"a","v":1}]`,
		"jaunty/leaf/readings": `{"b": 2}`, "jaunty/leaf/readings/c": "3"} {
		if out, err := pub(t, s, "hub", hub, "-q", "1", "-t", topic, "-m", message); err != nil {
			t.Fatal(out, err)
		}
	}
	for path, want := range map[string]float64{"leaf/a": 1, "leaf/b": 2, "leaf/c": 3} {
		if v := s.Signal(path); v == nil || *v.Value != want {
			t.Errorf("%s: %+v", path, v)
		}
	}
}

// Orders are retained, so that a device gets them when it comes; what it runs is confirmed.
func TestOrdersOverMQTT(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("pond").Token
	s.Do(api.OrderSettings.At("pond"), map[string]any{"interval": "5m", "values": map[string]string{"led": "off"}}, nil)
	var order site.Order
	lines := sub(t, s, "pond", key, "jaunty/pond/settings")
	if err := json.Unmarshal([]byte(strings.TrimPrefix(next(t, lines), "jaunty/pond/settings ")), &order); err != nil ||
		order.Version != 1 || order.Interval != 300 || order.Values["led"] != "off" {
		t.Errorf("%+v %v", order, err)
	}
	s.Do(api.OrderSettings.At("pond"), map[string]any{"interval": "1m"}, nil)
	if line := next(t, lines); !strings.Contains(line, `"version":2`) {
		t.Errorf("the newer order: %s", line)
	}
	if out, err := pub(t, s, "pond", key, "-q", "1", "-t", "jaunty/pond/settings/running", "-m",
		`{"version": 1, "interval": 300}`); err != nil {
		t.Fatal(out, err)
	}
	if d := s.Look("pond"); d.RunningNo != 1 || d.Version != 2 || d.Running.Interval.String() != "5m" {
		t.Errorf("ordered 1m, runs 5m: %+v", d)
	}
	refused := sub(t, s, "pond", key, "jaunty/pond/refused")
	if out, err := pub(t, s, "pond", key, "-q", "1", "-t", "jaunty/pond/settings/running", "-m", "9"); err != nil {
		t.Fatal(out, err)
	}
	if line := next(t, refused); !strings.Contains(line, "newest that was ordered is 2") {
		t.Error(line)
	}
}

// A revoked key's open connection is closed, whichever process revoked it.
func TestARevokedKeysConnectionIsClosed(t *testing.T) {
	database := storetest.URL(t)
	s := servertest.On(t, database, "127.0.0.1:0")
	other := servertest.On(t, database, "127.0.0.1:0")
	key := s.Device("pond").Token
	host, port, _ := net.SplitHostPort(s.Ways.MQTT)
	client := exec.Command("stdbuf", "-oL", "mosquitto_sub", "-h", host, "-p", port, "-u", "pond", "-P", key, "-t",
		"jaunty/pond/settings", "--will-topic", "jaunty/pond/presence", "--will-payload", "gone", "-d")
	out, _ := client.StdoutPipe()
	if err := client.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = client.Process.Kill(); _ = client.Wait() }()
	storetest.Eventually(t, "it is connected", func() bool { return s.Look("pond").Connected })
	refused := make(chan bool, 1)
	go func() {
		for in := bufio.NewScanner(out); in.Scan(); {
			if strings.Contains(in.Text(), "CONNACK (5)") || strings.Contains(in.Text(), "not authorised") {
				refused <- true
			}
		}
		refused <- true // it has ended
	}()
	var keys []site.Key
	other.Do(api.ListKeys.At("pond"), nil, &keys)
	other.Do(api.RevokeKey.At("pond", itoa(keys[0].ID)), nil, nil)
	select {
	case <-refused:
	case <-time.After(15 * time.Second):
		t.Fatal("the connection is still open")
	}
	storetest.Eventually(t, "its will is in the journal", func() bool {
		var journal []site.Entry
		s.Do(api.ListJournal.At(), nil, &journal)
		for _, e := range journal {
			if e.Kind == "device dropped" && strings.Contains(e.Text, "gone") {
				return true
			}
		}
		return false
	})
}

func itoa(n int64) string { b, _ := json.Marshal(n); return string(b) }

func TestAStrangerOverMQTT(t *testing.T) {
	s := servertest.Start(t)
	var enrolment struct{ Key string }
	s.Do(api.NewEnrolment.At(), nil, &enrolment)
	if out, err := pub(t, s, "stranger", enrolment.Key, "-q", "1", "-t", "jaunty/stranger/readings", "-m",
		`{"soil": 12}`); err != nil {
		t.Fatal(out, err)
	}
	var arrivals []site.Arrival
	s.Do(api.ListArrivals.At(), nil, &arrivals)
	if len(arrivals) != 1 || arrivals[0].Name != "stranger" || len(arrivals[0].Signals) != 1 ||
		arrivals[0].Signals[0].Value != 12 {
		t.Fatalf("%+v", arrivals)
	}
	s.Do(api.LetIn.At("stranger"), map[string]string{}, nil)
	if v := s.Signal("stranger/soil"); v == nil || *v.Value != 12 {
		t.Errorf("%+v", v)
	}
}

// gated runs a service whose database can be cut off, and gives a connected MQTT 5 client.
func gated(t *testing.T) (*servertest.Service, *storetest.Gate, *paho.Client) {
	t.Helper()
	gate := storetest.NewGate(t, storetest.URL(t))
	s := servertest.On(t, gate.URL, "127.0.0.1:0")
	key := s.Device("pond").Token
	s.Send(s.Owner, `{"pond/v": 0}`)
	conn, err := net.Dial("tcp", s.Ways.MQTT)
	if err != nil {
		t.Fatal(err)
	}
	c := paho.NewClient(paho.ClientConfig{Conn: conn, ClientID: "c"})
	if _, err := c.Connect(context.Background(), &paho.Connect{Username: "pond", UsernameFlag: true,
		Password: []byte(key), PasswordFlag: true, KeepAlive: 30, CleanStart: true}); err != nil {
		t.Fatal(err)
	}
	return s, gate, c
}

// While the database is away nothing is acknowledged: the connection is closed, so that the client
// sends again.
func TestNothingIsAcknowledgedWhileTheDatabaseIsAway(t *testing.T) {
	_, gate, c := gated(t)
	ctx, cancel := context.WithTimeout(context.Background(), 15*time.Second)
	defer cancel()
	if _, err := c.Publish(ctx, &paho.Publish{Topic: "jaunty/pond/readings", QoS: 1,
		Payload: []byte(`{"v": 1}`)}); err != nil {
		t.Fatal(err)
	}
	gate.Shut()
	defer gate.Open()
	acknowledged := make(chan struct{})
	go func() {
		if answer, _ := c.Publish(ctx, &paho.Publish{Topic: "jaunty/pond/readings", QoS: 1,
			Payload: []byte(`{"v": 2}`)}); answer != nil {
			close(acknowledged)
		}
	}()
	select {
	case <-c.Done():
	case <-acknowledged:
		t.Fatal("a reading was acknowledged")
	case <-ctx.Done():
		t.Fatal("the connection is still open")
	}
}

// One client's messages in flight share commits, are acknowledged in order, and are all there.
func TestMessagesInFlight(t *testing.T) {
	s, _, c := gated(t)
	const messages = 500
	failed := make(chan error, messages)
	slots := make(chan struct{}, 50)
	for i := range messages {
		slots <- struct{}{}
		go func() {
			defer func() { <-slots }()
			qos := byte(1 + i%2)
			_, err := c.Publish(context.Background(), &paho.Publish{Topic: "jaunty/pond/readings/n", QoS: qos,
				Payload: []byte(itoa(int64(i)))})
			failed <- err
		}()
	}
	for range messages {
		if err := <-failed; err != nil {
			t.Fatal(err)
		}
	}
	var page struct{ Readings []struct{ Value float64 } }
	s.Do(api.ListReadings.At("pond", "n"), nil, &page)
	seen := map[float64]int{}
	for _, r := range page.Readings {
		seen[r.Value]++
	}
	if len(seen) != messages || len(page.Readings) != messages {
		t.Errorf("%d readings of %d values, want %d", len(page.Readings), len(seen), messages)
	}
}
