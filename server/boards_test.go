package server_test

import (
	"bytes"
	"context"
	"image"
	"image/png"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/board"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
)

// boardSite is a service with two signals and a second person, a keeper.
func boardSite(t *testing.T) (s *servertest.Service, tadhg *client.Client) {
	t.Helper()
	s = servertest.Start(t)
	d := s.Device("d")
	s.Send(d, `{"temp": 21, "mode": "idle"}`)
	s.Do(api.AddPerson.At(), object{"email": "tadhg@hollowbrook.example", "name": "Tadhg", "role": "keeper",
		"password": servertest.Password}, nil)
	return s, s.SignIn("tadhg@hollowbrook.example", servertest.Password)
}

func tile(kind, signal string) object {
	return object{"kind": kind, "series": []object{{"signal": signal}}}
}

func tiles(some ...object) object { return object{"tiles": some} }

func getBoard(t *testing.T, c *client.Client, name string) (b board.Board) {
	t.Helper()
	if err := c.Call(context.Background(), api.GetBoard.At(name), nil, &b); err != nil {
		t.Fatal(err)
	}
	return b
}

// A board is drafted, published, taken back to an older version, copied, shared, removed and brought back.
func TestTheLifeOfABoard(t *testing.T) {
	s, tadhg := boardSite(t)
	s.Do(api.PutBoard.At("heat"), object{"title": "Heat", "tiling": tiles(tile("value", "d/temp"))}, nil)
	if b := getBoard(t, s.Owner, "heat"); b.Version != 1 || b.Tiling.Tiles[0].W != 3 || b.Shared {
		t.Errorf("a new board is %+v", b)
	}
	if said := refused(t, tadhg, http.StatusNotFound, api.GetBoard.At("heat"), nil); !strings.Contains(said, "heat") {
		t.Error("another person's board:", said)
	}
	var b board.Board
	s.Do(api.PutDraft.At("heat"), object{"tiling": tiles(tile("value", "d/temp"), tile("lines", "d/temp"))}, &b)
	if b.Draft == nil || b.Draft.Revision != 1 || len(b.Tiling.Tiles) != 1 {
		t.Errorf("with a draft it is %+v", b)
	}
	refused(t, s.Owner, http.StatusConflict, api.PutDraft.At("heat"), object{"tiling": tiles(tile("value", "d/temp"))})
	refused(t, s.Owner, http.StatusConflict, api.PublishBoard.At("heat"), object{"revision": 7})
	s.Do(api.PublishBoard.At("heat"), object{"revision": 1, "note": "with its line"}, &b)
	if b.Version != 2 || b.Draft != nil || len(b.Tiling.Tiles) != 2 {
		t.Errorf("published it is %+v", b)
	}
	var versions []board.Edition
	s.Do(api.ListBoardVersions.At("heat"), nil, &versions)
	if len(versions) != 2 || versions[0].Number != 2 || versions[0].Note != "with its line" {
		t.Errorf("its versions are %+v", versions)
	}
	s.Do(api.TakeBoardVersion.At("heat", "1"), nil, &b)
	if b.Draft == nil || len(b.Draft.Tiling.Tiles) != 1 || b.Version != 2 {
		t.Errorf("with version 1 as its draft it is %+v", b)
	}
	s.Do(api.DropDraft.At("heat"), nil, &b)
	if b.Draft != nil {
		t.Error("a dropped draft is still there")
	}
	s.Do(api.ChangeBoard.At("heat"), object{"shared": true}, nil)
	if err := tadhg.Call(context.Background(), api.CopyBoard.At("heat"), object{"name": "my-heat"}, &b); err != nil ||
		b.Maker != "tadhg@hollowbrook.example" || b.Shared || len(b.Tiling.Tiles) != 2 {
		t.Errorf("a copy is %+v, %v", b, err)
	}
	refused(t, tadhg, http.StatusConflict, api.CopyBoard.At("heat"), object{"name": "my-heat"})
	s.Do(api.RemoveBoard.At("heat"), nil, nil)
	refused(t, s.Owner, http.StatusNotFound, api.GetBoard.At("heat"), nil)
	s.Do(api.BringBoardBack.At("heat"), nil, &b)
	if b.Version != 2 || b.RemovedAt != nil {
		t.Errorf("brought back it is %+v", b)
	}
}

// What is wrong with a board is told with the tile and the nearest name, and changes nothing.
func TestBoardsRefuse(t *testing.T) {
	s, _ := boardSite(t)
	for _, c := range []struct {
		name   string
		body   object
		status int
		words  []string
	}{
		{"Heat!", tiles(tile("value", "d/temp")), http.StatusUnprocessableEntity, []string{"name"}},
		{"heat", tiles(tile("value", "d/tmep")), http.StatusUnprocessableEntity,
			[]string{"tiles[0].series[0].signal", "d/tmep", "d/temp"}},
		{"heat", tiles(tile("dial", "d/mode")), http.StatusUnprocessableEntity, []string{"d/mode", "text"}},
		{"heat", tiles(object{"kind": "mimic", "picture": 9}), http.StatusUnprocessableEntity, []string{"picture 9"}},
		{"heat", tiles(object{"kind": "total", "total": "x"}), http.StatusUnprocessableEntity, []string{"total", "x"}},
		{"heat", tiles(object{"kind": "value", "series": []object{{"signal": "d/temp"}}, "x": 11, "w": 3, "h": 2}),
			http.StatusUnprocessableEntity, []string{"12 columns"}},
	} {
		said := refused(t, s.Owner, c.status, api.PutBoard.At(c.name), object{"tiling": c.body})
		for _, w := range c.words {
			if !strings.Contains(said, w) {
				t.Errorf("%v: %q does not name %q", c.body, said, w)
			}
		}
	}
	var all []board.Board
	s.Do(api.ListBoards.At(), nil, &all)
	if len(all) != 0 {
		t.Errorf("refused boards left %+v", all)
	}
}

func aPNG(t *testing.T) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := png.Encode(&out, image.NewRGBA(image.Rect(0, 0, 30, 20))); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// A picture is taken in, served so that it can do nothing, and kept while a board shows it.
func TestPicturesOfBoards(t *testing.T) {
	s, _ := boardSite(t)
	var p board.Picture
	if err := s.Owner.Upload(context.Background(), api.AddPicture.At().Asking("name", "house"),
		"application/octet-stream", bytes.NewReader(aPNG(t)), &p); err != nil || p.Width != 30 || p.Height != 20 {
		t.Fatalf("%+v, %v", p, err)
	}
	got, err := s.Owner.Fetch(context.Background(), api.GetPicture.At(p.ID), nil)
	if err != nil {
		t.Fatal(err)
	}
	defer got.Body.Close()
	body, _ := io.ReadAll(got.Body)
	if csp := got.Header.Get("Content-Security-Policy"); !strings.Contains(csp, "sandbox") ||
		got.Header.Get("Content-Type") != "image/png" || !bytes.HasPrefix(body, []byte("\x89PNG")) {
		t.Errorf("it is served with %v", got.Header)
	}
	for _, bad := range []string{"", "no picture", "<html>"} {
		if err := s.Owner.Upload(context.Background(), api.AddPicture.At().Asking("name", "x"),
			"application/octet-stream", strings.NewReader(bad), nil); err == nil {
			t.Errorf("%q was taken for a picture", bad)
		}
	}
	s.Do(api.PutBoard.At("map"), object{"tiling": tiles(object{"kind": "mimic", "picture": p.ID,
		"pins": []object{{"x": 0.5, "y": 0.5, "kind": "value", "signal": "d/temp"}}})}, nil)
	if said := refused(t, s.Owner, http.StatusConflict, api.RemovePicture.At(p.ID), nil); !strings.Contains(said,
		"map") && !strings.Contains(said, "Map") {
		t.Error("a picture in use:", said)
	}
	nobody := client.Client{URL: s.URL}
	if _, err := nobody.Fetch(context.Background(), api.GetPicture.At(p.ID), nil); err == nil {
		t.Error("a picture is shown to who is not signed in")
	}
}

// Each person has a start of their own; it goes with the board.
func TestTheStartBoard(t *testing.T) {
	s, tadhg := boardSite(t)
	s.Do(api.PutBoard.At("heat"), object{"shared": true, "tiling": tiles(tile("value", "d/temp"))}, nil)
	s.Do(api.SetStart.At(), object{"board": "heat"}, nil)
	start := func(c *client.Client) string {
		var p site.Person
		if err := c.Call(context.Background(), api.GetSession.At(), nil, &p); err != nil {
			t.Fatal(err)
		}
		return p.Start
	}
	if start(s.Owner) != "heat" || start(tadhg) != "" {
		t.Errorf("the starts are %q and %q", start(s.Owner), start(tadhg))
	}
	refused(t, tadhg, http.StatusNotFound, api.SetStart.At(), object{"board": "haet"})
	s.Do(api.RemoveBoard.At("heat"), nil, nil)
	if start(s.Owner) != "" {
		t.Error("a removed board is still the start:", start(s.Owner))
	}
}

// Boards and their pictures are in an archive.
func TestBoardsInArchives(t *testing.T) {
	s, _ := boardSite(t)
	var p board.Picture
	if err := s.Owner.Upload(context.Background(), api.AddPicture.At().Asking("name", "house"),
		"application/octet-stream", bytes.NewReader(aPNG(t)), &p); err != nil {
		t.Fatal(err)
	}
	s.Do(api.PutBoard.At("map"), object{"shared": true, "tiling": tiles(object{"kind": "mimic", "picture": p.ID},
		tile("value", "d/temp"))}, nil)
	s.Do(api.SetStart.At(), object{"board": "map"}, nil)
	var file bytes.Buffer
	if err := s.Owner.Download(context.Background(), api.GetArchive.At(), &file); err != nil {
		t.Fatal(err)
	}
	other := servertest.Start(t)
	if err := other.Owner.Upload(context.Background(), api.PutArchive.At(), "application/gzip", &file,
		new(any)); err != nil {
		t.Fatal(err)
	}
	if b := getBoard(t, other.Owner, "map"); len(b.Tiling.Tiles) != 2 || b.Version != 1 {
		t.Errorf("it is %+v", b)
	}
	if _, err := other.Owner.Fetch(context.Background(), api.GetPicture.At(p.ID), nil); err != nil {
		t.Error(err)
	}
}

// A note stands in the journal at the time that it is about, under what it is about.
func TestNotes(t *testing.T) {
	s, _ := boardSite(t)
	at := time.Now().Add(-time.Hour).UTC().Truncate(time.Second)
	s.Do(api.WriteNote.At(), object{"text": " probe cleaned ", "of": "d/temp", "at": at}, nil)
	var entries []site.Entry
	s.Do(api.ListJournal.At().Asking("kind", "note", "device", "d"), nil, &entries)
	if len(entries) != 1 || entries[0].Text != "probe cleaned" || entries[0].At.Time() != at || entries[0].Who == "" {
		t.Errorf("%+v", entries)
	}
	for want, body := range map[string]object{
		"text":   {"text": "  "},
		"d/temp": {"text": "x", "of": "d/tmp"},
		"at":     {"text": "x", "at": time.Now().Add(time.Hour)},
	} {
		if said := refused(t, s.Owner, http.StatusUnprocessableEntity, api.WriteNote.At(),
			body); !strings.Contains(said, want) {
			t.Errorf("%v: %q does not name %q", body, said, want)
		}
	}
}

// A part of a path may be written as a browser writes it.
func TestPartsOfPathsAreUnescaped(t *testing.T) {
	s, _ := boardSite(t)
	var p site.Person
	s.Do(api.SetRole.At("tadhg@hollowbrook.example"), object{"role": "viewer"}, &p)
	if p.Role != site.Viewer {
		t.Errorf("%+v", p)
	}
}
