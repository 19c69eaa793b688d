package cli_test

import (
	"bytes"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"jauntylark/core/board"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
)

// What people do with boards, pictures and notes on the command line, and what it says when that is wrong.
func TestBoardsOnTheCommandLine(t *testing.T) {
	s := servertest.Start(t)
	p := newPerson(t)
	p.login(s.URL, servertest.Owner, servertest.Password)
	p.must("device", "add", "pond")
	p.must("send", "pond/oxygen=80")
	says := func(want string, args ...string) {
		t.Helper()
		if got := p.must(args...); !strings.Contains(got, want) {
			t.Errorf("jaunty %s: %q is not in\n%s", strings.Join(args, " "), want, got)
		}
	}
	file := func(name, text string) string {
		t.Helper()
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	water := file("water.yaml",
		"name: water\ntitle: Water\nshared: true\ntiling:\n  tiles:\n  - kind: lines\n    series:\n    - signal: "+
			"pond/oxygen\n  - kind: value\n    series:\n    - signal: pond/oxygen\n")
	says("No boards; make one", "board", "list")
	says("Version 1 of the board water is published, with 2 tiles.", "board", "set", water)
	says("Version 2", "board", "set", water, "--note", "once more")
	says("once more", "board", "version", "list", "water")
	p.refused(2, "unknown field", "board", "set", file("x.yaml", "name: x\ntilling: {}\n"))
	p.refused(2, "tiles is missing", "board", "set", file("x.yaml", "name: x\n"))
	p.refused(2, "tiles[0].series[0].signal", "board", "set",
		file("x.yaml", "name: x\ntiling:\n  tiles:\n  - kind: value\n    series:\n    - signal: pond/oxigen\n"))
	p.refused(1, "Did you mean water?", "board", "show", "watr")
	round := p.must("board", "show", "water")
	says("Version 3", "board", "set", file("again.yaml", round))
	if again := p.must("board", "show", "water"); again != round {
		t.Errorf("shown, loaded and shown it is\n%s\nnot\n%s", again, round)
	}
	p.must("board", "copy", "water", "my-water", "--title", "My water")
	p.must("board", "share", "my-water")
	p.must("board", "start", "my-water")
	if me := get[[]board.Board](p, "board", "list"); len(me) != 2 || !me[0].Shared {
		t.Errorf("%+v", me)
	}
	p.must("board", "version", "restore", "water", "1")
	if b := get[board.Board](p, "board", "show", "water"); b.Draft != nil || b.Version != 4 {
		t.Errorf("%+v", b)
	}
	p.refused(1, "version 9", "board", "version", "restore", "water", "9")
	p.must("board", "remove", "my-water")
	p.refused(1, "my-water", "board", "show", "my-water")
	p.must("board", "bring-back", "my-water")

	var house bytes.Buffer
	if err := png.Encode(&house, image.NewGray(image.Rect(0, 0, 40, 30))); err != nil {
		t.Fatal(err)
	}
	says("40 × 30", "picture", "add", file("house.png", house.String()))
	says("house", "picture", "list")
	p.refused(2, "it is no picture", "picture", "add", file("house.txt", "no picture"))
	p.must("picture", "remove", "1")
	p.refused(1, "no picture 1", "picture", "remove", "1")

	says("It is in the journal.", "journal", "add", "probe cleaned", "--signal", "pond/oxygen", "--at", "10m")
	if told := get[[]site.Entry](p, "journal", "list", "--kind", "note"); len(told) != 1 ||
		told[0].Text != "probe cleaned" || told[0].Subject != "pond/oxygen" {
		t.Errorf("%+v", told)
	}
	p.refused(2, "--at", "journal", "add", "x", "--at", "soon")
	p.refused(2, "did you mean pond/oxygen?", "journal", "add", "x", "--signal", "pond/oxigen")
}
