package console_test

import (
	"os"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"jauntylark/core/board"
)

var tileKind = regexp.MustCompile(
	`(?s)(\w+): \{\s*name: [^}]*?size: \[(\d+), (\d+)\],\s*least: \[(\d+), (\d+)\],\s*most: (\d+)`)

// The console draws each kind of tile that the service takes, at the same sizes; the API lists them all.
func TestTilesAreOfTheSameKinds(t *testing.T) {
	source, err := os.ReadFile("src/tile/kinds.tsx")
	must(t, err)
	drawn := map[string]board.Kind{}
	for _, m := range tileKind.FindAllStringSubmatch(string(source), -1) {
		n := make([]int, 5)
		for i := range n {
			n[i], _ = strconv.Atoi(m[i+2])
		}
		drawn[m[1]] = board.Kind{W: n[0], H: n[1], LeastW: n[2], LeastH: n[3], Least: board.Kinds[m[1]].Least,
			Most: n[4]}
	}
	for name, k := range board.Kinds {
		if drawn[name] != k {
			t.Errorf("%s is %+v in src/tile/kinds.tsx and %+v in core/board/tile.go", name, drawn[name], k)
		}
	}
	f, _ := reflect.TypeFor[board.Tile]().FieldByName("Kind")
	if listed := strings.Split(f.Tag.Get("enum"), ","); len(drawn) != len(board.Kinds) || len(listed) != len(drawn) {
		t.Errorf("%d kinds are drawn, %d taken, %d listed in the API", len(drawn), len(board.Kinds), len(listed))
	}
}
