package mqttin_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/core/drive"
	"jauntylark/server/servertest"
	"jauntylark/service"
	"jauntylark/store/storetest"
)

// heard takes an order apart: "jaunty/pond/outputs/fan {...}".
func heard(t *testing.T, line, topic string) (o drive.OutputOrder) {
	t.Helper()
	body, found := strings.CutPrefix(line, topic+" ")
	if err := json.Unmarshal([]byte(body), &o); !found || err != nil {
		t.Fatalf("%q is no order on %s: %v", line, topic, err)
	}
	return o
}

// fanOn makes a fan of the device pond that runs while the level is high, and gives the device's key.
func fanOn(t *testing.T, s *servertest.Service, fields map[string]any) string {
	t.Helper()
	key := s.Device("pond").Token
	s.Send(s.Owner, `{"pond/level": 1}`)
	s.Output("pond/fan", fields)
	s.Interlock("level-fan", map[string]any{"output": "pond/fan", "signal": "pond/level", "when": "above 5"})
	return key
}

// A real client is a device: it hears what stands, at once what is decided because of its own reading, and each order
// again until it has confirmed it; what it confirms is shown.
func TestOutputsByARealClient(t *testing.T) {
	s := servertest.Start(t)
	key := fanOn(t, s, map[string]any{"on_sends": "0", "off_sends": "1", "expires": "9s", "safe": "off"})
	const topic = "jaunty/pond/outputs/fan"
	lines := sub(t, s, "pond", key, "jaunty/pond/outputs/+")
	first := heard(t, next(t, lines), topic)
	if string(first.Value) != "1" || string(first.Safe) != "1" || first.For != 9 || first.No == 0 || first.Until == 0 {
		t.Errorf("what stands: %+v", first)
	}
	if out, err := pub(t, s, "pond", key, "-q", "1", "-t", "jaunty/pond/readings/level", "-m", "7"); err != nil {
		t.Fatal(out, err)
	}
	order := heard(t, next(t, lines), topic)
	for order.No == first.No { // repeated meanwhile
		order = heard(t, next(t, lines), topic)
	}
	if string(order.Value) != "0" {
		t.Errorf("the level is high: %+v", order)
	}
	if again := heard(t, next(t, lines), topic); again.No != order.No || again.Until <= order.Until {
		t.Errorf("told again until confirmed: %+v after %+v", again, order)
	}
	for _, c := range []struct {
		payload string
		want    drive.Value
	}{{`{"value": 1, "no": ` + itoa(first.No) + `}`, "off"}, {"0", "on"}} {
		if out, err := pub(t, s, "pond", key, "-q", "1", "-t", topic+"/confirmed", "-m", c.payload); err != nil {
			t.Fatal(out, err)
		}
		storetest.Eventually(t, "it is confirmed", func() bool {
			o := s.Stands("pond/fan")
			return o.Confirmed != nil && *o.Confirmed == c.want
		})
		if o := s.Stands("pond/fan"); (o.DiffersSince == nil) != (c.want == "on") {
			t.Errorf("ordered %s, confirmed %s: differs since %v", o.Ordered, *o.Confirmed, o.DiffersSince)
		}
	}
	for payload, says := range map[string]string{"7": "neither what on sends",
		`{"value": 0, "no": 99999999}`: "newest order", `{"vale": 0}`: "no report"} {
		complaints := sub(t, s, "pond", key, "jaunty/pond/refused")
		if out, err := pub(t, s, "pond", key, "-q", "1", "-t", topic+"/confirmed", "-m", payload); err != nil {
			t.Fatal(out, err)
		}
		if got := next(t, complaints); !strings.Contains(got, says) {
			t.Errorf("%s: %s", payload, got)
		}
	}
	s.Do(api.RemoveOutput.At("pond", "fan"), nil, nil)
	for { // the output is gone, and so is what stood
		if line := next(t, lines); line == topic+" (null)" {
			break
		}
	}
}

// A device that comes back after a long time hears the newest order and nothing of those between.
func TestADeviceThatWasAwayHearsTheNewestAlone(t *testing.T) {
	s := servertest.Start(t)
	key := fanOn(t, s, nil)
	for range 10 {
		s.Send(s.Owner, `{"pond/level": 9}`)
		s.Send(s.Owner, `{"pond/level": 1}`)
	}
	s.Send(s.Owner, `{"pond/level": 8}`)
	no := s.Stands("pond/fan").No
	storetest.Eventually(t, "the broker has the newest", func() bool {
		lines := sub(t, s, "pond", key, "jaunty/pond/outputs/fan")
		return heard(t, next(t, lines), "jaunty/pond/outputs/fan").No == no
	})
	lines := sub(t, s, "pond", key, "jaunty/pond/outputs/fan")
	if o := heard(t, next(t, lines), "jaunty/pond/outputs/fan"); o.No != no || string(o.Value) != "1" {
		t.Errorf("%+v, not order %d", o, no)
	}
}

// Other devices hear nothing of a device's outputs, and cannot confirm them; a gateway does so for those behind it.
func TestWhoHearsOrders(t *testing.T) {
	s := servertest.Start(t)
	fanOn(t, s, nil)
	other := s.Device("other").Token
	if got, open := <-sub(t, s, "other", other, "jaunty/pond/outputs/fan"); open {
		t.Errorf("another device hears %s", got)
	}
	strange := sub(t, s, "other", other, "jaunty/other/#")
	if out, err := pub(t, s, "other", other, "-q", "1", "-t", "jaunty/pond/outputs/fan/confirmed", "-m",
		"0"); err != nil {
		t.Fatal(out, err)
	}
	if got := next(t, strange); !strings.Contains(got, "jaunty/other/refused") {
		t.Errorf("another device is told %s", got)
	}
	if s.Stands("pond/fan").Confirmed != nil {
		t.Error("another device has confirmed")
	}
	s.Do(api.SetDevice.At("pond"), map[string]string{"behind": "other"}, nil)
	storetest.Eventually(t, "the gateway hears and confirms", func() bool {
		lines := sub(t, s, "other", other, "jaunty/pond/outputs/fan")
		select {
		case line, open := <-lines:
			if !open { // not yet
				return false
			}
			heard(t, line, "jaunty/pond/outputs/fan")
		case <-time.After(time.Second):
			return false
		}
		_, err := pub(t, s, "other", other, "-q", "1", "-t", "jaunty/pond/outputs/fan/confirmed", "-m", "0")
		return err == nil && s.Stands("pond/fan").Confirmed != nil
	})
}

// While the database is away orders are not renewed, so that devices go to their safe states; afterwards they are
// again.
func TestNothingIsRenewedWhileTheDatabaseIsAway(t *testing.T) {
	gate := storetest.NewGate(t, storetest.URL(t))
	s := servertest.On(t, gate.URL, "127.0.0.1:0")
	key := fanOn(t, s, map[string]any{"expires": "6s", "mute": true})
	lines := sub(t, s, "pond", key, "jaunty/pond/outputs/fan")
	for range 3 {
		next(t, lines) // renewed every two seconds
	}
	gate.Shut()
	time.Sleep(4 * time.Second) // what was known holds for a little
	for len(lines) > 0 {
		<-lines
	}
	select {
	case line, open := <-lines:
		if open {
			t.Errorf("renewed while nobody could decide anything: %s", line)
		}
	case <-time.After(5 * time.Second):
	}
	gate.Open()
	storetest.Eventually(t, "orders are renewed again", func() bool {
		select {
		case <-sub(t, s, "pond", key, "jaunty/pond/outputs/fan"):
			return true
		case <-time.After(3 * time.Second):
			return false
		}
	})
}

// What one process decides is told by the broker of another.
func TestAnOrderReachesADeviceOfAnotherProcess(t *testing.T) {
	database := storetest.URL(t)
	one := servertest.On(t, database, "127.0.0.1:0")
	two := servertest.On(t, database, "127.0.0.1:0", func(o *service.Settings) { o.Owner = "" })
	key := fanOn(t, one, nil)
	var lines <-chan string
	storetest.Eventually(t, "the other process knows the device", func() bool {
		out, err := pub(t, two, "pond", key, "-q", "1", "-t", "jaunty/pond/readings/x", "-m", "1")
		return err == nil && out == ""
	})
	lines = sub(t, two, "pond", key, "jaunty/pond/outputs/fan")
	one.Send(one.Owner, `{"pond/level": 9}`)
	for string(heard(t, next(t, lines), "jaunty/pond/outputs/fan").Value) != "1" {
	}
	one.Send(one.Owner, `{"pond/level": 1}`)
	for string(heard(t, next(t, lines), "jaunty/pond/outputs/fan").Value) != "0" {
	}
}
