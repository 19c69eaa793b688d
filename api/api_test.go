package api

import (
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/core/alarm"
)

// Each operation has a name and a place of its own, says what it does, and takes just what its path names.
func TestEachOperationIsWhole(t *testing.T) {
	open := []string{"sign-in", "create-token", "call-back"}
	names, places := map[string]bool{}, map[string]bool{}
	for _, op := range All() {
		place := op.Method + " " + pathPart.ReplaceAllString(op.Path, "{}")
		if names[op.Name] || places[place] {
			t.Errorf("%s, %s is declared twice", op.Name, place)
		}
		names[op.Name], places[place] = true, true
		if !regexp.MustCompile(`^[a-z]+(-[a-z]+)*$`).MatchString(op.Name) || op.Summary == "" ||
			!strings.HasPrefix(op.Path, "/") {
			t.Errorf("%+v", op)
		}
		if (op.Role == "" && !op.Keyed) != slices.Contains(open, op.Name) {
			t.Errorf("%s takes the role %q", op.Name, op.Role)
		}
		var parts []string
		for _, p := range parameters(op.In, huma.NewMapRegistry("#/", huma.DefaultSchemaNamer)) {
			if p.In == "path" {
				parts = append(parts, "{"+p.Name+"}")
			}
		}
		want := pathPart.FindAllString(op.Path, -1)
		slices.Sort(parts)
		slices.Sort(want)
		if !slices.Equal(parts, want) {
			t.Errorf("%s takes %v, and its path has %v", op.Name, parts, want)
		}
	}
}

func TestPlaces(t *testing.T) {
	since := time.Date(2026, 3, 1, 14, 5, 0, 5e8, time.FixedZone("", 3600))
	for want, place := range map[string]Place{
		"GET /api/v1/devices":       ListDevices.At(),
		"GET /api/v1/devices/a%2Fb": GetDevice.At("a/b"),
		"GET /api/v1/signals/pond/oxygen": GetSignal.At(strings.Split("pond/oxygen",
			"/")),
		"DELETE /api/v1/trials/7/stretches/12": UnmarkTrial.At(7, int64(12)),
		"GET /api/v1/alarms?all=true&limit=5": ListAlarms.At().Asking("all", true, "limit",
			5),
		"GET /api/v1/alarms?all=%zz": ListAlarms.At().Raw("all=%zz"),
		"GET /api/v1/alarms?all=true&signal=pond%2Foxygen": ListAlarms.At().Asking("all",
			true).And("signal", "pond/oxygen"),
		"GET /api/v1/site": GetSite.PlaceOf(None{}),
		"GET /api/v1/alarms?cursor=3&since=2026-03-01T13%3A05%3A00.5Z": ListAlarms.PlaceOf(
			ListAlarmsIn{Page: Page{Cursor: "3"}, Since: since}),
		"GET /api/v1/kits/probe/changes?device=a&device=b": KitChanges.PlaceOf(
			KitChangesIn{KitPath: KitPath{"probe"}, Devices: []string{"a", "b"}}),
		"GET /api/v1/rosters/house/plan?kind=silence&severity=critical": ShowRosterAt.PlaceOf(
			ShowRosterAtIn{RosterPath: RosterPath{"house"}, Severity: alarm.Critical, Kind: "silence"}),
		"DELETE /api/v1/people/o%27b@b.example": RemovePerson.PlaceOf(
			PersonPath{Email: "o'b@b.example"}),
	} {
		if place.String() != want {
			t.Errorf("%s, not %s", place, want)
		}
	}
	for what, wrong := range map[string]func(){"few": func() { GetSignal.At("pond") },
		"many": func() { GetDevice.At("pond", "oxygen") }} {
		func() {
			defer func() {
				if recover() == nil {
					t.Errorf("too %s parts make a place", what)
				}
			}()
			wrong()
		}()
	}
}

func TestBodies(t *testing.T) {
	if body := AcknowledgeAlarm.BodyOf(AcknowledgeAlarmIn{}); body != nil {
		t.Errorf("an optional body that is not said is %v", body)
	}
	if body := SetRole.BodyOf(SetRoleIn{Body: RoleOrder{Role: viewer}}); body != (RoleOrder{Role: viewer}) {
		t.Errorf("%+v", body)
	}
	if body := GetSite.BodyOf(None{}); body != nil {
		t.Errorf("%v", body)
	}
}

// Each operation's description names its problems, and who may do it.
func TestDescriptions(t *testing.T) {
	schemas := huma.NewMapRegistry("#/", huma.DefaultSchemaNamer)
	for name, want := range map[*Operation]struct {
		codes  []string
		by     []string
		detail string
	}{
		ListDevices.Operation: {[]string{"200", "401", "403", "422", "503"}, []string{ByToken, BySession},
			"Takes the role viewer."},
		SetRole.Operation: {[]string{"400", "401", "403", "404", "409", "413", "415", "422", "503"},
			[]string{ByToken, BySession}, "Takes the role owner."},
		SignIn.Operation: {[]string{"400", "409", "413", "415", "422", "503"}, []string{""}, ""},
		GetSpread.Operation: {[]string{"401", "403", "404", "422", "429", "503"}, []string{ByToken, BySession},
			"Takes the role viewer."},
		SendReadings.Operation: {[]string{"200", "202", "204", "400", "401", "403", "409", "413", "415", "422", "429",
			"503"}, []string{ByKey, ByToken}, "A device sends"},
	} {
		d := name.Describe(schemas)
		var codes, by []string
		for code := range d.Responses {
			codes = append(codes, code)
		}
		slices.Sort(codes)
		for _, s := range d.Security {
			scheme := ""
			for scheme = range s {
			}
			by = append(by, scheme)
		}
		if !reflect.DeepEqual(codes, want.codes) || !reflect.DeepEqual(by, want.by) ||
			!strings.HasPrefix(d.Description, want.detail) {
			t.Errorf("%s: %v %v %q", d.OperationID, codes, by, d.Description)
		}
	}
}
