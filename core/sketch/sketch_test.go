package sketch

import (
	"strings"
	"testing"
)

var device = Device{Name: "pond", Key: "k3y", Signal: "oxygen", Ways: Ways{HTTP: "http://192.0.2.7:8080",
	MQTT: "192.0.2.7:1883", CoAP: "192.0.2.7:5683", CoAPS: "192.0.2.7:5684"}}

func TestEachTextCarriesNameKeyAndAddress(t *testing.T) {
	all := All(device)
	if len(all) != len(Kinds()) {
		t.Fatalf("%d texts of %d", len(all), len(Kinds()))
	}
	for _, text := range all {
		for _, part := range []string{"k3y", "oxygen", "192.0.2.7"} {
			if !strings.Contains(text.Text, part) {
				t.Errorf("%s lacks %s:\n%s", text.For, part, text.Text)
			}
		}
		if strings.Contains(text.Text, "{{") || strings.Contains(text.Text, "<no value>") {
			t.Errorf("%s is not filled in:\n%s", text.For, text.Text)
		}
	}
}

// With outputs each text says how they are followed and confirmed, whatever their safe states are.
func TestEachTextFollowsTheOutputs(t *testing.T) {
	d := device
	d.Outputs = []Output{{Name: "fan", Safe: "1", Pin: 4}, {Name: "sign", Safe: `"it's shut"`, Pin: 5}}
	for _, text := range All(d) {
		for _, part := range []string{"outputs", "fan", "sign", "value"} {
			if !strings.Contains(text.Text, part) {
				t.Errorf("%s lacks %s:\n%s", text.For, part, text.Text)
			}
		}
		if strings.Contains(text.Text, "{{") || strings.Contains(text.Text, "<no value>") {
			t.Errorf("%s is not filled in:\n%s", text.For, text.Text)
		}
		if text.Language == "shell" && strings.Contains(text.Text, "it's") {
			t.Errorf("%s breaks the shell:\n%s", text.For, text.Text)
		}
	}
}

func TestWaysThatAreNotOpen(t *testing.T) {
	d := device
	d.Ways = Ways{HTTP: "https://lark.example.org/site"}
	if got := All(d); len(got) != 4 {
		t.Errorf("%d texts", len(got))
	}
	if _, err := Write("coap", d); err == nil || !strings.Contains(err.Error(), "--coaps") {
		t.Error(err)
	}
	if _, err := Write("basic", d); err == nil || !strings.Contains(err.Error(), "micropython") {
		t.Error(err)
	}
	d.Key, d.Signal, d.Ways.MQTTS = "", "", "lark.example.org:8883"
	text, err := Write("mqtt", d)
	if err != nil || !strings.Contains(text.Text, "--tls-use-os-certs") || !strings.Contains(text.Text, KeyMark) ||
		!strings.Contains(text.Text, `{"temp": 21.5}`) {
		t.Errorf("%s %v", text.Text, err)
	}
	d.Ways = Ways{HTTP: "http://x", CoAP: "192.0.2.7:5683"}
	if text, err := Write("coap", d); err != nil || !strings.Contains(text.Text, "coap-client-notls") {
		t.Errorf("%s %v", text.Text, err)
	}
}
