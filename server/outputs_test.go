package server_test

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/server/servertest"
	"jauntylark/standin"
	"jauntylark/store/storetest"
)

// A device that asks over HTTP hears at once what is decided, and after half of the time for which orders hold what
// still does.
func TestOutputsByLongPoll(t *testing.T) {
	storetest.Long(t)
	s := servertest.Start(t)
	d := s.Device("d")
	ctx := context.Background()
	s.Send(d, `{"temp": 20}`)
	s.Output("d/fan", map[string]any{"expires": "6s", "on_sends": "open", "off_sends": "shut"})
	s.Interlock("cool", map[string]any{"output": "d/fan", "signal": "d/temp", "when": "above 30"})
	ask := func(query string) (o api.ToDevice, took time.Duration) {
		t.Helper()
		began := time.Now()
		if err := d.Call(ctx, api.GetOrders.At().Raw(query), nil, &o); err != nil {
			t.Fatal(err)
		}
		return o, time.Since(began)
	}
	var first api.ToDevice
	storetest.Eventually(t, "it is told", func() bool { first, _ = ask("outputs=0"); return len(first.Outputs) == 1 })
	if o := first.Outputs["fan"]; string(o.Value) != `"shut"` || o.For != 6 {
		t.Errorf("%+v", o)
	}
	known := first.Outputs["fan"].No
	came := make(chan api.ToDevice, 1)
	go func() { o, _ := ask(fmt.Sprintf("wait=30s&outputs=%d", known)); came <- o }()
	time.Sleep(200 * time.Millisecond)
	s.Send(d, `{"temp": 35}`)
	select {
	case o := <-came:
		if string(o.Outputs["fan"].Value) != `"open"` {
			t.Errorf("%+v", o)
		}
		known = o.Outputs["fan"].No
	case <-time.After(5 * time.Second):
		t.Fatal("the order did not come")
	}
	if o, took := ask(fmt.Sprintf("wait=30s&outputs=%d", known)); o.Outputs["fan"].No != known ||
		took < 2*time.Second || took > 5*time.Second {
		t.Errorf("renewed after %v: %+v", took, o)
	}
	if o, _ := ask("running=0"); len(o.Outputs) != 0 {
		t.Errorf("a device that knows nothing of outputs hears %+v", o)
	}
	say := func(output, body string) error {
		return d.Call(ctx, api.ConfirmOutput.At(output), json.RawMessage(body), nil)
	}
	if err := say("fan", `"open"`); err != nil || *s.Stands("d/fan").Confirmed != "on" {
		t.Error(err)
	}
	var problem *client.Problem
	for _, c := range []struct {
		output, body string
		status       int
	}{{"fan", `"on"`, 422}, {"fna", `"open"`, 422}, {"fan", `{"value": "open", "no": 9999999}`, 422},
		{"fan", `{"valeu": 1}`, 400}} {
		if problem, _ = say(c.output, c.body).(*client.Problem); problem == nil || problem.Status != c.status {
			t.Errorf("%s %s: %+v", c.output, c.body, problem)
		}
	}
	for query, says := range map[string]string{"outputs=x": "outputs:", "outputs=-1": "outputs:"} {
		if err := d.Call(ctx, api.GetOrders.At().Raw(query), nil, nil); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", query, err)
		}
	}
}

// What people do with outputs over the API, and what is refused.
func TestOutputsByHand(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	ctx := context.Background()
	s.Output("d/fan", map[string]any{"dangerous": true, "safe": "off"})
	refused := func(what string, at api.Place, body any, status int, says string) {
		t.Helper()
		problem, _ := s.Owner.Call(ctx, at, body, nil).(*client.Problem)
		if problem == nil || problem.Status != status || !strings.Contains(problem.Error(), says) {
			t.Errorf("%s: %+v", what, problem)
		}
	}
	type fields = map[string]any
	refused("not sure", api.SetOutput.At("d", "fan"), fields{"to": "on"}, 422, "sure")
	refused("no such state", api.SetOutput.At("d", "fan"), fields{"to": "half", "sure": true}, 422, "on or off")
	refused("no such output", api.SetOutput.At("d", "fna"), fields{"to": "on"}, 404, "did you mean d/fan?")
	refused("no such output", api.GetOutput.At("d", "fna"), nil, 404, "Did you mean d/fan?")
	refused("too long", api.SetOutput.At("d", "fan"), fields{"to": "on", "sure": true, "for": "30d"}, 422, "for")
	refused("no such kind", api.PutOutput.At("d", "x"), fields{"kind": "swich"}, 422, "did you mean switch?")
	refused("no such device", api.PutOutput.At("e", "x"), fields{"kind": "switch"}, 404, "device")
	refused("released", api.ReleaseOutput.At("d", "fan"), nil, 409, "not set by hand")
	refused("no such interlock", api.GetInterlock.At("x"), nil, 404, "interlock")
	refused("another name", api.PutInterlock.At("x"), fields{"name": "y", "output": "d/fan", "hours": "daily"}, 422,
		"name")
	refused("not sure", api.AllOutputsSafe.At(), fields{"sure": false}, 422, "sure")
	refused("nothing to end", api.EndAllOutputsSafe.At(), nil, 409, "nobody")
	s.Do(api.SetOutput.At("d", "fan"), fields{"to": "on", "sure": true, "for": "1h", "why": "a try"}, nil)
	if o := s.Stands("d/fan"); o.Ordered != "on" || o.By != drive.ByHand || o.Hand.Why != "a try" {
		t.Errorf("%+v", o.State)
	}
	var list api.OutputList
	s.Do(api.AllOutputsSafe.At(), fields{"sure": true, "why": "smoke"}, &list)
	if list.Emergency == nil || list.Emergency.Why != "smoke" || list.Outputs[0].Ordered != "off" ||
		list.Outputs[0].By != drive.Emergency {
		t.Errorf("%+v", list)
	}
	s.Do(api.EndAllOutputsSafe.At(), nil, nil)
	if o := s.Stands("d/fan"); o.By != drive.Rested {
		t.Errorf("%+v", o.State)
	}
}

// A simulated device follows over each way in, does what the newest order says, and goes to the safe state by itself
// when the service is gone.
func TestADeviceFollowsOverEachWay(t *testing.T) {
	storetest.Long(t)
	database := storetest.URL(t)
	s := servertest.On(t, database, "127.0.0.1:0")
	keys := map[string]string{}
	does := map[string]chan string{}
	for _, name := range []string{"http", "mqtt", "coap"} {
		keys[name] = s.Device(name).Token
		s.Send(s.Owner, fmt.Sprintf(`{"%s/level": 1}`, name))
		s.Output(name+"/fan", map[string]any{"expires": "5s", "safe": "on", "rest": "off"})
		s.Interlock(name, map[string]any{"output": name + "/fan", "signal": name + "/level", "when": "above 5"})
		does[name] = make(chan string, 100)
	}
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	mqtt, err := standin.DialMQTT(ctx, s.Ways.MQTT, "mqtt", keys["mqtt"])
	if err != nil {
		t.Fatal(err)
	}
	for name, link := range map[string]standin.Link{"http": standin.HTTP{To: &client.Client{URL: s.URL,
		Token: keys["http"]}}, "mqtt": mqtt, "coap": &standin.CoAP{Address: s.Ways.CoAPS, Name: "coap",
		Key: keys["coap"]}} {
		d := &standin.Device{Name: name, Every: time.Hour,
			Outputs: []standin.Output{{Name: "fan", Set: func(word string, _ time.Time) { does[name] <- word }}}}
		go d.Run(ctx, link, func(error) {})
	}
	follows := func(what, word string) {
		t.Helper()
		for name, c := range does {
			for got := ""; got != word; {
				select {
				case got = <-c:
				case <-time.After(20 * time.Second):
					t.Fatalf("%s: %s does not do %s", what, name, word)
				}
			}
		}
	}
	follows("at first", "0")
	for name := range does {
		s.Send(s.Owner, fmt.Sprintf(`{"%s/level": 9}`, name))
	}
	follows("driven", "1")
	storetest.Eventually(t, "all confirm", func() bool {
		for name := range does {
			if o := s.Stands(name + "/fan"); o.Confirmed == nil || *o.Confirmed != "on" || o.DiffersSince != nil {
				return false
			}
		}
		return true
	})
	for name := range does {
		s.Send(s.Owner, fmt.Sprintf(`{"%s/level": 1}`, name))
	}
	follows("not driven any more", "0")
	s.Stop()
	follows("the service is gone", "1") // the safe state
}

// A device that lies is an alarm, told like any other, and over when it does what it was ordered.
func TestALyingDeviceIsTold(t *testing.T) {
	storetest.Long(t)
	s := servertest.Start(t)
	d := s.Device("d")
	s.Send(d, `{"temp": 20}`)
	s.Guard(map[string]any{"signal": "d/temp", "when": "above 90", "tell": []string{"orla@hollowbrook.example"}})
	s.Output("d/fan", map[string]any{"confirm_within": "1s"})
	say := func(word string) {
		if err := d.Call(context.Background(), api.ConfirmOutput.At("fan"), json.RawMessage(word), nil); err != nil {
			t.Fatal(err)
		}
	}
	say("0")
	s.Do(api.SetOutput.At("d", "fan"), map[string]any{"to": "on"}, nil)
	say("0")
	storetest.Eventually(t, "it is told", func() bool { return len(s.Inbox.Messages()) == 1 })
	if m := s.Inbox.Messages()[0]; m.Subject != "Warning: D fan is not as ordered: it was told to be on, and its "+
		"device says that it is off" || strings.Contains(m.Text, "It reads") {
		t.Errorf("%s\n%s", m.Subject, m.Text)
	}
	say("1")
	storetest.Eventually(t, "it is over", func() bool { return len(s.Inbox.Messages()) == 2 })
	if a := s.Alarms(); len(a) != 1 || a[0].State != alarm.StateOver || a[0].Kind != alarm.ByOutput {
		t.Errorf("%+v", a)
	}
	if m := s.Inbox.Messages()[1]; !strings.HasPrefix(m.Subject, "Over after ") ||
		!strings.HasSuffix(m.Subject, "D fan was not as ordered") {
		t.Error(m.Subject)
	}
}
