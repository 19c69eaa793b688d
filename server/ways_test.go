package server_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/site"
	"jauntylark/server/place"
	"jauntylark/server/servertest"
	"jauntylark/service"
	"jauntylark/store/storetest"
)

// post sends a body as a device.
func post(t *testing.T, url, key, contentType string, body []byte, headers ...string) (int, string, http.Header) {
	t.Helper()
	return call(t, http.MethodPost, url+api.SendReadings.At().Path, key, contentType, string(body), headers...)
}

func packed(t *testing.T, body []byte) []byte {
	t.Helper()
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	if _, err := w.Write(body); err != nil {
		t.Fatal(err)
	}
	w.Close()
	return out.Bytes()
}

func TestFourBodiesAndGzip(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("d").Token
	for i, c := range []struct {
		kind string
		body []byte
	}{
		{"application/senml+json", []byte(`[{"n":"v","v":0}]`)},
		{"application/senml+cbor", []byte("\x81\xa2\x00\x61v\x02\x01")},
		{"application/json", []byte(`{"v": 2}`)}, {"text/csv", []byte("at,signal,value\n,v,3\n")},
	} {
		if status, text, _ := post(t, s.URL, key, c.kind, c.body); status != 204 ||
			*s.Signal("d/v").Value != float64(i) {
			t.Errorf("%s: %d %s", c.kind, status, text)
		}
	}
	if status, text, _ := post(t, s.URL, key, "application/json", packed(t, []byte(`{"v": 10}`)), "Content-Encoding",
		"gzip"); status != 204 || *s.Signal("d/v").Value != 10 {
		t.Errorf("packed: %d %s", status, text)
	}
	bomb := packed(t, bytes.Repeat([]byte(" "), 64<<20))
	for name, c := range map[string]struct {
		status   int
		body     []byte
		encoding string
	}{"a bomb": {413, bomb, "gzip"}, "not gzip": {400, []byte("{}"), "gzip"},
		"another encoding": {415, []byte("{}"), "br"}} {
		if status, text, _ := post(t, s.URL, key, "application/json", c.body, "Content-Encoding",
			c.encoding); status != c.status {
			t.Errorf("%s: %d %s", name, status, text)
		}
	}
}

// Orders come at once when they are there, and as soon as they come when they are not; saying what
// runs confirms it.
func TestOrdersByLongPoll(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	ctx := context.Background()
	order := func(query string) (o site.Order, err error) {
		return o, d.Call(ctx, api.GetOrders.At().Raw(query), nil, &o)
	}
	if o, err := order("wait=0s"); err != nil || o.Version != 0 {
		t.Errorf("nothing is ordered: %+v %v", o, err)
	}
	came := make(chan site.Order, 1)
	go func() { o, _ := order("wait=30s&running=0"); came <- o }()
	time.Sleep(300 * time.Millisecond)
	s.Do(api.OrderSettings.At("d"), map[string]any{"interval": "5m", "sparing_interval": "1h"}, nil)
	select {
	case o := <-came:
		if o.Version != 1 || o.Interval != 300 || o.Sparing != 3600 {
			t.Errorf("%+v", o)
		}
	case <-time.After(10 * time.Second):
		t.Fatal("the order did not come")
	}
	if o, err := order("running=0"); err != nil || o.Version != 1 {
		t.Errorf("at once: %+v %v", o, err)
	}
	if o, err := order("running=1"); err != nil || o.Version != 0 || s.Look("d").RunningNo != 1 {
		t.Errorf("it runs the newest: %+v %v", o, err)
	}
	for query, says := range map[string]string{"wait=soon": "wait:", "wait=1h": "wait:", "running=x": "running:",
		"running=9": "newest that was ordered is 1"} {
		if _, err := order(query); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", query, err)
		}
	}
	var problem *client.Problem
	for body, status := range map[string]int{`{"version": 7}`: 422, `{"verson": 1}`: 400} {
		err := d.Call(ctx, api.ConfirmOrders.At(), json.RawMessage(body), nil)
		if problem, _ = err.(*client.Problem); problem == nil || problem.Status != status {
			t.Errorf("%s: %v", body, err)
		}
	}
	s.Do(api.OrderSettings.At("d"), map[string]any{"values": map[string]string{"a": "1"}}, nil)
	if err := s.Owner.Call(ctx, api.OrderSettings.At("d"), map[string]any{"interval": "1ms"}, nil); err == nil ||
		!strings.Contains(err.Error(), "interval") {
		t.Errorf("an interval that no device keeps: %v", err)
	}
}

func TestArrivalsOverHTTP(t *testing.T) {
	s := servertest.Start(t)
	var enrolment struct{ Key string }
	s.Do(api.NewEnrolment.At(), nil, &enrolment)
	if status, text, _ := post(t, s.URL, enrolment.Key, "application/json", []byte(`{"v": 1}`)); status != 400 ||
		!strings.Contains(text, "Jaunty-Device") {
		t.Errorf("without a name: %d %s", status, text)
	}
	if status, text, _ := post(t, s.URL, enrolment.Key, "application/json", []byte(`{"v": 1}`), "Jaunty-Device",
		"stranger"); status != 202 || !strings.Contains(text, "waiting") {
		t.Errorf("%d %s", status, text)
	}
	s.Do(api.TurnAway.At("stranger"), nil, nil)
	if status, text, _ := post(t, s.URL, enrolment.Key, "application/json", []byte(`{"v": 1}`), "Jaunty-Device",
		"stranger"); status != 403 || !strings.Contains(text, "turned away") {
		t.Errorf("turned away: %d %s", status, text)
	}
	d := s.Device("d")
	s.Send(d, `{"v": 1, "state": "idle", "door": true}`)
	var csv bytes.Buffer
	if err := s.Owner.Download(context.Background(), api.ExportReadings.At().Asking("what", "d", "names", "bare"),
		&csv); err != nil || strings.Count(csv.String(), "\n") != 4 ||
		!strings.Contains(csv.String(), ",state,,,idle,") {
		t.Errorf("its readings: %q %v", csv.String(), err)
	}
	copied := s.Device("copied")
	if refused, err := copied.SendReadings(context.Background(), "text/csv", csv.Bytes()); err != nil ||
		len(refused) > 0 || *s.Signal("copied/state").Text != "idle" {
		t.Errorf("what was exported goes in again: %+v %v", refused, err)
	}
	s.Do(api.RemoveDevice.At("d"), nil, nil)
	if status, text, _ := post(t, s.URL, d.Token, "application/json", []byte(`{"v": 2}`)); status != 202 {
		t.Errorf("deleted, it sends again: %d %s", status, text)
	}
	s.Do(api.EndEnrolment.At(), nil, nil)
	if status, _, _ := post(t, s.URL, enrolment.Key, "application/json", []byte(`{"v": 1}`), "Jaunty-Device",
		"another"); status != 401 {
		t.Errorf("after enrolment has ended: %d", status)
	}
}

// A name with the character zero, which PostgreSQL does not take, costs the one record: not its pack, and
// not what is noted of others.
func TestTheCharacterZero(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("d").Token
	body := []byte(`{"v": 1, "a\u0000b": 2}`)
	for range 2 { // the second is answered from what was kept
		if status, text, _ := post(t, s.URL, key, "application/json", body, "Idempotency-Key", "once"); status != 200 ||
			!strings.Contains(text, `"accepted":1`) {
			t.Errorf("%d %s", status, text)
		}
	}
	var enrolment struct{ Key string }
	s.Do(api.NewEnrolment.At(), nil, &enrolment)
	if status, text, _ := post(t, s.URL, enrolment.Key, "application/json", body, "Jaunty-Device",
		"stranger"); status != 202 {
		t.Errorf("an arrival: %d %s", status, text)
	}
	s.Do(api.LetIn.At("stranger"), map[string]string{}, nil)
	if s.Signal("stranger/v") == nil {
		t.Error("the good reading of an arrival is lost")
	}
	post(t, s.URL, "wrong", "application/json", body, "Jaunty-Device", "\xff\xfe")
	storetest.Eventually(t, "what was seen is written all the same", func() bool {
		var story api.DeviceStory
		s.Do(api.GetDevice.At("d"), nil, &story)
		return story.Refused != "" && story.Protocol == "HTTP"
	})
	if err := s.Owner.Call(context.Background(), api.OrderSettings.At("d"),
		map[string]any{"values": map[string]string{"a": "x\x00"}}, nil); err == nil ||
		!strings.Contains(err.Error(), "control character U+0000") {
		t.Errorf("a setting: %v", err)
	}
}

// A device over its rate is told when to come again; unknown keys are slowed down, then shut out, and
// good keys from the same address are not.
func TestRates(t *testing.T) {
	storetest.Long(t)
	s := servertest.On(t, storetest.URL(t), "127.0.0.1:0", func(s *service.Settings) { s.DeviceRate = 2 })
	fast, slow := s.Device("fast").Token, s.Device("slow")
	refused := ""
	for range 60 {
		status, _, header := post(t, s.URL, fast, "application/json", []byte(`{"v": 1}`))
		if status == 429 {
			refused = header.Get("Retry-After")
			break
		}
	}
	if refused != "1" {
		t.Errorf("Retry-After %q", refused)
	}
	s.Send(slow, `{"v": 1}`)
	storetest.Eventually(t, "its page says so", func() bool {
		return strings.Contains(s.Look("fast").Refused, "more than 2 messages")
	})
	begun, shut := time.Now(), false
	for i := range 30 {
		status, text, header := post(t, s.URL, fmt.Sprint("wrong", i), "application/json", []byte(`{"v": 1}`))
		if status == 429 && strings.Contains(text, "unknown keys") && header.Get("Retry-After") != "" {
			shut = true
			break
		}
	}
	if !shut || time.Since(begun) < 2*time.Second {
		t.Errorf("shut out %v after %v", shut, time.Since(begun))
	}
	s.Send(slow, `{"v": 2}`)
}

func TestADevicesPage(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	now := time.Now()
	body := "at,signal,value\n"
	for i := range 20 {
		body += fmt.Sprintf("%s,v,%d\n", now.Add(time.Duration(i-20)*15*time.Second).UTC().Format(time.RFC3339), i)
	}
	if _, err := d.SendReadings(context.Background(), "text/csv", []byte(body)); err != nil {
		t.Fatal(err)
	}
	var story api.DeviceStory
	s.Do(api.GetDevice.At("d"), nil, &story)
	if story.Proposed.String() != "15s" || len(story.Keys) != 1 || story.Life != site.LifeHeard ||
		story.Ways.MQTT != s.Ways.MQTT {
		t.Errorf("%+v", story)
	}
	storetest.Eventually(t, "what was seen is written", func() bool {
		s.Do(api.GetDevice.At("d"), nil, &story)
		return story.Protocol == "HTTP" && story.Keys[0].LastUsedBy == "HTTP" && story.ClockBehind != nil &&
			*story.ClockBehind > 14 && *story.ClockBehind < 30
	})
	if err := s.Owner.Call(context.Background(), api.GetDevice.At("e"), nil, nil); err == nil ||
		!strings.Contains(err.Error(), "Did you mean d?") {
		t.Errorf("%v", err)
	}
	s.Do(api.SetSignal.At("d", "v"), map[string]any{"span": site.Span{Low: 0, High: 10}, "step": 0.5, "interval": "1m",
		"bands": []map[string]any{{"name": "low", "to": 3}}, "quantity": "level"}, nil)
	if v := s.Signal("d/v"); *v.SpanHigh != 10 || v.Step != 0.5 || v.Interval.String() != "1m" || len(v.Bands) != 1 ||
		v.Quantity != "level" {
		t.Errorf("%+v", v)
	}
	for field, change := range map[string]map[string]any{"span": {"span": site.Span{Low: 5, High: 1}},
		"bands": {"bands": []map[string]any{{"name": "a", "from": 5, "to": 1}}}, "interval": {"interval": "2d"}} {
		if err := s.Owner.Call(context.Background(), api.SetSignal.At("d", "v"), change, nil); err == nil ||
			!strings.Contains(err.Error(), field) {
			t.Errorf("%s: %v", field, err)
		}
	}
}

func TestTheKitSchemaIsCurrent(t *testing.T) {
	schema, err := place.KitSchema()
	if err != nil {
		t.Fatal(err)
	}
	if written := mustRead(t, "../docs/kit.schema.json"); !bytes.Equal(written, schema) {
		t.Error("docs/kit.schema.json is old; run: bin/jaunty kit schema > docs/kit.schema.json")
	}
}

func mustRead(t *testing.T, path string) []byte {
	t.Helper()
	text, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return text
}
