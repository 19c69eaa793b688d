package notify

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/cbroglie/mustache"
	"github.com/goccy/go-yaml"

	"jauntylark/core/prose"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// Gateway describes how a carrier is reached through somebody's HTTP gateway (docs/carriers.md). Address, headers and
// body are Mustache templates.
type Gateway struct {
	Address string            `yaml:"address"`
	Method  string            `yaml:"method"`  // POST when left out
	Headers map[string]string `yaml:"headers"` // Content-Type among them
	Body    string            `yaml:"body"`
	Success Success           `yaml:"success"`
	ID      string            `yaml:"id"` // where in the answer the gateway's ID of the message is: message.id
	Receipt ReceiptForm       `yaml:"receipt"`
	Reply   ReplyForm         `yaml:"reply"`

	address, body *mustache.Template
	headers       map[string]*mustache.Template
}

// Success says which answers mean that the gateway has taken a message.
type Success struct {
	Status []int  `yaml:"status"` // 200 to 299 when left out
	Field  string `yaml:"field"`  // a field of the answer that must be Is
	Is     string `yaml:"is"`
}

// ReceiptForm says how a callback tells what became of a message.
type ReceiptForm struct {
	ID        string   `yaml:"id"`    // field with the gateway's ID of the message
	State     string   `yaml:"state"` // field with what became of it
	Delivered []string `yaml:"delivered"`
	Failed    []string `yaml:"failed"`
	Reason    string   `yaml:"reason"` // field with why it failed
}

// ReplyForm says how a callback tells what somebody answered.
type ReplyForm struct {
	Text string `yaml:"text"` // field with the answer, or the key that was pressed
	From string `yaml:"from"` // field with who answered
	ID   string `yaml:"id"`   // field with the gateway's ID of the message that was answered
}

// Sent is what the templates of a gateway can say.
var Sent = []string{"to", "text", "subject", "id", "kind", "severity", "link", "callback"}

// ParseGateways reads the description of gateways: YAML, a gateway for each of text, voice and chat.
func ParseGateways(text []byte) (map[string]*Gateway, error) {
	all := map[string]*Gateway{}
	if err := yaml.UnmarshalWithOptions(text, &all, yaml.Strict()); err != nil {
		return nil, errors.New(strings.TrimSpace(yaml.FormatError(err, false, true)))
	}
	for name, g := range all {
		if !slices.Contains(roster.Gateways, name) {
			return nil, errors.New(site.Unknown("carrier", name, roster.Gateways) + "; " +
				prose.List(roster.Gateways) + " go through gateways")
		}
		if g == nil {
			return nil, fmt.Errorf("%s: says nothing", name)
		}
		if err := g.compile(); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
	}
	return all, nil
}

func (g *Gateway) compile() (err error) {
	if g.Address == "" {
		return errors.New("address is missing")
	}
	if g.Method == "" {
		g.Method = http.MethodPost
	}
	if g.address, err = parse("address", g.Address, url.QueryEscape); err != nil {
		return err
	}
	if u, err := url.Parse(strings.NewReplacer("{{", "", "}}", "").Replace(g.Address)); err != nil || u.Host == "" ||
		(u.Scheme != "http" && u.Scheme != "https") {
		return fmt.Errorf("address %q is not one like https://gateway.example/messages", g.Address)
	}
	g.headers = map[string]*mustache.Template{}
	for name, value := range g.Headers {
		if g.headers[name], err = parse("headers."+name, value,
			func(s string) string { return strings.NewReplacer("\r", " ", "\n", " ").Replace(s) }); err != nil {
			return err
		}
	}
	g.body, err = parse("body", g.Body, escapeFor(g.contentType()))
	return err
}

func (g *Gateway) contentType() string {
	for name, value := range g.Headers {
		if strings.EqualFold(name, "Content-Type") {
			return value
		}
	}
	return "application/json"
}

// escapeFor gives how a value is written into a body of a kind.
func escapeFor(contentType string) mustache.EscapeFunc {
	switch {
	case strings.Contains(contentType, "json"):
		return func(s string) string {
			quoted, _ := json.Marshal(s)
			return string(quoted[1 : len(quoted)-1])
		}
	case strings.Contains(contentType, "form"):
		return url.QueryEscape
	case strings.Contains(contentType, "xml"), strings.Contains(contentType, "html"):
		return html.EscapeString
	}
	return func(s string) string { return s }
}

func parse(field, text string, escape mustache.EscapeFunc) (*mustache.Template, error) {
	t, err := mustache.ParseString(text)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", field, err)
	}
	t.Escape(escape)
	for _, tag := range t.Tags() {
		if tag.Type() == mustache.Variable {
			known := false
			for _, name := range Sent {
				known = known || name == tag.Name()
			}
			if !known {
				return nil, fmt.Errorf("%s: %s; there are %s", field, site.Unknown("placeholder", tag.Name(), Sent),
					strings.Join(Sent, ", "))
			}
		}
	}
	return t, nil
}

// Through sends notices of one carrier through a gateway.
type Through struct {
	*Gateway
	Client   *http.Client
	Callback string // address at which the gateway calls back; empty: none
}

// Send makes one request.
func (t *Through) Send(ctx context.Context, n roster.Notice) Result {
	says := map[string]string{"to": n.Address, "text": n.Text, "subject": n.Subject, "id": "notice-" +
		strconv.FormatInt(n.ID, 10), "kind": n.Kind,
		"severity": string(n.Severity), "link": n.Route.Link, "callback": t.Callback}
	address, err := t.address.Render(says)
	if err != nil {
		return Result{Answer: err.Error(), Final: true}
	}
	body, err := t.body.Render(says)
	if err != nil {
		return Result{Answer: err.Error(), Final: true}
	}
	r, err := http.NewRequestWithContext(ctx, t.Method, address, bytes.NewReader([]byte(body)))
	if err != nil {
		return Result{Answer: "the gateway's address is wrong", Final: true}
	}
	r.Header.Set("Content-Type", t.contentType())
	r.Header.Set("Idempotency-Key", says["id"])
	for name, value := range t.headers {
		text, err := value.Render(says)
		if err != nil {
			return Result{Answer: err.Error(), Final: true}
		}
		r.Header.Set(name, text)
	}
	status, answer, again, err := ask(t.Client, r)
	result := judged(status, answer, again, err)
	if err == nil {
		t.readAnswer(&result, status, answer)
	}
	return result
}

// readAnswer settles what an answer means by the gateway's description.
func (t *Through) readAnswer(r *Result, status int, body []byte) {
	if len(t.Success.Status) > 0 {
		r.OK = false
		for _, good := range t.Success.Status {
			r.OK = r.OK || status == good
		}
	}
	fields := Fields(body, "application/json")
	if r.OK && t.Success.Field != "" && fields[t.Success.Field] != t.Success.Is {
		r.OK, r.Final = false, true
		r.Answer = fmt.Sprintf("%s is %q, not %q: %s", t.Success.Field, fields[t.Success.Field], t.Success.Is, r.Answer)
	}
	if r.OK && t.ID != "" {
		r.ID = fields[t.ID]
	}
}

// Fields reads the fields of a body, JSON or a form, by their paths: {"message": {"id": 7}} has message.id. A body that
// cannot be read has none.
func Fields(body []byte, contentType string) map[string]string {
	fields := map[string]string{}
	if strings.Contains(contentType, "form") {
		if values, err := url.ParseQuery(string(body)); err == nil {
			for name := range values {
				fields[name] = values.Get(name)
			}
		}
		return fields
	}
	var v any
	d := json.NewDecoder(bytes.NewReader(body))
	d.UseNumber()
	if d.Decode(&v) == nil {
		flatten("", v, fields, 0)
	}
	return fields
}

// deepest bounds how deep a body is looked into.
const deepest = 8

func flatten(path string, v any, into map[string]string, depth int) {
	join := func(name string) string {
		if path == "" {
			return name
		}
		return path + "." + name
	}
	switch v := v.(type) {
	case map[string]any:
		for name, inner := range v {
			if depth < deepest {
				flatten(join(name), inner, into, depth+1)
			}
		}
	case []any:
		for i, inner := range v {
			if depth < deepest {
				flatten(join(strconv.Itoa(i)), inner, into, depth+1)
			}
		}
	case nil:
	default:
		into[path] = fmt.Sprint(v)
	}
}
