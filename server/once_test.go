package server_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// Who lost the answer to what they made asks again with the same key, and is told the same, the device's key too.
func TestWhatIsMadeIsAskedForAgain(t *testing.T) {
	s := servertest.Start(t)
	first := wire(t, s, api.AddDevice.At(), `{"name": "gate"}`, "Idempotency-Key", "one")
	again := wire(t, s, api.AddDevice.At(), `{"name": "gate"}`, "Idempotency-Key", "one")
	if first.code != http.StatusCreated || again.code != first.code || !bytes.Equal(again.body, first.body) ||
		again.header.Get("Location") != "/api/v1/devices/gate" {
		t.Errorf("first %d %s; again %d %v %s", first.code, first.body, again.code, again.header, again.body)
	}
	var added api.AddedDevice
	if err := json.Unmarshal(again.body, &added); err != nil || added.Key == "" {
		t.Fatal(added, err)
	}
	answer := wire(t, s, api.SendReadings.At(), `{"temp": 20}`, "Authorization", "Bearer "+added.Key)
	if answer.code != http.StatusNoContent {
		t.Errorf("with the key that was told again: %d %s", answer.code, answer.body)
	}
	var kept []struct{ Outcome string }
	if err := s.Pipeline.Store.Select(t.Context(), &kept, `select outcome::text as outcome from idempotency`); err != nil ||
		len(kept) != 1 || strings.Contains(kept[0].Outcome, added.Key) {
		t.Errorf("what is kept shows the key: %v %v", kept, err)
	}
	for _, c := range []struct {
		at        api.Place
		body, key string
		code      int
		kind      string
	}{
		{api.AddDevice.At(), `{"name": "gate-2"}`, "one", 422, "other-request"},
		{api.AddAsset.At(), `{"name": "gate"}`, "one", 422, "other-request"},
		{api.AddDevice.At(), `{"name": "gate"}`, "two", 409, "name-taken"},
		{api.AddDevice.At(), `{"name": "gate"}`, strings.Repeat("x", 201), 422, "refused"},
		{api.AddDevice.At(), `{"name": "gate"}`, "", 409, "name-taken"},
	} {
		got := wire(t, s, c.at, c.body, "Idempotency-Key", c.key)
		if p := got.problem(t); got.code != c.code || p.Type != api.ProblemsPath+c.kind {
			t.Errorf("%s %s %q: %d %s", c.at, c.body, c.key, got.code, got.body)
		}
	}
	refused := wire(t, s, api.AddAsset.At(), `{"name": "Gate!"}`, "Idempotency-Key", "three")
	mended := wire(t, s, api.AddAsset.At(), `{"name": "gate"}`, "Idempotency-Key", "three")
	if refused.code != http.StatusUnprocessableEntity || mended.code != http.StatusCreated {
		t.Errorf("refused %d, then mended %d %s", refused.code, mended.code, mended.body)
	}
	s.Do(api.AddPerson.At(), object{"email": "una@hollowbrook.example", "role": "owner", "password": "Fern-House-77"}, nil)
	una := s.SignIn("una@hollowbrook.example", "Fern-House-77")
	other := wire(t, s, api.AddDevice.At(), `{"name": "una-gate"}`, "Idempotency-Key", "one", "Authorization",
		"Bearer "+una.Token)
	if other.code != http.StatusCreated {
		t.Errorf("another person's key of the same name: %d %s", other.code, other.body)
	}
}

// Of many who send one request at once, one is heard, and the others are told the same or that it is under way.
func TestOneOfManyTheSameIsHeard(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	s.Do(api.AddAsset.At(), object{"name": "kiln", "signals": []string{"d"}}, nil)
	var all sync.WaitGroup
	var mu sync.Mutex
	codes := map[int]int{}
	for range 20 {
		all.Go(func() {
			got := wire(t, s, api.StartRun.At(), `{"asset": "kiln", "title": "Firing"}`, "Idempotency-Key", "run")
			mu.Lock()
			defer mu.Unlock()
			codes[got.code]++
		})
	}
	all.Wait()
	var runs []struct{ ID int64 }
	s.Do(api.ListRuns.At(), nil, &runs)
	if len(runs) != 1 || codes[http.StatusCreated] == 0 || codes[http.StatusCreated]+codes[http.StatusConflict] != 20 {
		t.Errorf("%d runs, %s", len(runs), fmt.Sprint(codes))
	}
	last := wire(t, s, api.StartRun.At(), `{"asset": "kiln", "title": "Firing"}`, "Idempotency-Key", "run")
	var run struct{ ID int64 }
	if err := json.Unmarshal(last.body, &run); err != nil || last.code != http.StatusCreated || run.ID != runs[0].ID {
		t.Errorf("asked again: %d %s", last.code, last.body)
	}
}

// Who goes away while they are answered has made what they asked for once, however often they ask again.
func TestWhoGoesAwayIsAnsweredAllTheSame(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	s.Do(api.AddAsset.At(), object{"name": "kiln", "signals": []string{"d"}}, nil)
	at := api.StartRun.At()
	for range 8 {
		ctx, cancel := context.WithTimeout(t.Context(), 3*time.Millisecond)
		r, err := http.NewRequestWithContext(ctx, at.Method, s.URL+at.Path, strings.NewReader(`{"asset": "kiln"}`))
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Authorization", "Bearer "+s.Owner.Token)
		r.Header.Set("Idempotency-Key", "gone")
		if answer, err := http.DefaultClient.Do(r); err == nil {
			answer.Body.Close()
		}
		cancel()
	}
	storetest.Eventually(t, "it is made", func() bool {
		return wire(t, s, at, `{"asset": "kiln"}`, "Idempotency-Key", "gone").code == http.StatusCreated
	})
	var runs []struct{ ID int64 }
	s.Do(api.ListRuns.At(), nil, &runs)
	if len(runs) != 1 {
		t.Errorf("%d runs", len(runs))
	}
}
