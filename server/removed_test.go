package server_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"jauntylark/core/site"
	"jauntylark/server/servertest"
)

func removedNames(s *servertest.Service, kind string) (names []string) {
	var all []site.Removal
	s.Do(http.MethodGet, "/api/v1/removed?kind="+kind, nil, &all)
	for _, r := range all {
		names = append(names, r.Kind+" "+r.Name)
	}
	return names
}

// listed is what a list says, without what moves by itself.
func listed(s *servertest.Service, path string) string {
	var all []map[string]any
	if path == "/api/v1/outputs" {
		var outputs struct {
			Outputs []map[string]any `json:"outputs"`
		}
		s.Do(http.MethodGet, path, nil, &outputs)
		all = outputs.Outputs
	} else {
		s.Do(http.MethodGet, path, nil, &all)
	}
	for _, one := range all {
		for _, moves := range []string{"changed_at", "ordered_at", "revision", "asked_at", "heard_at", "life", "made_at", "computed_until", "work", "version", "since", "today", "month"} {
			delete(one, moves)
		}
	}
	text, _ := json.MarshalIndent(all, "", " ")
	return string(text)
}

// Whatever can be removed is listed when it was, and comes back as it was.
func TestWhateverIsRemovedComesBack(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("shed")
	s.Send(d, `{"v": 3, "on": true}`)
	s.Output("shed/fan", nil)
	put := func(path string, body any) { t.Helper(); s.Do(http.MethodPut, path, body, nil) }
	put("/api/v1/contacts/orla", map[string]any{"title": "Orla", "addresses": []map[string]string{{"carrier": "e-mail", "to": "o@b.example"}}})
	put("/api/v1/contacts/spare", map[string]any{"title": "Spare", "addresses": []map[string]string{{"carrier": "e-mail", "to": "s@b.example"}}})
	put("/api/v1/rosters/house", map[string]any{"title": "The house", "steps": []map[string]any{{"who": []string{"orla"}}}})
	put("/api/v1/statements/alarms", map[string]any{"kind": "alarms", "every": "week", "at": "07:00", "tell": []string{}, "totals": []string{}})
	put("/api/v1/tariffs/flat", map[string]any{"name": "flat", "versions": []map[string]any{{"from": "2026-01-01", "rates": []map[string]any{{"name": "all", "blocks": []map[string]string{{"price": "0.2"}}}}}}})
	put("/api/v1/kits/probe", map[string]any{"name": "probe", "signals": []map[string]string{{"name": "level", "unit": "Cel"}}})
	put("/api/v1/interlocks/by-value", map[string]any{"name": "by-value", "output": "shed/fan", "signal": "shed/v", "when": "above 50", "set": "on"})
	put("/api/v1/boards/warmth", map[string]any{"title": "Warmth", "tiling": map[string]any{"tiles": []any{}}})
	s.Do(http.MethodPost, "/api/v1/assets", map[string]any{"name": "pump", "title": "Pump"}, nil)
	put("/api/v1/run-plans/night", map[string]any{"asset": "pump", "title": "Night", "hours": "daily 22:00-06:00"})
	put("/api/v1/signals/shed/twice/recipe", map[string]any{"recipe": map[string]any{"kind": "formula", "formula": "a * 2.0", "of": []map[string]string{{"as": "a", "signal": "shed/v"}}}})
	s.Do(http.MethodPost, "/api/v1/totals", map[string]string{"name": "hours", "signal": "shed/on", "kind": "on-time"}, nil)
	s.Do(http.MethodPost, "/api/v1/guards", map[string]any{"name": "high", "signal": "shed/v", "when": "above 50"}, nil)
	s.Do(http.MethodPost, "/api/v1/people", map[string]string{"email": "v@b.example", "role": "viewer", "password": "long enough for it"}, nil)
	var trial site.Trial
	s.Do(http.MethodPost, "/api/v1/trials", map[string]string{"signal": "shed/v"}, &trial)
	for _, r := range []struct{ kind, name, path string }{
		{"guard", "high", "/api/v1/guards/high"}, {"contact", "spare", "/api/v1/contacts/spare"}, {"roster", "house", "/api/v1/rosters/house"},
		{"statement", "alarms", "/api/v1/statements/alarms"}, {"tariff", "flat", "/api/v1/tariffs/flat"}, {"kit", "probe", "/api/v1/kits/probe"},
		{"interlock", "by-value", "/api/v1/interlocks/by-value"}, {"output", "shed/fan", "/api/v1/outputs/shed/fan"}, {"total", "hours", "/api/v1/totals/hours"},
		{"signal", "shed/twice", "/api/v1/signals/shed/twice"}, {"plan", "night", "/api/v1/run-plans/night"}, {"asset", "pump", "/api/v1/assets/pump"},
		{"board", "warmth", "/api/v1/boards/warmth"}, {"trial", "1", "/api/v1/trials/1"}, {"person", "v@b.example", "/api/v1/people/v@b.example"}, {"device", "shed", "/api/v1/devices/shed"},
	} {
		lists := r.path[:strings.LastIndex(r.path, "/")]
		lists = strings.TrimSuffix(lists, "/shed")
		before := listed(s, lists)
		s.Do(http.MethodDelete, r.path, nil, nil)
		if during := listed(s, lists); during == before {
			t.Errorf("%s %s is still in %s", r.kind, r.name, lists)
		}
		if got := removedNames(s, r.kind); len(got) == 0 || got[0] != r.kind+" "+r.name {
			t.Errorf("%s %s is not listed as removed: %v", r.kind, r.name, got)
		}
		s.Do(http.MethodPost, "/api/v1/removed/bring-back", map[string]string{"kind": r.kind, "name": r.name}, nil)
		if after := listed(s, lists); before != after {
			t.Errorf("%s %s came back otherwise:\n%s\n%s", r.kind, r.name, before, after)
		}
		if got := removedNames(s, r.kind); len(got) != 0 {
			t.Errorf("%s %s is still listed as removed: %v", r.kind, r.name, got)
		}
	}
}

// Bringing back takes the role that removing took, and says what was meant.
func TestBringingBackIsRefused(t *testing.T) {
	s := servertest.Start(t)
	s.Device("shed")
	s.Do(http.MethodPost, "/api/v1/people", map[string]string{"email": "k@b.example", "role": "keeper", "password": "long enough for it"}, nil)
	keeper := s.SignIn("k@b.example", "long enough for it")
	s.Do(http.MethodDelete, "/api/v1/devices/shed", nil, nil)
	bring := func(kind, name string) map[string]string { return map[string]string{"kind": kind, "name": name} }
	refused(t, keeper, http.StatusForbidden, http.MethodPost, "/api/v1/removed/bring-back", bring("device", "shed"))
	refused(t, s.Owner, http.StatusUnprocessableEntity, http.MethodPost, "/api/v1/removed/bring-back", bring("guad", "x"))
	if said := refused(t, s.Owner, http.StatusNotFound, http.MethodPost, "/api/v1/removed/bring-back", bring("device", "shde")); !strings.HasSuffix(said, "Did you mean shed?") {
		t.Error(said)
	}
	refused(t, s.Owner, http.StatusUnprocessableEntity, http.MethodGet, "/api/v1/removed?kind=guad", nil)
	refused(t, s.Owner, http.StatusNotFound, http.MethodPost, "/api/v1/removed/bring-back", bring("guard", "never-there"))
	s.Do(http.MethodDelete, "/api/v1/people/k@b.example", nil, nil)
	if got := removedNames(s, "person"); len(got) != 1 {
		t.Errorf("owners see %v", got)
	}
}
