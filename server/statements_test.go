package server_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/core/feed"
	"jauntylark/core/statement"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

func TestStatementsAsPageMailAndCSV(t *testing.T) {
	s := newReached(t)
	s.people()
	s.put(api.PutStatement.At("week"), map[string]any{"title": "The <week>", "kind": "alarms", "every": "week",
		"tell": []string{"orla"}}, nil)
	var sheet statement.Sheet
	s.Do(api.GetStatementSheet.At("week"), nil, &sheet)
	if !strings.HasPrefix(sheet.Words, "the week from Monday") || len(sheet.Tables) == 0 {
		t.Errorf("%+v", sheet)
	}
	status, page := s.page(api.GetStatementPage.At("week"), "Authorization", "Bearer "+s.Owner.Token)
	if status != 200 || !strings.Contains(page, "The &lt;week&gt;") {
		t.Errorf("%d %s", status, page)
	}
	if status, _ := s.page(api.GetStatementPage.At("week")); status != 401 {
		t.Errorf("without a sign-in: %d", status)
	}
	var sent api.SentStatement
	s.Do(api.SendStatement.At("week"), nil, &sent)
	m := s.received("e-mail", 1)
	if sent.Notices != 2 || !slices.Equal(m.Files, []string{"week.csv"}) || !strings.Contains(m.HTML, "<table>") ||
		!strings.Contains(m.Text, "No alarm was raised") {
		t.Errorf("%+v %+v", sent, m)
	}
	if m := s.received("text", 1); !strings.Contains(m.Text, "The <week>: the week from Monday") ||
		!strings.Contains(m.Text, "No alarm was raised") {
		t.Errorf("by text: %s", m.Text)
	}
	s.refused(404, "Did you mean week?", api.GetStatementSheet.At("wek"), nil)
	s.refused(422, "still to come", api.GetStatementSheet.At("week").Asking("at", "2126-01-01T00:00:00Z"), nil)
	s.refused(422, "did you mean energy?", api.PutStatement.At("x"), map[string]any{"kind": "enrgy", "every": "day"})
}

// A lamp on the site reads over MQTT what stands, with the reader key and with no other.
func TestAlarmsOverMQTT(t *testing.T) {
	s := newReached(t)
	d := s.Device("d")
	s.Send(d, `{"temp": 20}`)
	s.Guard(map[string]any{"name": "g", "signal": "d/temp", "when": "above 30", "severity": "critical",
		"tell": []string{}})
	var key api.ReaderKey
	s.Do(api.PutReader.At("lamp"), map[string]any{"kinds": []string{feed.Alarm}}, nil)
	s.Do(api.NewReaderKey.At("lamp"), nil, &key)
	host, port, _ := strings.Cut(s.Ways.MQTT, ":")
	read := func(password, topic string, n int) (string, error) {
		return servertest.Command(t, "mosquitto_sub", "-h", host, "-p", port, "-u", key.User, "-P", password, "-t",
			topic, "-C", fmt.Sprint(n), "-W", "5", "-v")
	}
	s.Send(d, `{"temp": 31}`)
	var out string
	storetest.Eventually(t, "the alarm stands on its topic", func() bool {
		out, _ = read(key.Key, "jaunty/-/alarms/g", 1)
		return strings.Contains(out, `"state":"raised"`)
	})
	if !strings.Contains(out, `"severity":"critical","sentence":"D temp is above 30"`) {
		t.Errorf("%s", out)
	}
	if out, err := read(key.Key, "jaunty/-/alarms", 1); err != nil ||
		!strings.Contains(out, `{"raised":1,"not_acknowledged":1,"worst":"critical"}`) {
		t.Errorf("%s %v", out, err)
	}
	if out, err := read(key.Key, "jaunty/-/alarms/#", 2); err != nil ||
		!strings.Contains(out, "jaunty/-/alarms {") || !strings.Contains(out, "jaunty/-/alarms/g {") {
		t.Errorf("all that stands: %s %v", out, err)
	}
	s.refused(409, "tells nobody", api.StartDrill.At("g"), nil)
	s.Send(d, `{"temp": 20}`)
	storetest.Eventually(t, "it is over", func() bool {
		out, _ := read(key.Key, "jaunty/-/alarms/g", 1)
		return strings.Contains(out, `"state":"over"`)
	})
	if out, err := servertest.Command(t, "mosquitto_sub", "-h", host, "-p", port, "-u", "d", "-P", key.Key, "-t",
		"jaunty/d/#", "-E", "-W", "3"); err == nil {
		t.Errorf("the reader key as a device: %s", out)
	}
	for what, password := range map[string]string{"no key": "x", "a device's key": d.Token} {
		if out, err := read(password, "jaunty/-/alarms/g", 1); err == nil {
			t.Errorf("with %s: %s", what, out)
		}
	}
	if out, err := read(key.Key, "jaunty/d/settings", 1); err == nil && !strings.Contains(out, "denied") {
		t.Errorf("a device's topic: %s", out)
	}
	if _, err := servertest.Command(t, "mosquitto_pub", "-h", host, "-p", port, "-u", "-", "-P", key.Key, "-t",
		"jaunty/d/readings/temp", "-m", "99", "-q", "1"); err == nil {
		if v := s.Signal("d/temp"); *v.Value == 99 {
			t.Error("a reader may write")
		}
	}
	s.Do(api.RemoveGuard.At("g"), nil, nil)
	storetest.Eventually(t, "the topic of a guard that is removed goes", func() bool {
		out, _ := servertest.Command(t, "mosquitto_sub", "-h", host, "-p", port, "-u", key.User, "-P", key.Key, "-t",
			"jaunty/-/alarms/#", "--retained-only", "-W", "1", "-v")
		return strings.Contains(out, "jaunty/-/alarms {") && !strings.Contains(out, "jaunty/-/alarms/g")
	})
	s.Do(api.RemoveReader.At("lamp"), nil, nil)
	storetest.Eventually(t, "the key has ended", func() bool {
		_, err := read(key.Key, "jaunty/-/alarms/g", 1)
		return err != nil
	})
}
