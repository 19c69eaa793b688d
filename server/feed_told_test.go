package server_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"jauntylark/api"
	"jauntylark/core/feed"
	"jauntylark/notify"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// Over MQTT a reader is told the feed after the cursor in its topic, page by page, and no further than its scope.
func TestTheFeedOverMQTT(t *testing.T) {
	s := newReached(t)
	d, e := s.Device("d"), s.Device("e")
	s.Do(api.PutReader.At("some"), object{"devices": []string{"d"}, "kinds": []string{feed.Readings}}, nil)
	var key api.ReaderKey
	s.Do(api.NewReaderKey.At("some"), nil, &key)
	host, port, _ := strings.Cut(s.Ways.MQTT, ":")
	read := func(topic string, more ...string) (string, error) {
		return servertest.Command(t, "mosquitto_sub", slices.Concat([]string{"-h", host, "-p", port, "-u", key.User, "-P",
			key.Key, "-t", topic, "-W", "5", "-q", "1"}, more)...)
	}
	const readings = 250 // three pages
	for i := range readings {
		s.Send(d, fmt.Sprintf(`{"a": %d, "at": "2026-03-01T10:%02d:%02dZ"}`, i, i/60, i%60))
		s.Send(e, `{"a": 1}`)
	}
	copies := map[string]*copied{}
	pages := func(out string) (n int, next string) {
		for line := range strings.Lines(out) {
			var page api.ChangesPage
			if line == "Timed out\n" {
				continue
			}
			if err := json.Unmarshal([]byte(line), &page); err != nil {
				t.Fatalf("%s: %v", line, err)
			}
			for i := range page.Changes {
				if c := page.Changes[i]; c.Signal != "d/a" {
					t.Errorf("it was told of %s %s", c.Kind, c.Signal)
				}
				copies["d"].take(t, &page.Changes[i])
			}
			n, next = n+1, page.Next
		}
		return n, next
	}
	copies["d"] = newCopy("")
	storetest.Eventually(t, "the key is known to the broker", func() bool {
		_, err := read("jaunty/-/changes/after/now", "-E")
		return err == nil
	})
	out, err := read("jaunty/-/changes/after/oldest", "-C", "2")
	if err != nil {
		t.Fatal(err, out)
	}
	n, next := pages(out)
	if has := len(copies["d"].readings["d/a"]); n != 2 || has < 100 || has >= readings {
		t.Errorf("%d messages told %d readings", n, has)
	}
	out, _ = read("jaunty/-/changes/after/"+next, "-W", "1")
	if pages(out); copies["d"].differs(t, s.Service, "d/a") != "" {
		t.Error(copies["d"].differs(t, s.Service, "d/a"))
	}
	for topic, says := range map[string]string{
		"jaunty/-/changes/after/99999999": `"type":"/problems/gone"`,
		"jaunty/-/changes/after/x":        "denied",
		"jaunty/-/alarms/#":               "denied",
		"jaunty/-/changes/after/#":        "denied",
		"jaunty/-/#":                      "denied",
		"jaunty/d/settings":               "denied",
	} {
		if out, _ := read(topic, "-C", "1"); !strings.Contains(out, says) {
			t.Errorf("%s: %s", topic, out)
		}
	}
}

// The feed is posted to a reader's address, signed and in order; what is not taken comes again, from wherever it is set.
func TestTheFeedIsPosted(t *testing.T) {
	s := newReached(t)
	d := s.Device("d")
	var mu sync.Mutex
	var bodies [][]byte
	var secret string
	refuse := 1
	c := newCopy("")
	hook := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		body, _ := io.ReadAll(r.Body)
		if refuse--; refuse >= 0 {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		seconds, _ := strconv.ParseInt(r.Header.Get("Jaunty-Time"), 10, 64)
		if r.Header.Get("Jaunty-Signature") != "hmac-sha256="+notify.Signature(secret, seconds, body) {
			t.Errorf("the signature of %.100s is wrong", body)
		}
		var post notify.FeedPost
		if err := json.Unmarshal(body, &post); err != nil || post.Reader != "hook" {
			t.Errorf("%v %.100s", err, body)
		}
		for i := range post.Changes {
			c.take(t, &post.Changes[i])
		}
		bodies = append(bodies, body)
	}))
	defer hook.Close()
	var key api.ReaderKey
	s.Do(api.PutReader.At("hook"), object{"url": hook.URL, "kinds": []string{feed.Readings}}, nil)
	mu.Lock()
	s.Do(api.NewReaderKey.At("hook"), nil, &key)
	secret = key.Secret
	mu.Unlock()
	s.Send(d, `{"a": 1}`)
	reader := func() (r feed.Reader) {
		s.Do(api.GetReader.At("hook"), nil, &r)
		return r
	}
	storetest.Eventually(t, "what was not taken is told", func() bool { return strings.Contains(reader().Failing, "502") })
	for i := range 30 {
		s.Send(d, fmt.Sprintf(`{"a": %d}`, i))
	}
	same := func() bool {
		mu.Lock()
		defer mu.Unlock()
		return c.differs(t, s.Service, "d/a") == ""
	}
	storetest.Eventually(t, "all is taken in the end", same)
	storetest.Eventually(t, "nothing fails any more", func() bool { return reader().Failing == "" })
	first, _, _ := strings.Cut(reader().Cursor, "-")
	mu.Lock()
	took := len(bodies)
	c = newCopy("")
	mu.Unlock()
	s.Do(api.RewindReader.At("hook"), api.RewindOrder{Cursor: "1"}, nil)
	storetest.Eventually(t, "from the beginning, all comes again", same)
	if n := len(bodies); n == took || first == "" {
		t.Errorf("%d posts, and %d after it was rewound", took, n)
	}
	for cursor, says := range map[string]string{"x": "no place", "99999999": "not among what is known"} {
		s.refused(422, says, api.RewindReader.At("hook"), api.RewindOrder{Cursor: cursor})
	}
	s.Do(api.PutReader.At("asks"), object{}, nil)
	s.refused(422, "asks for the feed itself", api.RewindReader.At("asks"), api.RewindOrder{Cursor: "1"})
	s.refused(422, "https://example.org/feed", api.PutReader.At("bad"), object{"url": "ftp://x"})
}
