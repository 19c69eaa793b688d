package senml

import (
	"encoding/json"
	"math"
	"reflect"
	"testing"
)

// same compares what scan and encoding/json make of a body.
func same(t *testing.T, body []byte) {
	t.Helper()
	got, ok := scan(body)
	if !ok {
		return // encoding/json has the word then
	}
	want := []record{}
	if err := json.Unmarshal(body, &want); err != nil {
		t.Fatalf("%s was read, and is wrong: %v", body, err)
	}
	if !reflect.DeepEqual(got, want) {
		t.Fatalf("%s\n got %+v\nwant %+v", body, got, want)
	}
	for i := range got {
		if a, b := got[i].Value, want[i].Value; a != nil && math.Float64bits(*a) != math.Float64bits(*b) {
			t.Fatalf("%s: %v, want %v", body, *a, *b)
		}
	}
}

var packs = []string{
	`[]`, ` [ ] `, `[{"n":"a","v":1}]`,
	`[{"bn":"d/","bt":1790000000,"bu":"Cel","n":"temp","v":21.5},{"n":"temp","t":-5,"v":-0.0}]`,
	`[{"n":"a","v":1e3},{"n":"a","v":1.5E-7},{"n":"a","v":123456789012345678},{"n":"a","v":0.1234567890123456789},{"vb":true,"n":"x"},{"vb":false},{"vs":"ü"}]`,
	`[{"n":"a","v":0.30000000000000004},{"v":4.35},{"v":9007199254740993},{"v":1e400}]`,
	`[{"n":"a","v":01}]`, `[{"n":"a","v":1.}]`, `[{"n":"a","v":.5}]`, `[{"n":"a","v":+1}]`, `[{"n":"a","v":-}]`,
	`[{"n":"a","v":1e}]`, `[{"n":"a","v":NaN}]`, `[{"n":"a","v":"1"}]`,
	`[{"n":"a\u0062","v":1}]`, `[{"N":"a"}]`, `[{"n":null}]`, `[{"n":"a","v":1},]`, `[{"n":"a","v":1}`,
	`[{"n":"a","v":1}] x`, `[{"x":1}]`, `[{}]`, `[1]`, `{}`, ``, "[{\"n\":\"\xff\"}]", `[{"vb":truex}]`,
	`[{"n":"a","n":"b","v":1,"v":2}]`, `[{"s":1,"ut":5,"bver":5,"bs":2,"bv":3,"vd":"YQ"}]`,
}

func TestScanReadsWhatEncodingJSONReads(t *testing.T) {
	plain := 0
	for _, p := range packs {
		same(t, []byte(p))
		if _, ok := scan([]byte(p)); ok {
			plain++
		}
	}
	if plain < 6 {
		t.Errorf("only %d were plain", plain)
	}
}

func FuzzScan(f *testing.F) {
	for _, p := range packs {
		f.Add([]byte(p))
	}
	f.Fuzz(func(t *testing.T, body []byte) { same(t, body) })
}
