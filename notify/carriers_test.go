package notify_test

import (
	"context"
	"encoding/json"
	"encoding/xml"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/notify"
	"jauntylark/standin"
)

func aNotice(kind string) roster.Notice {
	return roster.Notice{ID: 7, AlarmID: 12, Kind: kind, Severity: alarm.Critical, Contact: "orla",
		Carrier: roster.Webhook, Subject: "Critical: Pond oxygen is below 55 %",
		Text:      "It reads 41 %.\nWhat to do: \"cascade\".\n",
		CreatedAt: start, Route: roster.Route{AddressID: "abc", Link: "https://lark.example.org/take/x"}}
}

func facts(now measure.Instant) notify.Facts {
	return notify.Facts{
		Site: func(context.Context) (site.Site, error) {
			return site.Site{Name: "Hollowbrook Fernery", Zone: "UTC"}, nil
		},
		Alarm: func(context.Context, int64) (alarm.Alarm, error) {
			return alarm.Alarm{ID: 12, Guard: "pond-oxygen-low", Signal: "pond/oxygen", Severity: alarm.Critical,
				RaisedAt: start, Value: 41, Unit: "%", Sentence: "Pond oxygen is below 55 %",
				Advice: "Switch on the cascade."}, nil
		},
		Before: func(_ context.Context, n roster.Notice) ([]roster.Notice, error) {
			if n.Kind == roster.Raise {
				return nil, nil
			}
			first, second := n, n
			first.ID, first.Kind, second.ID = 5, roster.Raise, 6
			return []roster.Notice{first, second}, nil
		},
		Signer: notify.Signer{Key: []byte("key")}, Now: func() measure.Instant { return now },
	}
}

// other is the other side of a request: it answers as it is told, and keeps what came.
type other struct {
	*httptest.Server
	status int
	header map[string]string
	answer string
	wait   time.Duration
	got    *http.Request
	body   string
}

func newOther(t *testing.T) *other {
	o := &other{status: 204}
	o.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		o.got, o.body = r, string(body)
		select {
		case <-time.After(o.wait):
		case <-r.Context().Done():
		}
		for name, value := range o.header {
			w.Header().Set(name, value)
		}
		w.WriteHeader(o.status)
		_, _ = io.WriteString(w, o.answer)
	}))
	t.Cleanup(o.Close)
	return o
}

func TestAWebhookIsSigned(t *testing.T) {
	o := newOther(t)
	w := &notify.Webhook{Client: notify.NewOutside(true), Facts: facts(start + 5000)}
	n := aNotice(roster.Raise)
	n.Address = o.URL + "/hook"
	if r := w.Send(context.Background(), n); !r.OK {
		t.Fatal(r)
	}
	seconds, _ := strconv.ParseInt(o.got.Header.Get("Jaunty-Time"), 10, 64)
	secret := notify.Signer{Key: []byte("key")}.WebhookSecret("abc")
	if want := "hmac-sha256=" + notify.Signature(secret, seconds,
		[]byte(o.body)); o.got.Header.Get("Jaunty-Signature") != want || seconds != int64(start+5000)/1000 {
		t.Errorf("%v", o.got.Header)
	}
	if notify.Signature(secret, seconds+1, []byte(o.body)) == notify.Signature(secret, seconds, []byte(o.body)) {
		t.Error("the time is not signed")
	}
	var p notify.Posted
	if err := json.Unmarshal([]byte(o.body), &p); err != nil || p.ID != 7 || p.Kind != roster.Raise || p.Alarm == nil ||
		p.Alarm.Signal != "pond/oxygen" || p.Site != "Hollowbrook Fernery" {
		t.Errorf("%s %v", o.body, err)
	}
	if o.got.Header.Get("Idempotency-Key") != "notice-7" {
		t.Error("the key is missing")
	}
}

func TestWhatAnAnswerMeans(t *testing.T) {
	o := newOther(t)
	w := &notify.Webhook{Client: notify.NewOutside(true), Facts: facts(start)}
	n := aNotice(roster.Raise)
	n.Address = o.URL
	for _, c := range []struct {
		status    int
		header    map[string]string
		ok, final bool
		again     time.Duration
	}{
		{status: 200, ok: true}, {status: 204, ok: true},
		{status: 302, final: true, header: map[string]string{"Location": "http://127.0.0.1:1/"}},
		{status: 400, final: true}, {status: 404, final: true}, {status: 401}, {status: 403},
		{status: 408}, {status: 429, header: map[string]string{"Retry-After": "90"}, again: 90 * time.Second},
		{status: 500}, {status: 503, header: map[string]string{"Retry-After": "soon"}},
	} {
		o.status, o.header, o.answer = c.status, c.header, "because"
		if c.status == 204 {
			o.answer = ""
		}
		r := w.Send(context.Background(), n)
		if r.OK != c.ok || r.Final != c.final || r.Again != c.again || c.status >= 400 &&
			!strings.Contains(r.Answer, "because") {
			t.Errorf("%d: %+v", c.status, r)
		}
	}
	o.status, o.wait = 200, time.Minute
	slow, cancel := context.WithTimeout(context.Background(), 100*time.Millisecond)
	defer cancel()
	if r := w.Send(slow, n); r.OK || r.Final || r.Answer != "it did not answer in time" {
		t.Errorf("time out: %+v", r)
	}
	o.Close()
	if r := w.Send(context.Background(), n); r.OK || r.Final || !strings.Contains(r.Answer, "refused") ||
		strings.Contains(r.Answer, "127.0.0.1:1/secret") {
		t.Errorf("nobody there: %+v", r)
	}
}

func TestPrivateAddressesAreLeftAlone(t *testing.T) {
	o := newOther(t)
	guarded := &notify.Webhook{Client: notify.NewOutside(false), Facts: facts(start)}
	n := aNotice(roster.Raise)
	_, port, _ := strings.Cut(strings.TrimPrefix(o.URL, "http://"), ":")
	for _, host := range []string{"127.0.0.1", "localhost", "[::1]", "[::ffff:127.0.0.1]", "0.0.0.0", "10.1.2.3",
		"192.168.0.1", "172.16.0.9", "169.254.169.254", "100.64.0.1", "[fe80::1]", "[fc00::1]"} {
		n.Address = "http://" + host + ":" + port + "/"
		short, cancel := context.WithTimeout(context.Background(), 2*time.Second)
		r := guarded.Send(short, n)
		cancel()
		if r.OK || !r.Final || !strings.Contains(r.Answer, "private address") {
			t.Errorf("%s: %+v", host, r)
		}
	}
	if o.got != nil {
		t.Error("something came")
	}
}

func TestCAP(t *testing.T) {
	o := newOther(t)
	w := &notify.Webhook{Client: notify.NewOutside(true), Facts: facts(start)}
	type info struct {
		Urgency   string `xml:"urgency"`
		Severity  string `xml:"severity"`
		Certainty string `xml:"certainty"`
	}
	type alert struct {
		XMLName    xml.Name
		Sender     string `xml:"sender"`
		Sent       string `xml:"sent"`
		Status     string `xml:"status"`
		MsgType    string `xml:"msgType"`
		Scope      string `xml:"scope"`
		References string `xml:"references"`
		Info       info   `xml:"info"`
	}
	for kind, want := range map[string][4]string{roster.Raise: {"Alert", "Actual", "Immediate", ""},
		roster.Worsen: {"Update", "Actual", "Immediate", "notice-5"}, roster.Return: {"Cancel", "Actual", "Past",
			"notice-5"}} {
		n := aNotice(kind)
		n.Address, n.Route.Format = o.URL, "cap"
		if r := w.Send(context.Background(), n); !r.OK {
			t.Fatal(r)
		}
		var a alert
		if err := xml.Unmarshal([]byte(o.body), &a); err != nil {
			t.Fatal(err)
		}
		if a.XMLName.Space != "urn:oasis:names:tc:emergency:cap:1.2" || a.MsgType != want[0] || a.Status != want[1] ||
			a.Info.Urgency != want[2] || !strings.Contains(a.References, want[3]) ||
			(want[3] == "") != (a.References == "") {
			t.Errorf("%s: %s", kind, o.body)
		}
		if a.Sent != "2026-09-21T14:13:20-00:00" || strings.ContainsAny(a.Sender, " ,<&") ||
			a.Info.Severity != "Severe" || a.Info.Certainty != "Observed" || a.Scope != "Private" {
			t.Errorf("%s: %+v", kind, a)
		}
		if o.got.Header.Get("Content-Type") != "application/cap+xml" {
			t.Errorf("%v", o.got.Header)
		}
	}
	n := aNotice(roster.Raise)
	n.Address, n.Route.Format, n.Route.Drill = o.URL, "cap", true
	if w.Send(context.Background(), n); !strings.Contains(o.body, "<status>Exercise</status>") {
		t.Errorf("a drill: %s", o.body)
	}
}

func TestAGatewayAsItIsDescribed(t *testing.T) {
	o := newOther(t)
	settings := `
text:
  address: ` + o.URL + `/to/{{to}}
  headers: {Authorization: Bearer x, Content-Type: application/json}
  body: '{"to": "{{to}}", "text": "{{text}}", "ref": "{{id}}", "back": "{{{callback}}}"}'
  success: {status: [202], field: result.code, is: "0"}
  id: result.ids.0
voice:
  address: ` + o.URL + `/call
  method: PUT
  headers: {Content-Type: application/x-www-form-urlencoded}
  body: to={{to}}&say={{text}}
chat:
  address: ` + o.URL + `/chat
  headers: {Content-Type: text/plain}
  body: "{{text}}"
`
	all, err := notify.ParseGateways([]byte(settings))
	if err != nil {
		t.Fatal(err)
	}
	n := aNotice(roster.Raise)
	n.Address = "+353861234567"
	send := func(carrier string) notify.Result {
		return (&notify.Through{Gateway: all[carrier], Client: notify.NewOutside(true),
			Callback: "http://cb/x?a=b&c"}).Send(context.Background(), n)
	}
	o.status, o.answer = 202, `{"result": {"code": 0, "ids": ["m-9"]}}`
	if r := send(roster.Text); !r.OK || r.ID != "m-9" {
		t.Errorf("%+v", r)
	}
	var said map[string]string
	if err := json.Unmarshal([]byte(o.body), &said); err != nil || said["text"] != n.Text ||
		said["ref"] != "notice-7" || said["back"] != "http://cb/x?a=b&c" || o.got.URL.Path != "/to/+353861234567" ||
		o.got.Header.Get("Authorization") != "Bearer x" {
		t.Errorf("%s %s %v", o.got.URL, o.body, err)
	}
	o.answer = `{"result": {"code": 21}}`
	if r := send(roster.Text); r.OK || !r.Final || !strings.Contains(r.Answer, `result.code is "21", not "0"`) {
		t.Errorf("%+v", r)
	}
	o.status = 200
	if r := send(roster.Text); r.OK {
		t.Errorf("200 where 202 is success: %+v", r)
	}
	if send(roster.Voice); o.got.Method != http.MethodPut ||
		!strings.HasPrefix(o.body, "to=%2B353861234567&say=It+reads+41") {
		t.Errorf("%s %s", o.got.Method, o.body)
	}
	if send(roster.Chat); o.body != n.Text {
		t.Errorf("%q", o.body)
	}
	for says, bad := range map[string]string{
		"did you mean text?":     "txt: {address: 'http://x'}",
		"address is missing":     "text: {body: x}",
		"did you mean to?":       "text: {address: 'http://x/{{tt}}'}",
		"is not one like":        "text: {address: 'ftp://x'}",
		"unknown field":          "text: {adress: 'http://x'}",
		"says nothing":           "text:",
		"body: line 1: unmatche": "text: {address: 'http://x', body: '{{#a}}'}",
	} {
		if _, err := notify.ParseGateways([]byte(bad)); err == nil || !strings.Contains(err.Error(), says) &&
			!strings.Contains(err.Error(), "body:") {
			t.Errorf("%q: %v", says, err)
		}
	}
}

func TestFieldsOfABody(t *testing.T) {
	for body, want := range map[string]string{`{"a": {"b": [1, {"c": true}]}}`: "true", `{"a": 1`: "", `[]`: ""} {
		if got := notify.Fields([]byte(body), "application/json")["a.b.1.c"]; got != want {
			t.Errorf("%s: %q", body, got)
		}
	}
	if got := notify.Fields([]byte("From=%2B353&Body=1"),
		"application/x-www-form-urlencoded; charset=utf-8"); got["From"] != "+353" || got["Body"] != "1" {
		t.Errorf("%v", got)
	}
}

func TestPushReachesTheBrowserAlone(t *testing.T) {
	in, err := standin.OpenInbox("", nil)
	if err != nil {
		t.Fatal(err)
	}
	g, err := standin.StartGateway(in)
	if err != nil {
		t.Fatal(err)
	}
	defer g.Close()
	browser, err := g.Subscribe("phone")
	if err != nil {
		t.Fatal(err)
	}
	private, public, err := notify.NewPushKeys()
	if err != nil {
		t.Fatal(err)
	}
	p := &notify.Push{Client: notify.NewOutside(true), Private: private, Public: public,
		Subject: "https://lark.example.org"}
	n := aNotice(roster.Raise)
	p256dh, auth := browser.Keys()
	n.Address, n.Route.Keys = browser.Endpoint, &roster.PushKeys{P256dh: p256dh, Auth: auth}
	if r := p.Send(context.Background(), n); !r.OK {
		t.Fatal(r)
	}
	got := in.Messages()
	if len(got) != 1 || got[0].Subject != n.Subject || got[0].Text != n.Text || got[0].Ref != "alarm-12" {
		t.Errorf("%+v", got)
	}
	other, _ := g.Subscribe("other")
	n.Address = other.Endpoint // sealed for the first browser
	if r := p.Send(context.Background(), n); r.OK {
		t.Error("another browser could read it")
	}
	n.Address = g.URL + "/push/gone"
	if r := p.Send(context.Background(), n); r.OK || !r.Final || !strings.Contains(r.Answer, "switch push on again") {
		t.Errorf("%+v", r)
	}
	n.Route.Keys = nil
	if r := p.Send(context.Background(), n); !r.Final {
		t.Errorf("%+v", r)
	}
}

func TestLinksAreSignedAndExpire(t *testing.T) {
	s := notify.Signer{Key: []byte("a key")}
	token := s.Token(4711, start)
	if id, err := s.Notice(token, start+1000); err != nil || id != 4711 {
		t.Fatal(id, err)
	}
	if _, err := s.Notice(token, start.Add(49*time.Hour)); !errors.Is(err, notify.ErrExpired) {
		t.Errorf("%v", err)
	}
	for i := range token {
		other := byte('a')
		if token[i] == other {
			other = 'b'
		}
		if _, err := s.Notice(token[:i]+string(other)+token[i+1:], start); err == nil && i < len(token)-1 {
			t.Errorf("letter %d changed, and it is good", i)
		}
	}
	if _, err := (notify.Signer{Key: []byte("another")}).Notice(token, start); !errors.Is(err, notify.ErrForged) {
		t.Errorf("%v", err)
	}
	if s.Callback("text") == s.Callback("voice") || !s.IsCallback("text", s.Callback("text")) ||
		s.IsCallback("voice", s.Callback("text")) {
		t.Error("callbacks")
	}
}
