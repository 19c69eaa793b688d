package coapin_test

import (
	"bufio"
	"encoding/json"
	"os/exec"
	"strings"
	"testing"
	"time"

	"jauntylark/core/drive"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// A real client observes an output: it hears what stands, what is decided at once, and each renewal; what it confirms
// is shown.
func TestOutputsByARealClient(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("shed").Token
	s.Send(s.Owner, `{"shed/vapour": 1}`)
	s.Output("shed/vent", map[string]any{"kind": "level", "expires": "9s"})
	s.Interlock("vent", map[string]any{"output": "shed/vent", "signal": "shed/vapour", "when": "above 5", "set": "60"})
	storetest.Eventually(t, "the device can ask", func() bool {
		return strings.Contains(secure(t, s, "shed", key, "get", "/outputs/vent"), `"value":0`)
	})
	command := exec.Command("stdbuf", "-oL", "coap-client-openssl", "-m", "get", "-s", "30", "-u", "shed", "-k", key,
		"coaps://"+s.Ways.CoAPS+"/outputs/vent")
	out, err := command.StdoutPipe()
	if err == nil {
		err = command.Start()
	}
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = command.Process.Kill(); _ = command.Wait() }()
	orders := make(chan drive.OutputOrder, 100)
	go func() {
		for in := bufio.NewReader(out); ; {
			text, err := in.ReadString('}')
			var o drive.OutputOrder
			if err != nil {
				close(orders)
				return
			}
			if json.Unmarshal([]byte(strings.TrimSpace(text)), &o) == nil {
				orders <- o
			}
		}
	}()
	next := func() drive.OutputOrder {
		select {
		case o := <-orders:
			return o
		case <-time.After(10 * time.Second):
			t.Fatal("no order came")
			return drive.OutputOrder{}
		}
	}
	first := next()
	if string(first.Value) != "0" || first.For != 9 {
		t.Errorf("what stands: %+v", first)
	}
	if out := secure(t, s, "shed", key, "post", "/intake", "-t", "50", "-e", `{"vapour": 9}`); !strings.Contains(out,
		"2.04") {
		t.Fatal(out)
	}
	order := next()
	for order.No == first.No {
		order = next()
	}
	if string(order.Value) != "60" {
		t.Errorf("the vapour is high: %+v", order)
	}
	if again := next(); again.No != order.No || again.Until <= order.Until {
		t.Errorf("told again: %+v", again)
	}
	for body, code := range map[string]string{`60`: "2.04", `{"value": 60, "no": 1}`: "2.04", `{"value": 400}`: "4.22",
		`{"no": 1}`: "4.00"} {
		if out := secure(t, s, "shed", key, "put", "/outputs/vent", "-t", "50", "-e", body); !strings.Contains(out,
			code) {
			t.Errorf("%s: %s", body, out)
		}
	}
	if o := s.Stands("shed/vent"); o.Confirmed == nil || *o.Confirmed != "60" || o.DiffersSince != nil {
		t.Errorf("%+v", o.State)
	}
	for says, out := range map[string]string{"4.04": secure(t, s, "shed", key, "get", "/outputs/vnet"),
		"</outputs/vent>": secure(t, s, "shed", key, "get", "/outputs"),
		"</outputs>":      plain(t, s, "get", "/.well-known/core"),
		"4.01":            plain(t, s, "get", "/outputs/vent?device=shed&key=wrong")} {
		if !strings.Contains(out, says) {
			t.Errorf("want %s: %s", says, out)
		}
	}
}
