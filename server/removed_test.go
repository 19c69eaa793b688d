package server_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
)

func removedNames(s *servertest.Service, kind string) (names []string) {
	var all []site.Removal
	s.Do(api.ListRemoved.At().Asking("kind", kind), nil, &all)
	for _, r := range all {
		names = append(names, r.Kind+" "+r.Name)
	}
	return names
}

// listed is what a list says, without what moves by itself.
func listed(s *servertest.Service, list *api.Operation) string {
	var all []map[string]any
	if list == api.ListOutputs.Operation {
		var outputs struct {
			Outputs []map[string]any `json:"outputs"`
		}
		s.Do(list.At(), nil, &outputs)
		all = outputs.Outputs
	} else {
		s.Do(list.At(), nil, &all)
	}
	for _, one := range all {
		for _, moves := range []string{"changed_at", "ordered_at", "revision", "asked_at", "heard_at", "life",
			"made_at", "computed_until", "work", "version", "since", "today", "month"} {
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
	put := func(at api.Place, body any) { t.Helper(); s.Do(at, body, nil) }
	put(api.PutContact.At("orla"), map[string]any{"title": "Orla",
		"addresses": []map[string]string{{"carrier": "e-mail", "to": "o@b.example"}}})
	put(api.PutContact.At("spare"), map[string]any{"title": "Spare",
		"addresses": []map[string]string{{"carrier": "e-mail", "to": "s@b.example"}}})
	put(api.PutRoster.At("house"), map[string]any{"title": "The house",
		"steps": []map[string]any{{"who": []string{"orla"}}}})
	put(api.PutStatement.At("alarms"), map[string]any{"kind": "alarms", "every": "week", "at": "07:00",
		"tell": []string{}, "totals": []string{}})
	put(api.PutTariff.At("flat"), map[string]any{"name": "flat",
		"versions": []map[string]any{{"from": "2026-01-01",
			"rates": []map[string]any{{"name": "all", "blocks": []map[string]string{{"price": "0.2"}}}}}}})
	put(api.PutKit.At("probe"), map[string]any{"name": "probe",
		"signals": []map[string]string{{"name": "level", "unit": "Cel"}}})
	put(api.PutInterlock.At("by-value"), map[string]any{"name": "by-value", "output": "shed/fan", "signal": "shed/v",
		"when": "above 50", "set": "on"})
	put(api.PutBoard.At("warmth"), map[string]any{"title": "Warmth", "tiling": map[string]any{"tiles": []any{}}})
	s.Do(api.AddAsset.At(), map[string]any{"name": "pump", "title": "Pump"}, nil)
	put(api.PutPlan.At("night"), map[string]any{"asset": "pump", "title": "Night", "hours": "daily 22:00-06:00"})
	put(api.PutRecipe.At("shed", "twice"), map[string]any{"recipe": map[string]any{"kind": "formula",
		"formula": "a * 2.0", "of": []map[string]string{{"as": "a", "signal": "shed/v"}}}})
	s.Do(api.AddTotal.At(), map[string]string{"name": "hours", "signal": "shed/on", "kind": "on-time"}, nil)
	s.Do(api.AddGuard.At(), map[string]any{"name": "high", "signal": "shed/v", "when": "above 50"}, nil)
	s.Do(api.AddPerson.At(), map[string]string{"email": "v@b.example", "role": "viewer",
		"password": "long enough for it"}, nil)
	var trial site.Trial
	s.Do(api.StartTrial.At(), map[string]string{"signal": "shed/v"}, &trial)
	for _, r := range []struct {
		kind, name string
		list       *api.Operation
		remove     api.Place
	}{
		{"guard", "high", api.ListGuards.Operation, api.RemoveGuard.At("high")},
		{"contact", "spare", api.ListContacts.Operation, api.RemoveContact.At("spare")},
		{"roster", "house", api.ListRosters.Operation, api.RemoveRoster.At("house")},
		{"statement", "alarms", api.ListStatements.Operation, api.RemoveStatement.At("alarms")},
		{"tariff", "flat", api.ListTariffs.Operation, api.RemoveTariff.At("flat")},
		{"kit", "probe", api.ListKits.Operation, api.RemoveKit.At("probe")},
		{"interlock", "by-value", api.ListInterlocks.Operation, api.RemoveInterlock.At("by-value")},
		{"output", "shed/fan", api.ListOutputs.Operation, api.RemoveOutput.At("shed", "fan")},
		{"total", "hours", api.ListTotals.Operation, api.RemoveTotal.At("hours")},
		{"signal", "shed/twice", api.ListSignals.Operation, api.RemoveSignal.At("shed", "twice")},
		{"plan", "night", api.ListPlans.Operation, api.RemovePlan.At("night")},
		{"asset", "pump", api.ListAssets.Operation, api.RemoveAsset.At("pump")},
		{"board", "warmth", api.ListBoards.Operation, api.RemoveBoard.At("warmth")},
		{"trial", "1", api.ListTrials.Operation, api.RemoveTrial.At(1)},
		{"person", "v@b.example", api.ListPeople.Operation, api.RemovePerson.At("v@b.example")},
		{"device", "shed", api.ListDevices.Operation, api.RemoveDevice.At("shed")},
	} {
		before := listed(s, r.list)
		s.Do(r.remove, nil, nil)
		if during := listed(s, r.list); during == before {
			t.Errorf("%s %s is still in %s", r.kind, r.name, r.list.Path)
		}
		if got := removedNames(s, r.kind); len(got) == 0 || got[0] != r.kind+" "+r.name {
			t.Errorf("%s %s is not listed as removed: %v", r.kind, r.name, got)
		}
		s.Do(api.BringBack.At(), map[string]string{"kind": r.kind, "name": r.name}, nil)
		if after := listed(s, r.list); before != after {
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
	s.Do(api.AddPerson.At(), map[string]string{"email": "k@b.example", "role": "keeper",
		"password": "long enough for it"}, nil)
	keeper := s.SignIn("k@b.example", "long enough for it")
	s.Do(api.RemoveDevice.At("shed"), nil, nil)
	bring := func(kind, name string) map[string]string { return map[string]string{"kind": kind, "name": name} }
	refused(t, keeper, http.StatusForbidden, api.BringBack.At(), bring("device", "shed"))
	refused(t, s.Owner, http.StatusUnprocessableEntity, api.BringBack.At(), bring("guad", "x"))
	if said := refused(t, s.Owner, http.StatusNotFound, api.BringBack.At(),
		bring("device", "shde")); !strings.HasSuffix(said, "Did you mean shed?") {
		t.Error(said)
	}
	refused(t, s.Owner, http.StatusUnprocessableEntity, api.ListRemoved.At().Asking("kind", "guad"), nil)
	refused(t, s.Owner, http.StatusNotFound, api.BringBack.At(), bring("guard", "never-there"))
	s.Do(api.RemovePerson.At("k@b.example"), nil, nil)
	if got := removedNames(s, "person"); len(got) != 1 {
		t.Errorf("owners see %v", got)
	}
}
