package server_test

import (
	"net"
	"net/http"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/server/servertest"
	"jauntylark/service"
	"jauntylark/store/storetest"
)

func TestTLSAndLinks(t *testing.T) {
	cert, key := servertest.Certificate(t)
	s := servertest.On(t, storetest.URL(t), "127.0.0.1:0", func(o *service.Settings) {
		o.TLSCert, o.TLSKey,
			o.URL = cert, key, "https://lark.example.org/"
	})
	if !strings.HasPrefix(s.URL, "https://") {
		t.Fatal(s.URL)
	}
	body := strings.NewReader(`{"email":"` + servertest.Owner + `","password":"` + servertest.Password + `"}`)
	answer, err := s.HTTP.Post(s.URL+api.GetSession.At().Path, "application/json", body)
	if err != nil {
		t.Fatal(err)
	}
	answer.Body.Close()
	if cookie := answer.Header.Get("Set-Cookie"); !strings.Contains(cookie, "Secure") ||
		answer.Header.Get("Strict-Transport-Security") == "" {
		t.Errorf("%s %v", cookie, answer.Header)
	}
	d := s.Device("d")
	d.HTTP = s.HTTP
	s.Send(d, `{"temp": 20}`)
	s.Guard(map[string]any{"signal": "d/temp", "when": "above 30", "tell": []string{"orla@hollowbrook.example"}})
	s.Send(d, `{"temp": 31}`)
	storetest.Eventually(t, "the mail", func() bool { return len(s.Inbox.Messages()) == 1 })
	if text := s.Inbox.Messages()[0].Text; !strings.Contains(text, "https://lark.example.org/alarms/1\n") ||
		!strings.Contains(text, "have it: https://lark.example.org/take/") {
		t.Errorf("no link in %s", text)
	}
}

// Behind a proxy that is trusted, those behind it are told apart; otherwise the header is not believed.
// A device publishes over TLS, and checks the certificate.
func TestMQTTOverTLS(t *testing.T) {
	cert, key := servertest.Certificate(t)
	s := servertest.On(t, storetest.URL(t), "127.0.0.1:0", func(o *service.Settings) {
		o.TLSCert, o.TLSKey, o.MQTTS = cert, key, "127.0.0.1:0"
	})
	var added api.AddedDevice
	s.Do(api.AddDevice.At(), map[string]string{"name": "pond"}, &added)
	host, port, _ := net.SplitHostPort(s.Ways.MQTTS)
	args := []string{"-h", host, "-p", port, "-u", "pond", "-P", added.Key, "-q", "1", "-t", "jaunty/pond/readings",
		"-m", `{"temp": 21.5}`}
	if out, err := servertest.Command(t, "mosquitto_pub", append(args, "--cafile", cert)...); err != nil ||
		s.Signal("pond/temp") == nil {
		t.Errorf("%s %v", out, err)
	}
	if out, err := servertest.Command(t, "mosquitto_pub", args...); err == nil {
		t.Errorf("without TLS: %s", out)
	}
}

func TestTrustedProxy(t *testing.T) {
	storetest.Long(t)
	for _, trusted := range []bool{true, false} {
		s := servertest.On(t, storetest.URL(t), "127.0.0.1:0", func(o *service.Settings) {
			if trusted {
				o.TrustedProxy = []string{"127.0.0.0/8"}
			}
		})
		signIn := func(from, password string) int {
			status, _, _ := call(t, "POST", s.URL+api.GetSession.At().Path, "", "application/json", `{"email":"`+
				servertest.Owner+`","password":"`+password+`"}`, "X-Forwarded-For", from)
			return status
		}
		for range 8 {
			signIn("192.0.2.1", "wrong wrong")
		}
		if status := signIn("192.0.2.1", servertest.Password); status != http.StatusTooManyRequests {
			t.Errorf("trusted %v: who guessed gets %d", trusted, status)
		}
		want := http.StatusTooManyRequests
		if trusted {
			want = http.StatusOK
		}
		if status := signIn("192.0.2.2", servertest.Password); status != want {
			t.Errorf("trusted %v: another behind the proxy gets %d", trusted, status)
		}
	}
}
