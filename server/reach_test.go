package server_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/roster"
	"jauntylark/server/servertest"
	"jauntylark/service"
	"jauntylark/standin"
	"jauntylark/store/storetest"
)

// reached is a service with stand-ins for all carriers.
type reached struct {
	*servertest.Service
	t       *testing.T
	gateway *standin.Gateway
	inbox   *standin.Inbox
}

func newReached(t *testing.T) *reached {
	inbox, err := standin.OpenInbox("", nil)
	if err != nil {
		t.Fatal(err)
	}
	gateway, err := standin.StartGateway(inbox)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { gateway.Close() })
	sink, err := standin.StartMailSink(inbox)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { sink.Close() })
	s := servertest.On(t, storetest.URL(t), "127.0.0.1:0", func(o *service.Settings) {
		o.SMTP, o.Inbox, o.Gateways, o.Private, o.URL = "smtp://"+sink.Addr, inbox, []byte(gateway.Settings()), true,
			"http://lark.test"
	})
	return &reached{s, t, gateway, inbox}
}

// put saves something and gives what came back.
func (s *reached) put(at api.Place, body any, out any) { s.Do(at, body, out) }

// refused tells that a request is refused with a status, and how.
func (s *reached) refused(status int, says string, at api.Place, body any) {
	s.t.Helper()
	err := s.Owner.Call(context.Background(), at, body, nil)
	var problem *client.Problem
	if !errors.As(err, &problem) || problem.Status != status || !strings.Contains(err.Error(), says) {
		s.t.Errorf("%s: %v, want %d and %q", at, err, status, says)
	}
}

func (s *reached) people() {
	s.put(api.PutContact.At("orla"), map[string]any{"title": "Orla",
		"addresses": []map[string]string{{"carrier": "e-mail", "to": "orla@b.example"},
			{"carrier": "text", "to": "+353 86 000 0001"}}}, nil)
	s.put(api.PutContact.At("tadhg"), map[string]any{"title": "Tadhg",
		"addresses": []map[string]string{{"carrier": "voice", "to": "+353860000002"}}}, nil)
	s.put(api.PutRoster.At("house"), map[string]any{"steps": []map[string]any{{"who": []string{"orla"}},
		{"who": []string{"tadhg"}, "after": "10m"}}}, nil)
}

// received waits for so many messages by a carrier, and gives the newest.
func (s *reached) received(carrier string, n int) api.Message {
	s.t.Helper()
	var of []api.Message
	storetest.Eventually(s.t, fmt.Sprintf("%d by %s", n, carrier), func() bool {
		of = slices.DeleteFunc(s.inbox.Messages(), func(m api.Message) bool { return m.Carrier != carrier })
		return len(of) >= n
	})
	return of[len(of)-1]
}

var takeLink = regexp.MustCompile(`http://lark\.test(/take/[a-z2-7]+)`)

// page asks for a page as somebody who is not signed in.
func (s *reached) page(at api.Place, header ...string) (int, string) {
	s.t.Helper()
	r, err := http.NewRequest(at.Method, s.URL+at.Path, nil)
	if err != nil {
		s.t.Fatal(err)
	}
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		s.t.Fatal(err)
	}
	defer answer.Body.Close()
	text, _ := io.ReadAll(answer.Body)
	if csp := answer.Header.Get("Content-Security-Policy"); answer.StatusCode < 400 &&
		!strings.Contains(csp, "default-src 'none'") {
		s.t.Errorf("%s: %s", at, csp)
	}
	return answer.StatusCode, string(text)
}

func TestALinkTakesTheAlarmOnceAndOnlyWhenTheButtonIsPressed(t *testing.T) {
	s := newReached(t)
	s.people()
	d := s.Device("d")
	s.Send(d, `{"temp": 20}`)
	s.Guard(map[string]any{"name": "g", "signal": "d/temp", "when": "above 30", "advice": "Open the <vents>.",
		"tell": []string{"house"}})
	s.Send(d, `{"temp": 31}`)
	link := takeLink.FindStringSubmatch(s.received("e-mail", 1).Text)
	other := takeLink.FindStringSubmatch(s.received("text", 1).Text)
	if link == nil || other == nil || link[1] == other[1] {
		t.Fatalf("%v %v", link, other)
	}
	for _, method := range []string{http.MethodGet, http.MethodHead, http.MethodGet} { // a scanner that follows links
		if status, text := s.page(api.Place{Method: method, Path: link[1]}); status != 200 ||
			method == http.MethodGet && (!strings.Contains(text, "<button") ||
				!strings.Contains(text, "Open the &lt;vents&gt;.")) {
			t.Errorf("%d %s", status, text)
		}
	}
	if a := s.Alarms()[0]; a.AcknowledgedAt != nil {
		t.Fatal("looking took it")
	}
	if status, _ := s.page(api.Place{Method: http.MethodPost, Path: link[1]}, "Sec-Fetch-Site", "cross-site", "Origin",
		"https://evil.example"); status != http.StatusForbidden {
		t.Errorf("from another site: %d", status)
	}
	if status, text := s.page(api.Place{Method: http.MethodPost, Path: link[1]}); status != 200 ||
		!strings.Contains(text, "Orla has it") {
		t.Errorf("%d %s", status, text)
	}
	if a := s.Alarms()[0]; a.AcknowledgedBy != "Orla" {
		t.Errorf("%+v", a)
	}
	if status, text := s.page(api.Place{Method: http.MethodPost, Path: link[1]}); status != http.StatusConflict ||
		!strings.Contains(text, "used before") {
		t.Errorf("again: %d %s", status, text)
	}
	if status, text := s.page(api.Place{Method: http.MethodGet, Path: other[1]}); status != 200 ||
		strings.Contains(text, "<button") || !strings.Contains(text, "Orla has it.") {
		t.Errorf("the other link: %d %s", status, text)
	}
	if status, _ := s.page(api.Place{Method: http.MethodGet, Path: link[1][:len(link[1])-4] +
		"aaaa"}); status != http.StatusNotFound {
		t.Errorf("forged: %d", status)
	}
	var notices []api.NoticeStory
	s.Do(api.ListNotices.At(), nil, &notices)
	for _, n := range notices {
		if takeLink.MatchString(n.Text) {
			t.Errorf("the list of notices tells a link's secret: %s", n.Text)
		}
	}
	// An e-mail carries the chart and the thread.
	if m := s.received("e-mail", 1); !strings.HasPrefix(m.Thread, "<alarm-1@") {
		t.Errorf("%q", m.Thread)
	}
}

func TestGatewaysCallBack(t *testing.T) {
	storetest.Long(t)
	s := newReached(t)
	s.people()
	d := s.Device("d")
	s.Send(d, `{"temp": 20}`)
	s.Guard(map[string]any{"name": "g", "signal": "d/temp", "when": "above 30", "tell": []string{"house"}})
	s.Send(d, `{"temp": 31}`)
	text := s.received("text", 1)
	// The link in the callback's address is of lark.test, where nobody listens; the receipt is brought here.
	callback := strings.Replace(text.Callback, "http://lark.test", s.URL, 1)
	post := func(address, kind, body string) int {
		answer, err := http.Post(address, kind, strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		answer.Body.Close()
		return answer.StatusCode
	}
	id := fmt.Sprintf("m%d", text.ID)
	for _, c := range []struct {
		address, body string
		status        int
	}{
		{callback[:len(callback)-1] + "x", `{}`, 404}, {strings.Replace(callback, "text", "voice", 1), `{}`, 404},
		{strings.Replace(callback, "text", "fax", 1), `{}`, 404},
		{callback, `nonsense`, 422}, {callback, `{"message": "m999", "state": "delivered"}`, 404},
		{callback, `{"message": "` + id + `", "state": "on its way"}`, 204},
		{callback, `{"message": "` + id + `", "state": "delivered"}`, 204},
		{callback, `{"message": "` + id + `", "state": "delivered"}`, 204},
		{callback, `{"from": "+353869999999", "answer": "1"}`, 404},
		{callback, `{"from": "+353 86 000 0001", "answer": "what?"}`, 204},
	} {
		if status := post(c.address, "application/json", c.body); status != c.status {
			t.Errorf("%s %s: %d, want %d", c.address, c.body, status, c.status)
		}
	}
	var notices []api.NoticeStory
	s.Do(api.ListNotices.At().Asking("carrier", "text"), nil, &notices)
	if n := notices[0]; n.State != roster.Delivered || n.DeliveredAt == nil || n.GatewayID != id ||
		len(n.Deliveries) != 2 {
		t.Errorf("%+v", n)
	}
	if a := s.Alarms()[0]; a.AcknowledgedAt != nil {
		t.Fatal("'what?' is not 'I have it'")
	}
	// Answered without the message's number, as a plain text message is.
	if status := post(callback, "application/x-www-form-urlencoded", url.Values{"from": {"+353 86 000 0001"},
		"answer": {" 1 "}}.Encode()); status != 204 {
		t.Errorf("%d", status)
	}
	if a := s.Alarms()[0]; a.AcknowledgedBy != "Orla" {
		t.Errorf("%+v", a)
	}
	var journal []map[string]any
	s.Do(api.ListJournal.At().Asking("kind", "alarm answered"), nil, &journal)
	if len(journal) != 1 || !strings.Contains(fmt.Sprint(journal[0]["text"]), "what?") {
		t.Errorf("%v", journal)
	}
}

func TestAReceiptThatSaysNoBringsTheNextStep(t *testing.T) {
	s := newReached(t)
	s.put(api.PutContact.At("orla"), map[string]any{"addresses": []map[string]string{{"carrier": "text",
		"to": "+353860000001"}}}, nil)
	s.put(api.PutContact.At("tadhg"), map[string]any{"addresses": []map[string]string{{"carrier": "voice",
		"to": "+353860000002"}}}, nil)
	s.put(api.PutRoster.At("house"), map[string]any{"steps": []map[string]any{{"who": []string{"orla"}},
		{"who": []string{"tadhg"}, "after": "10m"}}}, nil)
	d := s.Device("d")
	s.Send(d, `{"temp": 20}`)
	s.Guard(map[string]any{"name": "g", "signal": "d/temp", "when": "above 30", "tell": []string{"house"}})
	s.Send(d, `{"temp": 31}`)
	text := s.received("text", 1)
	callback := strings.Replace(text.Callback, "http://lark.test", s.URL, 1)
	answer, err := http.Post(callback, "application/json",
		strings.NewReader(fmt.Sprintf(`{"message": "m%d", "state": "undelivered", "reason": "switched off"}`, text.ID)))
	if err != nil || answer.StatusCode != 204 {
		t.Fatal(answer, err)
	}
	answer.Body.Close()
	if m := s.received("voice", 1); !strings.Contains(m.Text, "above thirty") {
		t.Errorf("%s", m.Text)
	}
}

func TestContactsRostersAndReach(t *testing.T) {
	storetest.Long(t)
	s := newReached(t)
	s.people()
	hook := map[string]any{"addresses": []map[string]string{{"carrier": "webhook", "to": s.gateway.URL + "/hook"}}}
	var saved roster.Contact
	s.put(api.PutContact.At("firm"), hook, &saved)
	if len(saved.Addresses) != 1 || len(saved.Addresses[0].Secret) != 64 {
		t.Fatalf("%+v", saved)
	}
	var again roster.Contact
	s.put(api.PutContact.At("firm"), hook, &again)
	if again.Addresses[0].Secret != "" || again.Addresses[0].ID != saved.Addresses[0].ID {
		t.Error("the secret was told twice")
	}
	s.Do(api.AddPerson.At(), map[string]string{"email": "v@b.example", "role": "viewer", "password": "a long secret"},
		nil)
	var seen roster.Contact
	if err := s.SignIn("v@b.example", "a long secret").Call(context.Background(), api.GetContact.At("firm"), nil,
		&seen); err != nil || seen.Addresses[0].To != s.gateway.URL+"/…" {
		t.Errorf("a viewer sees %+v %v", seen, err)
	}
	var plan api.RosterPlan
	s.Do(api.ShowRosterAt.At("house").Asking("at", "2026-11-28T03:00:00Z", "severity", "warning"), nil, &plan)
	if len(plan.Calls) != 2 || plan.Calls[0].Words != "Orla by e-mail and text message" ||
		plan.Calls[1].After != "after 10 minutes" {
		t.Errorf("%+v", plan)
	}
	s.refused(404, "Did you mean house?", api.ShowRosterAt.At("huose"), nil)
	s.refused(422, "did you mean orla?", api.PutRoster.At("x"),
		map[string]any{"steps": []map[string]any{{"who": []string{"olra"}}}})
	s.refused(422, "not a telephone number", api.PutContact.At("x"),
		map[string]any{"addresses": []map[string]string{{"carrier": "text", "to": "12"}}})
	s.refused(422, "did you mean text?", api.TestContact.At("orla"), map[string]any{"by": []string{"txt"}})
	s.refused(409, "is named by roster house", api.RemoveContact.At("orla"), nil)
	s.refused(422, "did you mean orla?", api.PutReach.At(), map[string]any{"tell": []string{"orlaa"}})

	s.put(api.PutReach.At(), map[string]any{"tell": []string{"orla"},
		"heartbeat": map[string]string{"url": s.gateway.URL + "/heartbeat", "every": "30s"}}, nil)
	storetest.Eventually(t, "a heartbeat", func() bool { return s.gateway.Beats() > 0 })
	storetest.Eventually(t, "it is noted", func() bool {
		var now api.ReachNow
		s.Do(api.GetReach.At(), nil, &now)
		return now.Heart.OkAt != nil && now.Heart.Bad == ""
	})
	if n := s.gateway.Beats(); n != 1 {
		t.Errorf("%d heartbeats in 30 s", n)
	}
	var sent api.TestSent
	s.Do(api.TestContact.At("firm"), nil, &sent)
	if m := s.received("webhook", 1); !strings.Contains(m.Text, `"kind":"test"`) || len(sent.Notices) != 1 {
		t.Errorf("%+v", m)
	}
	browser, err := s.gateway.Subscribe("phone")
	if err != nil {
		t.Fatal(err)
	}
	p256dh, auth := browser.Keys()
	var own roster.Contact
	s.Do(api.SwitchPushOn.At(), map[string]any{"endpoint": browser.Endpoint, "keys": map[string]string{"p256dh": p256dh,
		"auth": auth}}, &own)
	if own.Addresses[1].Carrier != roster.Push || own.Addresses[1].Keys != nil {
		t.Errorf("%+v", own)
	}
	s.Do(api.TestContact.At(own.Name), map[string]any{"by": []string{"push"}}, nil)
	if m := s.received("push", 1); !strings.Contains(m.Subject, "reaches you") {
		t.Errorf("%+v", m)
	}
	s.Do(api.SwitchPushOff.At(), map[string]any{"endpoint": browser.Endpoint}, &own)
	if len(own.Addresses) != 1 {
		t.Errorf("%+v", own)
	}
	var out api.Previewed
	s.Do(api.PreviewNotice.At(), map[string]any{"on": "raise",
		"templates": []map[string]string{{"on": "raise", "short": "{{severity}}! {{thing}}: {{value}}"}}}, &out)
	if out.Forms[0].Subject != "warning! Fern house air temperature: 28.4 °C" || out.Forms[1].Messages != 2 ||
		len(out.Forms) != 6 {
		t.Errorf("%+v", out)
	}
	s.refused(422, "did you mean severity?", api.PreviewNotice.At(),
		map[string]any{"on": "raise", "templates": []map[string]string{{"on": "raise", "short": "{{severty}}"}}})
}
