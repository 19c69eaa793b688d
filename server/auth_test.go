package server_test

import (
	"context"
	"net/http"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"

	"jauntylark/server/servertest"
)

// Every operation of the API's description refuses those without a token, and those whose role is
// too low; none is forgotten, since the description lists them.
func TestEachOperationAsksForItsRole(t *testing.T) {
	s := servertest.Start(t)
	ctx := context.Background()
	tokens := map[string]string{"owner": s.Owner.Token}
	for _, role := range []string{"viewer", "keeper"} {
		person := map[string]string{"email": role + "@hollowbrook.example", "role": role, "password": servertest.Password}
		if err := s.Owner.Do(ctx, http.MethodPost, "/api/v1/people", person, nil); err != nil {
			t.Fatal(err)
		}
		tokens[role] = s.SignIn(person["email"], servertest.Password).Token
	}
	var api struct {
		Paths map[string]map[string]struct {
			OperationID string `yaml:"operationId"`
			Description string `yaml:"description"`
		} `yaml:"paths"`
	}
	if err := yaml.Unmarshal(description(t), &api); err != nil {
		t.Fatal(err)
	}
	open := map[string]bool{"sign-in": true, "create-token": true, "send-readings": true, "get-orders": true, "confirm-orders": true, "confirm-output": true}
	lower := map[string][]string{"viewer": nil, "keeper": {"viewer"}, "owner": {"viewer", "keeper"}}
	checked := 0
	for path, methods := range api.Paths {
		for method, op := range methods {
			if open[op.OperationID] {
				continue
			}
			checked++
			url := s.URL + strings.NewReplacer("{device}", "d", "{signal}", "s", "{guard}", "g", "{id}", "1", "{email}", "e", "{key}", "1", "{name}", "n", "{kit}", "k").Replace(path)
			if status, body, _ := call(t, strings.ToUpper(method), url, "", "application/json", "{}"); status != 401 {
				t.Errorf("%s without a token: %d %s", op.OperationID, status, body)
			}
			role, found := "", false
			for r := range lower {
				if strings.Contains(op.Description, "role "+r) {
					role, found = r, true
				}
			}
			if !found {
				t.Errorf("%s does not say what role it takes: %q", op.OperationID, op.Description)
			}
			for _, r := range lower[role] {
				if status, body, _ := call(t, strings.ToUpper(method), url, tokens[r], "application/json", "{}"); status != 403 {
					t.Errorf("%s as %s: %d %s", op.OperationID, r, status, body)
				}
			}
		}
	}
	if checked < 25 {
		t.Errorf("only %d operations were checked", checked)
	}
	if status, _, _ := call(t, "POST", s.URL+"/api/v1/intake", tokens["viewer"], "application/json", `{"d/temp":1}`); status != 403 {
		t.Errorf("a viewer sends readings: %d", status)
	}
}

func TestSessionsAndSignOut(t *testing.T) {
	s := servertest.Start(t)
	credentials := `{"email":"` + strings.ToUpper(servertest.Owner) + `","password":"` + servertest.Password + `"}`
	status, body, h := call(t, "POST", s.URL+"/api/v1/session", "", "application/json", credentials)
	cookie := h.Get("Set-Cookie")
	if status != 200 || !strings.Contains(cookie, "HttpOnly") || !strings.Contains(cookie, "SameSite=Lax") || strings.Contains(body, "password") {
		t.Fatalf("%d %s %s", status, cookie, body)
	}
	session, _, _ := strings.Cut(cookie, ";")
	if status, body, _ := call(t, "GET", s.URL+"/api/v1/session", "", "", "", "Cookie", session); status != 200 || !strings.Contains(body, servertest.Owner) {
		t.Errorf("who am I: %d %s", status, body)
	}
	if status, _, _ := call(t, "DELETE", s.URL+"/api/v1/session", "", "", "", "Cookie", session, "Sec-Fetch-Site", "cross-site"); status != 403 {
		t.Errorf("another site signs us out: %d", status)
	}
	if status, _, _ := call(t, "DELETE", s.URL+"/api/v1/session", "", "", "", "Cookie", session); status != 204 {
		t.Errorf("sign out: %d", status)
	}
	if status, _, _ := call(t, "GET", s.URL+"/api/v1/session", "", "", "", "Cookie", session); status != 401 {
		t.Errorf("signed out, and still in: %d", status)
	}
}

func TestWrongPasswordsAreSlowedDown(t *testing.T) {
	s := servertest.Start(t)
	for try := range 12 {
		status, body, h := call(t, "POST", s.URL+"/api/v1/session", "", "application/json", `{"email":"`+servertest.Owner+`","password":"wrong wrong"}`)
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
	if err := s.Owner.Do(ctx, http.MethodPut, "/api/v1/people/"+servertest.Owner+"/role", map[string]string{"role": "viewer"}, nil); err == nil || !strings.Contains(err.Error(), "last owner") {
		t.Errorf("the last owner became viewer: %v", err)
	}
	if err := s.Owner.Do(ctx, http.MethodDelete, "/api/v1/people/"+servertest.Owner, nil, nil); err == nil || !strings.Contains(err.Error(), "last owner") {
		t.Errorf("the last owner was removed: %v", err)
	}
	if err := s.Owner.Do(ctx, http.MethodDelete, "/api/v1/people/ower@hollowbrook.example", nil, nil); err == nil || !strings.Contains(err.Error(), "Did you mean "+servertest.Owner) {
		t.Errorf("nobody was removed: %v", err)
	}
	for field, person := range map[string]map[string]string{
		"email":    {"email": "nobody", "role": "viewer"},
		"password": {"email": "a@b.example", "role": "viewer", "password": "short"},
		"role":     {"email": "a@b.example", "role": "boss"},
	} {
		if err := s.Owner.Do(ctx, http.MethodPost, "/api/v1/people", person, nil); err == nil || !strings.Contains(err.Error(), field) {
			t.Errorf("%v: %v does not name %s", person, err, field)
		}
	}
}
