package server_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/server/servertest"
)

// What is meant to be new is saved where nothing has its name, and else takes nothing of what has.
func TestWhatIsMeantToBeNewReplacesNothing(t *testing.T) {
	s := servertest.Start(t)
	all := things(t, s)
	tiling := tiles(tile("value", "d/temp"))
	all["board"] = kept{get: api.GetBoard.At("hall"), put: api.PutBoard.At("hall"),
		whole: object{"title": "Hall", "tiling": tiling}, bare: object{"tiling": object{"tiles": []object{}}}}
	all["new guard"] = kept{get: api.GetGuard.At("cool"), put: api.PutGuard.At("cool"),
		whole: object{"signal": "d/temp", "when": "below 5", "advice": "Shut it."},
		bare:  object{"signal": "d/temp", "when": "below 4"}}
	all["reader"] = kept{get: api.GetReader.At("sheet"), put: api.PutReader.At("sheet"),
		whole: object{"devices": []string{"d"}}, bare: object{}}
	for name, k := range all {
		code, _, _ := asked(t, s, k.get, "", nil)
		there := code == http.StatusOK
		got := wire(t, s, k.put, written(t, k.whole), "If-None-Match", "*")
		if want := map[bool]int{true: http.StatusPreconditionFailed, false: http.StatusCreated}[there]; got.code != want {
			t.Errorf("%s, there %t: %d %s", name, there, got.code, got.body)
		}
		_, tag, _ := asked(t, s, k.get, "", nil)
		got = wire(t, s, k.put, written(t, k.bare), "If-None-Match", "*")
		if got.code != http.StatusPreconditionFailed || !strings.Contains(string(got.body), api.ThereAlready.Type()) {
			t.Errorf("%s, there: %d %s", name, got.code, got.body)
		}
		if got = wire(t, s, k.put, written(t, k.bare), "If-None-Match", tag); got.code != http.StatusPreconditionFailed {
			t.Errorf("%s, other than the state that stands: %d %s", name, got.code, got.body)
		}
		if _, now, is := asked(t, s, k.get, "", nil); now != tag {
			t.Errorf("%s was changed: %v", name, is)
		}
	}
	got := wire(t, s, api.PutGuard.At("cold"), `{"name": "icy", "signal": "d/temp", "when": "below 0"}`)
	if got.code != http.StatusUnprocessableEntity || !strings.Contains(string(got.body), "body.name") {
		t.Errorf("a new guard with two names: %d %s", got.code, got.body)
	}
	// A board's whole goes by its tag too.
	_, tag, _ := asked(t, s, api.GetBoard.At("hall"), "", nil)
	if code, _, out := asked(t, s, api.ChangeBoard.At("hall"), tag, object{"title": "Great hall"}); code != http.StatusOK {
		t.Fatalf("%d %v", code, out)
	}
	bare := object{"title": "Hall", "tiling": object{"tiles": []object{}}}
	if code, _, out := asked(t, s, api.PutBoard.At("hall"), tag, bare); code != http.StatusPreconditionFailed {
		t.Errorf("a board that was changed: %d %v", code, out)
	}
	if code, _, out := asked(t, s, api.PutBoard.At("hall"), "", object{"tiling": tiling}); code !=
		http.StatusUnprocessableEntity {
		t.Errorf("a board without its title: %d %v", code, out)
	}
}

// written gives a value as JSON.
func written(t *testing.T, v any) string {
	t.Helper()
	text, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}
