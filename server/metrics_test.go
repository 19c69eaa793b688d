package server_test

import (
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"

	"jauntylark/server/servertest"
	"jauntylark/service"
	"jauntylark/store/storetest"
)

// freeAddress is one where nothing listens.
func freeAddress(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return l.Addr().String()
}

// The service's own figures are told on a listener of their own, each with its meaning in the docs, and only where
// somebody asked for them; traces go where a variable says.
func TestTheServiceCanBeWatched(t *testing.T) {
	storetest.Alone(t)
	var traced atomic.Int64
	collector := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/v1/traces" {
			body, _ := io.ReadAll(r.Body)
			traced.Add(int64(len(body)))
		}
	}))
	t.Cleanup(collector.Close)
	t.Setenv("OTEL_EXPORTER_OTLP_ENDPOINT", collector.URL)
	address := freeAddress(t)
	s := servertest.On(t, storetest.URL(t), "127.0.0.1:0", func(o *service.Settings) { o.Metrics = address })
	pond := s.Device("pond")
	s.Send(pond, `{"oxygen": 8}`)
	s.Guard(object{"name": "low", "signal": "pond/oxygen", "when": "below 5", "tell": []string{servertest.Owner}})
	s.Send(pond, `{"oxygen": 4}`)
	if out, err := pubAs(t, s.Ways.MQTT, "pond", pond.Token, `{"oxygen": 3}`); err != nil {
		t.Error(out, err)
	}
	_, _ = pond.SendReadings(t.Context(), "application/json", []byte(`{"oxygen": "nonsense"`))
	storetest.Eventually(t, "a mail", func() bool { return len(s.Inbox.Messages()) > 0 })
	var text string
	var kind string
	storetest.Eventually(t, "all is counted", func() bool {
		r, _ := http.NewRequest(http.MethodGet, "http://"+address+"/metrics", nil)
		r.Header.Set("Accept", "application/openmetrics-text; version=1.0.0")
		answer, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		defer answer.Body.Close()
		body, _ := io.ReadAll(answer.Body)
		text, kind = string(body), answer.Header.Get("Content-Type")
		return strings.Contains(text, `jaunty_notice_attempts_total{carrier="e-mail",outcome="sent"} `)
	})
	if !strings.HasPrefix(kind, "application/openmetrics-text") || !strings.HasSuffix(text, "# EOF\n") {
		t.Error(kind)
	}
	for _, line := range []string{`jaunty_intake_packs_total{outcome="taken",way="HTTP"} 2.0`,
		`jaunty_intake_packs_total{outcome="refused",way="HTTP"} 1.0`,
		`jaunty_intake_packs_total{outcome="taken",way="MQTT"} 1.0`,
		`jaunty_intake_readings_total{outcome="taken",way="HTTP"} 2.0`, "jaunty_ready 1.0",
		`jaunty_database_connections_open{part="own"}`, "jaunty_plain_readings 3.0", "jaunty_commit_queue_jobs 0.0",
		"go_goroutines ", "process_open_fds "} {
		if !strings.Contains(text, line) {
			t.Errorf("%s is not told", line)
		}
	}
	doc, err := os.ReadFile("../docs/metrics.md")
	if err != nil {
		t.Fatal(err)
	}
	told := map[string]bool{}
	for _, m := range regexp.MustCompile(`(?m)^# TYPE (jaunty_\w+) (\w+)$`).FindAllStringSubmatch(text, -1) {
		name := m[1]
		if m[2] == "counter" {
			name += "_total"
		}
		told[name] = true
		if !strings.Contains(string(doc), "| `"+name+"` | "+m[2]) {
			t.Errorf("docs/metrics.md does not tell of %s as a %s", name, m[2])
		}
	}
	for _, m := range regexp.MustCompile("(?m)^\\| `(jaunty_\\w+)`").FindAllStringSubmatch(string(doc), -1) {
		if !told[m[1]] {
			t.Errorf("docs/metrics.md tells of %s, which there is not", m[1])
		}
	}
	if status, _, _ := call(t, "GET", s.URL+"/metrics", "", "", ""); status == http.StatusOK {
		if _, body, _ := call(t, "GET", s.URL+"/metrics", "", "", ""); strings.Contains(body, "jaunty_intake") {
			t.Error("they are told on the public listener too")
		}
	}
	s.Stop()
	if traced.Load() == 0 {
		t.Error("no trace came")
	}
}
