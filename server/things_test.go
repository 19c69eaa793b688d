package server_test

import (
	"testing"

	"jauntylark/api"
	"jauntylark/core/frame"
	"jauntylark/server/servertest"
)

// kept is a thing that is shown, saved and changed in parts at one place.
type kept struct {
	get, put, patch api.Place
	whole           object   // with more than it needs
	bare            object   // with what it needs alone
	parts           []object // two changes that do not touch each other
}

func things(t *testing.T, s *servertest.Service) map[string]kept {
	s.Send(s.Device("d"), `{"temp": 20, "level": 5}`)
	sendFrame(t, s.Device("cam"), frame.CSV, []byte("20,21\n22,23\n"))
	s.Output("d/fan", object{"title": "Fan"})
	s.Guard(object{"signal": "d/temp", "when": "above 30", "severity": "critical", "advice": "Open it.",
		"tell": []string{"orla@hollowbrook.example"}, "on_delay": "1m", "name": "hot"})
	s.Do(api.PutContact.At("bran"), object{"addresses": []object{{"carrier": "e-mail", "to": "b@hollowbrook.example"}}},
		nil)
	s.Do(api.AddAsset.At(), object{"name": "tank", "title": "Tank", "signals": []string{"d/temp"}}, nil)
	at := func(get, put, patch *api.Operation, parts ...any) kept {
		return kept{get: get.At(parts...), put: put.At(parts...), patch: patch.At(parts...)}
	}
	all := map[string]kept{
		"guard": at(api.GetGuard.Operation, api.PutGuard.Operation, api.PatchGuard.Operation, "hot").of(
			object{"signal": "d/temp", "when": "above 30", "severity": "critical", "advice": "Open it.",
				"tell": []string{"orla@hollowbrook.example"}, "on_delay": "1m"},
			object{"signal": "d/temp", "when": "above 31"}, object{"advice": "Shut it."}, object{"deadband": 2}),
		"contact": at(api.GetContact.Operation, api.PutContact.Operation, api.PatchContact.Operation, "tadhg").of(
			object{"title": "Tadhg", "addresses": []object{{"carrier": "e-mail", "to": "t@hollowbrook.example"}},
				"quiet": "daily 22:00-07:00", "passes": "warning"},
			object{"title": "T"}, object{"title": "Tadhg of the tower"}, object{"quiet": "daily 21:00-06:00"}),
		"roster": at(api.GetRoster.Operation, api.PutRoster.Operation, api.PatchRoster.Operation, "night").of(
			object{"title": "Night", "steps": []object{{"who": []string{"bran"}, "by": []string{}}},
				"repeat": "20m"},
			object{"steps": []object{{"who": []string{"bran"}, "by": []string{}}}},
			object{"title": "By night"}, object{"repeat": 600}),
		"output": at(api.GetOutput.Operation, api.PutOutput.Operation, api.PatchOutput.Operation, "d", "fan").of(
			object{"kind": "switch", "title": "The fan", "least_on": "5m"},
			object{"kind": "switch"}, object{"title": "Fan"}, object{"least_off": 120}),
		"interlock": at(api.GetInterlock.Operation, api.PutInterlock.Operation, api.PatchInterlock.Operation, "vent").of(
			object{"name": "vent", "output": "d/fan", "signal": "d/temp", "when": "above 40", "set": "on",
				"safety": true},
			object{"name": "vent", "output": "d/fan", "signal": "d/temp", "when": "above 41", "set": "on"},
			object{"when": "above 42"}, object{"deadband": 3}),
		"statement": at(api.GetStatement.Operation, api.PutStatement.Operation, api.PatchStatement.Operation,
			"weekly").of(
			object{"title": "Weekly", "kind": "alarms", "every": "week", "at": "08:00",
				"tell": []string{"orla@hollowbrook.example"}},
			object{"kind": "alarms", "every": "week", "at": "08:00"}, object{"title": "Each week"},
			object{"at": "09:00"}),
		"plan": at(api.GetPlan.Operation, api.PutPlan.Operation, api.PatchPlan.Operation, "nightly").of(
			object{"asset": "tank", "title": "Nightly", "hours": "daily 22:00-06:00"},
			object{"asset": "tank", "signal": "d/temp", "start": "above 20"}, object{"title": "Each night"},
			object{"hours": "daily 21:00-05:00"}),
		"kit": at(api.GetKit.Operation, api.PutKit.Operation, api.PatchKit.Operation, "probe").of(
			object{"name": "probe", "title": "Probe", "about": "In the pond.", "signals": []object{{"name": "temp"}}},
			object{"name": "probe", "signals": []object{{"name": "temp"}}}, object{"title": "Pond probe"},
			object{"about": "In the tank."}),
		"eye": at(api.GetEye.Operation, api.PutEye.Operation, api.PatchEye.Operation, "cam").of(
			object{"emissivity": 0.9, "reflected": 18, "low": -20, "high": 200}, object{"emissivity": 0.9},
			object{"emissivity": 0.95}, object{"reflected": 20}),
		"reader": at(api.GetReader.Operation, api.PutReader.Operation, api.PatchReader.Operation, "hook").of(
			object{"url": "https://example.org/feed", "devices": []string{"d"}, "kinds": []string{"alarm"}},
			object{"url": "https://example.org/feed"}, object{"devices": []string{"cam"}},
			object{"kinds": []string{"journal"}}),
		"site": at(api.GetSite.Operation, api.PutSite.Operation, api.PatchSite.Operation).of(
			object{"name": "Hollowbrook", "zone": "Europe/Dublin", "currency": "EUR", "holidays": []string{"2026-12-25"}},
			object{"name": "H", "zone": "Europe/Dublin", "currency": "EUR"}, object{"name": "Hollow"}, object{"currency": "GBP"}),
		"reach": at(api.GetReach.Operation, api.PutReach.Operation, api.PatchReach.Operation).of(
			object{"tell": []string{"orla@hollowbrook.example"}, "quiet_word": object{"to": "orla@hollowbrook.example",
				"at": "08:00"}},
			object{"tell": []string{"orla@hollowbrook.example"}}, object{"tell": []string{}},
			object{"quiet_word": object{"at": "09:00"}}),
	}
	return all
}

func (k kept) of(whole, bare object, parts ...object) kept {
	k.whole, k.bare, k.parts = whole, bare, parts
	return k
}
