// Package sketch writes the text that connects one device: ready to paste, with the service's
// addresses and the device's name and key filled in.
package sketch

import (
	"embed"
	"fmt"
	"net"
	"net/url"
	"strconv"
	"strings"
	"text/template"
)

// Ways are the addresses by which a service is reached; those that are empty are not open.
type Ways struct {
	HTTP  string `json:"http" doc:"base address of the HTTP API" example:"http://192.0.2.7:8080"`
	MQTT  string `json:"mqtt" doc:"HOST:PORT of MQTT"`
	MQTTS string `json:"mqtts" doc:"HOST:PORT of MQTT over TLS"`
	CoAP  string `json:"coap" doc:"HOST:PORT of CoAP without DTLS"`
	CoAPS string `json:"coaps" doc:"HOST:PORT of CoAP over DTLS"`
}

// Device is what a text is written for.
type Device struct {
	Name   string
	Key    string
	Signal string // the one that the example sends
	Ways   Ways
	// Outputs are those that the device has; the text follows orders for them, and goes to their safe states by itself.
	Outputs []Output
}

// Output is one output of the device.
type Output struct {
	Name string
	Safe string // the safe state as it is sent: a JSON value
	Pin  int    // where the example has it
}

// SafeQuoted is the safe state as a text of a program.
func (o Output) SafeQuoted() string { return strconv.Quote(o.Safe) }

// SafeShell is the safe state between apostrophes of a shell.
func (o Output) SafeShell() string { return strings.ReplaceAll(o.Safe, "'", `'\''`) }

// KeyMark stands in a text where nobody has said the key.
const KeyMark = "THE-DEVICE-KEY"

// Text is one ready text.
type Text struct {
	For      string `json:"for" enum:"curl,mqtt,coap,cpp,micropython,go"`
	Title    string `json:"title"`
	Language string `json:"language" enum:"shell,cpp,python,go"`
	Text     string `json:"text"`
}

// kinds are the texts, in the order in which they are offered.
var kinds = []Text{
	{For: "curl", Title: "curl", Language: "shell"},
	{For: "mqtt", Title: "MQTT", Language: "shell"},
	{For: "coap", Title: "CoAP", Language: "shell"},
	{For: "cpp", Title: "C++ for Wi-Fi boards", Language: "cpp"},
	{For: "micropython", Title: "MicroPython", Language: "python"},
	{For: "go", Title: "Go", Language: "go"},
}

// Kinds lists what a text can be for.
func Kinds() []string {
	names := make([]string, len(kinds))
	for i, k := range kinds {
		names[i] = k.For
	}
	return names
}

//go:embed texts
var texts embed.FS

var templates = template.Must(template.New("").Funcs(template.FuncMap{"host": host, "port": port}).ParseFS(texts,
	"texts/*"))

func host(address string) string {
	if u, err := url.Parse(address); err == nil && u.Hostname() != "" {
		return u.Hostname()
	}
	h, _, _ := net.SplitHostPort(address)
	return h
}

func port(address string) string {
	if u, err := url.Parse(address); err == nil && u.Host != "" {
		if u.Port() != "" {
			return u.Port()
		}
		if u.Scheme == "https" {
			return "443"
		}
		return "80"
	}
	_, p, _ := net.SplitHostPort(address)
	return p
}

// Write writes the text for a kind; it fails when there is no such kind, or its way in is not open.
func Write(kind string, d Device) (Text, error) {
	if d.Signal == "" {
		d.Signal = "temp"
	}
	if d.Key == "" {
		d.Key = KeyMark
	}
	for _, k := range kinds {
		if k.For != kind {
			continue
		}
		switch {
		case kind == "mqtt" && d.Ways.MQTT == "" && d.Ways.MQTTS == "":
			return k, fmt.Errorf("MQTT is not open; start the service with --mqtt HOST:PORT")
		case kind == "coap" && d.Ways.CoAP == "" && d.Ways.CoAPS == "":
			return k, fmt.Errorf("CoAP is not open; start the service with --coaps HOST:PORT")
		}
		var out strings.Builder
		err := templates.ExecuteTemplate(&out, kind, d)
		k.Text = strings.TrimSpace(out.String()) + "\n"
		return k, err
	}
	return Text{}, fmt.Errorf("there is no text for %q; there are %s", kind, strings.Join(Kinds(), ", "))
}

// All writes every text whose way in is open.
func All(d Device) []Text {
	all := make([]Text, 0, len(kinds))
	for _, k := range kinds {
		if text, err := Write(k.For, d); err == nil {
			all = append(all, text)
		}
	}
	return all
}
