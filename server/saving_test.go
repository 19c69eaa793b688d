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

	"jauntylark/api"
	"jauntylark/server/servertest"
	"jauntylark/standin"
	"jauntylark/store/config"
)

// asked sends JSON as the owner, with a tag, and gives the answer's code, its tag and its body.
func asked(t *testing.T, s *servertest.Service, at api.Place, tag string, body any) (int, string, object) {
	t.Helper()
	text := ""
	if body != nil {
		all, err := json.Marshal(body)
		if err != nil {
			t.Fatal(err)
		}
		text = string(all)
	}
	answer := wire(t, s, at, text, "If-Match", tag)
	var out object
	_ = json.Unmarshal(answer.body, &out)
	return answer.code, answer.header.Get("ETag"), out
}

// Whatever is set up: the whole is saved with all its parts or not at all, parts are changed one by one, and who names
// a state that is past is told so.
func TestSavingTakesNothingAwayUnnamed(t *testing.T) {
	s := servertest.Start(t)
	for name, k := range things(t, s) {
		t.Run(name, func(t *testing.T) {
			if code, _, out := asked(t, s, k.put, "*", k.whole); code != http.StatusOK && code != http.StatusPreconditionFailed {
				t.Fatalf("the whole: %d %v", code, out)
			} else if code == http.StatusPreconditionFailed { // it is new
				if code, _, out := asked(t, s, k.put, "", k.whole); code != http.StatusCreated {
					t.Fatalf("the whole, new: %d %v", code, out)
				}
			}
			code, tag, was := asked(t, s, k.get, "", nil)
			if code != http.StatusOK || tag == "" {
				t.Fatalf("shown: %d %q %v", code, tag, was)
			}
			if code, _, out := asked(t, s, k.put, "", k.bare); name == "site" {
				if code != http.StatusOK || out["currency"] != was["currency"] || !equal(out["holidays"], was["holidays"]) {
					t.Errorf("the site with what it needs alone: %d %v", code, out)
				}
				if code, _, out := asked(t, s, k.put, "", k.whole); code != http.StatusOK {
					t.Fatalf("the whole again: %d %v", code, out)
				}
			} else if code != http.StatusUnprocessableEntity || !strings.Contains(out["detail"].(string), "left out and would be taken away") {
				t.Errorf("with what it needs alone: %d %v", code, out)
			}
			if _, now, is := asked(t, s, k.get, "", nil); now != tag {
				t.Errorf("what was refused has changed it: %v, was %v", is, was)
			}
			code, changed, out := asked(t, s, k.patch, "", k.parts[0])
			if code != http.StatusOK || changed == tag {
				t.Fatalf("a part: %d %q %v", code, changed, out)
			}
			if code, _, out := asked(t, s, k.patch, tag, k.parts[1]); code != http.StatusPreconditionFailed {
				t.Errorf("another part of a state that is past: %d %v", code, out)
			}
			if code, _, out := asked(t, s, k.patch, changed, k.parts[1]); code != http.StatusOK {
				t.Errorf("another part: %d %v", code, out)
			}
			_, tag, is := asked(t, s, k.get, "", nil)
			for _, part := range k.parts {
				for field := range part {
					if was[field] != nil && equal(is[field], was[field]) {
						t.Errorf("%s is %v still", field, is[field])
					}
				}
			}
			for field := range k.whole {
				if k.parts[0][field] == nil && k.parts[1][field] == nil && !equal(is[field], was[field]) {
					t.Errorf("%s was %v and is %v, and nobody named it", field, was[field], is[field])
				}
			}
			if code, _, out := asked(t, s, k.patch, "", []int{1}); code != http.StatusUnprocessableEntity {
				t.Errorf("a list in place of parts: %d %v", code, out)
			}
			if code, _, out := asked(t, s, k.patch, "", object{"made_at": was["made_at"]}); name == "guard" &&
				(code != http.StatusUnprocessableEntity || !strings.Contains(out["detail"].(string), "told by the service")) {
				t.Errorf("what the service alone sets: %d %v", code, out)
			}
			if code, _, out := asked(t, s, k.patch, "", object{"currency": nil}); name == "site" &&
				code != http.StatusUnprocessableEntity {
				t.Errorf("the site's currency taken away: %d %v", code, out)
			}
			if code, _, out := asked(t, s, k.patch, "", object{"titel": 1}); code != http.StatusUnprocessableEntity {
				t.Errorf("a part that there is not: %d %v", code, out)
			}
			if code, _, out := asked(t, s, k.put, tag, k.bare); code != http.StatusOK {
				t.Errorf("the whole in place of a state: %d %v", code, out)
			}
		})
	}
}

// Of many who save in place of one state, one is heard; of many who change parts, all are.
func TestTwoWritersDoNotOverwriteEachOther(t *testing.T) {
	s := servertest.Start(t)
	for name, k := range things(t, s) {
		if code, _, out := asked(t, s, k.put, "", k.whole); code != http.StatusOK && code != http.StatusCreated {
			t.Fatalf("%s: %d %v", name, code, out)
		}
		_, tag, _ := asked(t, s, k.get, "", nil)
		var all sync.WaitGroup
		var mu sync.Mutex
		codes := map[int]int{}
		for i := range 6 {
			all.Go(func() {
				code, _, _ := asked(t, s, k.patch, tag, k.parts[i%2])
				mu.Lock()
				defer mu.Unlock()
				codes[code]++
			})
		}
		all.Wait()
		if codes[http.StatusOK] != 1 || codes[http.StatusPreconditionFailed] != 5 {
			t.Errorf("%s: six in place of one state: %v", name, codes)
		}
		for _, part := range k.parts {
			all.Go(func() {
				if code, _, out := asked(t, s, k.patch, "", part); code != http.StatusOK {
					t.Errorf("%s: %v: %d %v", name, part, code, out)
				}
			})
		}
		all.Wait()
		_, _, is := asked(t, s, k.get, "", nil)
		for _, part := range k.parts {
			for field, want := range part {
				if inner, object := want.(object); object {
					for f, w := range inner {
						if !equal(is[field].(map[string]any)[f], w) {
							t.Errorf("%s: %s.%s is %v, want %v", name, field, f, is[field], w)
						}
					}
				} else if !equal(is[field], want) {
					t.Errorf("%s: %s is %v, want %v", name, field, is[field], want)
				}
			}
		}
	}
}

// A tariff has one part alone: of many who save it in place of one state, one is heard.
func TestTwoWritersOfATariff(t *testing.T) {
	s := servertest.Start(t)
	day := func(price string) object {
		return object{"name": "day", "versions": []object{{"from": "2026-01-01",
			"rates": []object{{"name": "all day", "blocks": []object{{"price": price}}}}}}}
	}
	if code, _, out := asked(t, s, api.PutTariff.At("day"), "", day("0.20")); code != http.StatusCreated {
		t.Fatalf("%d %v", code, out)
	}
	_, tag, _ := asked(t, s, api.GetTariff.At("day"), "", nil)
	var all sync.WaitGroup
	codes := make(chan int, 6)
	for i := range cap(codes) {
		all.Go(func() {
			code, _, _ := asked(t, s, api.PutTariff.At("day"), tag, day(fmt.Sprintf("0.3%d", i)))
			codes <- code
		})
	}
	all.Wait()
	close(codes)
	heard := 0
	for code := range codes {
		if code == http.StatusOK {
			heard++
		} else if code != http.StatusPreconditionFailed {
			t.Errorf("answered by %d", code)
		}
	}
	if heard != 1 {
		t.Errorf("%d of six in place of one state were heard", heard)
	}
}

// equal tells whether two values are the same in JSON.
func equal(a, b any) bool {
	x, _ := json.Marshal(a)
	y, _ := json.Marshal(b)
	return bytes.Equal(x, y)
}

// Null takes away a part of what is changed in parts alone, what is not said stays, and what there must be is not taken
// away.
func TestNullTakesAPartAway(t *testing.T) {
	s := servertest.Start(t)
	things(t, s)
	s.Do(api.PutBoard.At("hall"), object{"title": "Hall", "tiling": object{"tiles": []object{}}}, nil)
	var started api.RunPage
	s.Do(api.StartRun.At(), object{"asset": "tank", "title": "First"}, &started)
	shown := func(at api.Place) map[string]any {
		_, _, is := asked(t, s, at, "", nil)
		if of, page := is["asset"].(map[string]any); page {
			return of
		}
		return is
	}
	for name, k := range map[string]struct {
		get, patch       api.Place
		is, nulls, after object
	}{
		"device": {api.GetDevice.At("d"), api.SetDevice.At("d"), object{"title": "One", "interval": "5m", "silence_alarm": false},
			object{"title": nil, "interval": nil, "silence_alarm": nil},
			object{"title": "D", "interval": 0, "silence_alarm": true}},
		"signal": {api.GetSignal.At("d", "temp"), api.SetSignal.At("d", "temp"), object{"title": "One", "keep_readings": "90d",
			"span": object{"low": -40, "high": 80}, "quantity": "temperature", "bands": []object{{"name": "warm", "from": 20}}},
			object{"keep_readings": nil, "span": nil, "bands": nil},
			object{"title": "One", "keep_readings": 0, "span_low": nil, "bands": []object{}, "quantity": "temperature"}},
		"asset": {api.GetAsset.At("tank"), api.ChangeAsset.At("tank"), object{"note": "It hums.", "next_service": "2027-03-01",
			"signals": []string{"d"}}, object{"note": nil, "next_service": nil, "signals": nil},
			object{"note": "", "next_service": "", "signals": []string{}}},
		"board": {api.GetBoard.At("hall"), api.ChangeBoard.At("hall"), object{"title": "Great hall", "shared": true},
			object{"title": nil}, object{"shared": true, "name": "hall"}},
		"run": {api.GetRun.At(started.ID), api.ChangeRun.At(started.ID), object{"note": "It hums."}, object{"note": nil},
			object{"note": "", "title": "First"}},
	} {
		for _, body := range []object{k.is, k.nulls} {
			if code, _, out := asked(t, s, k.patch, "", body); code != http.StatusOK {
				t.Fatalf("%s: %v: %d %v", name, body, code, out)
			}
		}
		is := shown(k.get)
		for part, want := range k.after {
			if !equal(is[part], want) {
				t.Errorf("%s: %s is %v, want %v", name, part, is[part], want)
			}
		}
	}
	code, _, out := asked(t, s, api.ChangeRun.At(started.ID), "", object{"started_at": nil, "note": "x"})
	if code != http.StatusUnprocessableEntity || !strings.Contains(out["detail"].(string), "started_at cannot be taken away") {
		t.Errorf("%d %v", code, out)
	}
	if got := wire(t, s, api.SetDevice.At("d"), `{"title": "\ud800", "interval": null}`); got.code < 400 {
		t.Errorf("half of a character: %d %s", got.code, got.body)
	}
	if got := wire(t, s, api.SetDevice.At("d"), `{"interval": null}`, "Authorization", ""); got.code != http.StatusUnauthorized {
		t.Errorf("from nobody: %d %s", got.code, got.body)
	}
	if code, _, out = asked(t, s, api.SetDevice.At("d"), "", object{"titel": nil}); code != http.StatusUnprocessableEntity {
		t.Errorf("a part that is none: %d %v", code, out)
	}
	if is := shown(api.GetRun.At(started.ID)); is["note"] != "" {
		t.Errorf("what was refused was done: %v", is["note"])
	}
}

// What is changed in parts alone goes by tags too.
func TestPartsAreChangedUnderTheTagOfTheirState(t *testing.T) {
	s := servertest.Start(t)
	things(t, s)
	s.Do(api.PutBoard.At("hall"), object{"title": "Hall", "tiling": object{"tiles": []object{}}}, nil)
	var started api.RunPage
	s.Do(api.StartRun.At(), object{"asset": "tank", "title": "First"}, &started)
	for name, k := range map[string]struct {
		get, patch api.Place
		one, other object
	}{
		"device": {api.GetDevice.At("d"), api.SetDevice.At("d"), object{"title": "One"}, object{"interval": "5m"}},
		"signal": {api.GetSignal.At("d", "temp"), api.SetSignal.At("d", "temp"), object{"title": "One"},
			object{"keep_readings": "90d"}},
		"asset": {api.GetAsset.At("tank"), api.ChangeAsset.At("tank"), object{"title": "One"}, object{"kind": "tank"}},
		"board": {api.GetBoard.At("hall"), api.ChangeBoard.At("hall"), object{"title": "One"}, object{"shared": true}},
		"run": {api.GetRun.At(started.ID), api.ChangeRun.At(started.ID), object{"title": "One"},
			object{"note": "It hums."}},
	} {
		_, tag, was := asked(t, s, k.get, "", nil)
		code, changed, out := asked(t, s, k.patch, tag, k.one)
		if code != http.StatusOK || tag == "" || changed == tag {
			t.Errorf("%s: %d, from %q to %q: %v", name, code, tag, changed, out)
		}
		if code, _, out := asked(t, s, k.patch, tag, k.other); code != http.StatusPreconditionFailed {
			t.Errorf("%s, as it was before: %d %v", name, code, out)
		}
		if code, _, out := asked(t, s, k.patch, "", k.other); code != http.StatusOK {
			t.Errorf("%s, as it is: %d %v", name, code, out)
		}
		_, _, is := asked(t, s, k.get, "", nil)
		if of, page := is["asset"].(map[string]any); page {
			is = of
		}
		if is["title"] != "One" {
			t.Errorf("%s is %v, was %v", name, is, was)
		}
	}
}

// A query that is not understood is refused, whatever it asks: what is misspelt would be passed over in silence.
func TestAQueryThatIsNotUnderstoodIsRefused(t *testing.T) {
	s := servertest.Start(t)
	s.Send(s.Device("d"), `{"temp": 20}`)
	for at, says := range map[api.Place]string{
		api.ListAlarms.At().Raw("sinse=2026-01-01T00:00:00Z"):      "There is no parameter sinse; did you mean since?",
		api.ListGuards.At().Raw("severity=critical"):               "There is no parameter severity; there are cursor, device, limit and signal",
		api.GetKit.At("k").Raw("device=d"):                         "There is no parameter device; there are none here",
		api.ExportReadings.At().Raw("signal=d/temp&formt=csv"):     "did you mean format?",
		api.ListReadings.At("d", "temp").Raw("limit=5&colour=red"): "There is no parameter colour; there are ",
		api.ListJournal.At().Raw("limit=5&limits=6"):               "did you mean limit?",
	} {
		code, _, out := asked(t, s, at, "", nil)
		if code != http.StatusUnprocessableEntity || !strings.Contains(out["detail"].(string), says) ||
			out["type"] != api.UnknownParameter.Type() {
			t.Errorf("%v: %d %v, want %q", at, code, out, says)
		}
	}
}

// A tag says nothing of what a thing does: who asks with the tag that they have is told what it reads now.
func TestATagHidesNoReading(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	s.Send(d, `{"temp": 20}`)
	at := api.GetSignal.At("d", "temp")
	_, tag, _ := asked(t, s, at, "", nil)
	s.Send(d, `{"temp": 21}`)
	r, err := http.NewRequest(at.Method, s.Owner.URL+at.Path, nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+s.Owner.Token)
	r.Header.Set("If-None-Match", tag)
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	var now struct{ Value float64 }
	if err := json.NewDecoder(answer.Body).Decode(&now); err != nil || answer.StatusCode != http.StatusOK ||
		answer.Header.Get("ETag") != tag || now.Value != 21 {
		t.Errorf("%d %q %+v %v", answer.StatusCode, answer.Header.Get("ETag"), now, err)
	}
}

// A contact with a push address is changed without its keys, which nobody is shown.
func TestAPushAddressKeepsItsKeys(t *testing.T) {
	s := servertest.Start(t)
	phone, err := standin.NewBrowser(nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	p256dh, auth := phone.Keys()
	s.Do(api.PutContact.At("bran"), object{"addresses": []object{{"carrier": "push", "to": "https://push.example/1",
		"keys": object{"p256dh": p256dh, "auth": auth}}}}, nil)
	if code, _, out := asked(t, s, api.PatchContact.At("bran"), "", object{"title": "Bran"}); code != http.StatusOK {
		t.Fatalf("%d %v", code, out)
	}
	contacts, err := config.Contacts(context.Background(), s.Pipeline.Store)
	if err != nil || contacts[0].Title != "Bran" || contacts[0].Addresses[0].Keys == nil ||
		contacts[0].Addresses[0].Keys.P256dh != p256dh {
		t.Errorf("%+v %v", contacts, err)
	}
}
