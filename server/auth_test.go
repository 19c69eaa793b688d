package server_test

import (
	"context"
	"slices"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
)

// Every operation of the API's description refuses those without a token, and those whose role is
// too low; none is forgotten, since the description lists them.
func TestEachOperationAsksForItsRole(t *testing.T) {
	s := servertest.Start(t)
	ctx := context.Background()
	tokens := map[string]string{"owner": s.Owner.Token}
	for _, role := range []string{"viewer", "keeper"} {
		person := map[string]string{"email": role + "@hollowbrook.example", "role": role,
			"password": servertest.Password}
		if err := s.Owner.Call(ctx, api.AddPerson.At(), person, nil); err != nil {
			t.Fatal(err)
		}
		tokens[role] = s.SignIn(person["email"], servertest.Password).Token
	}
	lower := map[site.Role][]string{site.Viewer: nil, site.Keeper: {"viewer"}, site.Owner: {"viewer", "keeper"}}
	checked := 0
	for _, op := range api.All() {
		if op.Role == "" || op.Keyed {
			continue
		}
		checked++
		at := op.At(slices.Repeat([]string{"1"}, strings.Count(op.Path, "{")))
		if status, body, _ := call(t, at.Method, s.URL+at.Path, "", "application/json", "{}"); status != 401 {
			t.Errorf("%s without a token: %d %s", op.Name, status, body)
		}
		for _, r := range lower[op.Role] {
			if status, body, _ := call(t, at.Method, s.URL+at.Path, tokens[r], "application/json",
				"{}"); status != 403 {
				t.Errorf("%s as %s: %d %s", op.Name, r, status, body)
			}
		}
	}
	if checked < 200 {
		t.Errorf("only %d operations were checked", checked)
	}
	if status, _, _ := call(t, "POST", s.URL+api.SendReadings.At().Path, tokens["viewer"], "application/json",
		`{"d/temp":1}`); status != 403 {
		t.Errorf("a viewer sends readings: %d", status)
	}
}

func TestSessionsAndSignOut(t *testing.T) {
	s := servertest.Start(t)
	credentials := `{"email":"` + strings.ToUpper(servertest.Owner) + `","password":"` + servertest.Password + `"}`
	status, body, h := call(t, "POST", s.URL+api.GetSession.At().Path, "", "application/json", credentials)
	cookie := h.Get("Set-Cookie")
	if status != 200 || !strings.Contains(cookie, "HttpOnly") || !strings.Contains(cookie, "SameSite=Lax") ||
		strings.Contains(body, "password") {
		t.Fatalf("%d %s %s", status, cookie, body)
	}
	session, _, _ := strings.Cut(cookie, ";")
	if status, body, _ := call(t, "GET", s.URL+api.GetSession.At().Path, "", "", "", "Cookie",
		session); status != 200 || !strings.Contains(body, servertest.Owner) {
		t.Errorf("who am I: %d %s", status, body)
	}
	if status, _, _ := call(t, "DELETE", s.URL+api.GetSession.At().Path, "", "", "", "Cookie", session,
		"Sec-Fetch-Site", "cross-site"); status != 403 {
		t.Errorf("another site signs us out: %d", status)
	}
	if status, _, _ := call(t, "DELETE", s.URL+api.GetSession.At().Path, "", "", "", "Cookie", session); status != 204 {
		t.Errorf("sign out: %d", status)
	}
	if status, _, _ := call(t, "GET", s.URL+api.GetSession.At().Path, "", "", "", "Cookie", session); status != 401 {
		t.Errorf("signed out, and still in: %d", status)
	}
}

func TestWrongPasswordsAreSlowedDown(t *testing.T) {
	s := servertest.Start(t)
	for try := range 12 {
		status, body, h := call(t, "POST", s.URL+api.GetSession.At().Path, "", "application/json", `{"email":"`+
			servertest.Owner+`","password":"wrong wrong"}`)
		want := 401
		if try >= 8 {
			want = 429
		}
		if status != want {
			t.Fatalf("try %d: %d %s", try, status, body)
		}
		if status == 429 && h.Get("Retry-After") == "" {
			t.Error("no Retry-After")
		}
	}
}

func TestTheLastOwnerStays(t *testing.T) {
	s := servertest.Start(t)
	ctx := context.Background()
	if err := s.Owner.Call(ctx, api.SetRole.At(servertest.Owner), map[string]string{"role": "viewer"},
		nil); err == nil || !strings.Contains(err.Error(), "last owner") {
		t.Errorf("the last owner became viewer: %v", err)
	}
	if err := s.Owner.Call(ctx, api.RemovePerson.At(servertest.Owner), nil, nil); err == nil ||
		!strings.Contains(err.Error(), "last owner") {
		t.Errorf("the last owner was removed: %v", err)
	}
	if err := s.Owner.Call(ctx, api.RemovePerson.At("ower@hollowbrook.example"), nil, nil); err == nil ||
		!strings.Contains(err.Error(), "Did you mean "+servertest.Owner) {
		t.Errorf("nobody was removed: %v", err)
	}
	for field, person := range map[string]map[string]string{
		"email":    {"email": "nobody", "role": "viewer"},
		"password": {"email": "a@b.example", "role": "viewer", "password": "short"},
		"role":     {"email": "a@b.example", "role": "boss"},
	} {
		if err := s.Owner.Call(ctx, api.AddPerson.At(), person, nil); err == nil ||
			!strings.Contains(err.Error(), field) {
			t.Errorf("%v: %v does not name %s", person, err, field)
		}
	}
}
