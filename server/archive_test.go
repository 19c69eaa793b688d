package server_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/site"
	"jauntylark/core/total"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// A whole site goes into an empty service, bit for bit.
func TestASiteMovesHouse(t *testing.T) {
	storetest.Long(t)
	old, fresh := servertest.Start(t), servertest.Start(t)
	past(t, old)
	key := old.Device("mover")
	old.Send(key, `{"v": 1}`)
	old.Guard(map[string]any{"name": "hot", "signal": "d/temp", "when": "above 30", "severity": "warning",
		"tell": []string{}})
	old.Send(key, `{"v": 2}`)
	// What readings mean moves with them.
	old.Do(api.Calibrate.At("d", "temp"), object{"pairs": []object{{"shown": 10, "reference": 10.5},
		{"shown": 20, "reference": 21}}, "from": "2026-01-01T00:00:00Z"}, nil)
	old.Do(api.PutRecipe.At("mover", "hot"), object{"recipe": object{"kind": "on-off", "when": "above 30",
		"deadband": 2, "of": []object{{"as": "of", "signal": "d/temp"}}}}, nil)
	old.Do(api.AddTotal.At(), object{"name": "hot-time", "signal": "mover/hot", "kind": "on-time"}, nil)
	old.Do(api.ResetTotal.At("hot-time"), object{"note": "moving"}, nil)
	old.Output("mover/fan", object{"safe": "on", "rest": "off"})
	old.Interlock("by-alarm", object{"output": "mover/fan", "alarm": "hot", "latch": true})
	old.Interlock("by-value", object{"output": "mover/fan", "signal": "mover/v", "when": "above 1", "set": "on"})
	var reader api.ReaderKey
	old.Do(api.PutReader.At("sheet"), object{"devices": []string{"mover"}, "url": "https://example.org/feed"}, nil)
	old.Do(api.NewReaderKey.At("sheet"), nil, &reader)
	story := func(s *servertest.Service) (all []total.Result) {
		var told api.TotalStory
		s.Do(api.GetTotal.At("hot-time").Asking("since", "2026-01-01T00:00:00Z", "by", "month"), nil, &told)
		return append(told.Periods, told.Between...)
	}
	var archive bytes.Buffer
	if err := old.Owner.Download(context.Background(), api.GetArchive.At(), &archive); err != nil {
		t.Fatal(err)
	}
	cut := archive.Bytes()[:archive.Len()*2/3]
	if err := fresh.Owner.Upload(context.Background(), api.PutArchive.At(), "application/gzip", bytes.NewReader(cut),
		new(any)); err == nil {
		t.Error("a part was taken for the whole")
	}
	if err := fresh.Owner.Upload(context.Background(), api.PutArchive.At(), "application/gzip",
		tamperedWith(t, archive.Bytes()), new(any)); err == nil {
		t.Error("an archive with another reading was taken")
	}
	if fresh.Signal("d/temp") != nil {
		t.Error("something of the part was kept")
	}
	if err := fresh.Owner.Upload(context.Background(), api.PutArchive.At(), "application/gzip",
		bytes.NewReader(archive.Bytes()), new(any)); err != nil {
		t.Fatal(err)
	}
	query := "format=parquet&until=" + time.Now().UTC().Format(time.RFC3339)
	if a, b := exported(t, old, query), exported(t, fresh, query); !bytes.Equal(a, b) {
		t.Errorf("%d bytes there, %d here", len(a), len(b))
	}
	if a, b := story(old), story(fresh); len(a) != len(b) || a[len(a)-2].Value != b[len(b)-2].Value {
		t.Errorf("%+v there, %+v here", a, b)
	}
	// The devices' keys are good there, guards watch, and what comes is new.
	moved := &client.Client{URL: fresh.URL, Token: key.Token}
	fresh.Send(moved, `{"v": 3}`)
	if v := fresh.Signal("mover/v"); v == nil || *v.Value != 3 {
		t.Errorf("%+v", v)
	}
	if o := fresh.Stands("mover/fan"); o.Ordered != "on" || len(o.Why) == 0 {
		t.Errorf("%+v", o.State)
	}
	// Readers' keys are good there, and what changed before is said to be gone.
	sheet, page := &client.Client{URL: fresh.URL, Token: reader.Key}, api.ChangesPage{}
	var gone *client.Problem
	if err := sheet.Call(context.Background(), api.GetChanges.At().Asking("cursor", "1"), nil, nil); !errors.As(err,
		&gone) || gone.Status != http.StatusGone {
		t.Errorf("what changed before the move: %v", err)
	}
	if err := sheet.Call(context.Background(), api.GetChanges.At(), nil, &page); err != nil || len(page.Changes) == 0 ||
		page.Changes[0].Signal != "mover/v" {
		t.Errorf("what changed since: %+v %v", page, err)
	}
	fresh.Device("another")
	var guards []map[string]any
	fresh.Do(api.ListGuards.At(), nil, &guards)
	if len(guards) != 1 || guards[0]["name"] != "hot" {
		t.Error(guards)
	}
	if err := fresh.Owner.Upload(context.Background(), api.PutArchive.At(), "application/gzip",
		bytes.NewReader(archive.Bytes()), new(any)); err == nil || !strings.Contains(err.Error(), "not empty") {
		t.Error("into one that is not empty:", err)
	}
	if strings.Contains(archive.String(), "argon2") {
		t.Error("the archive has a password's hash")
	}
}

// tamperedWith packs an archive again, with another value in its first plain reading.
func tamperedWith(t *testing.T, archive []byte) io.Reader {
	t.Helper()
	packed, err := gzip.NewReader(bytes.NewReader(archive))
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(packed)
	if err != nil {
		t.Fatal(err)
	}
	rows := bytes.Index(text, []byte(`#{"table":"reading"}`))
	value := rows + bytes.Index(text[rows:], []byte(`"value":`)) + len(`"value":`)
	text[value] ^= 4 // another digit
	var out bytes.Buffer
	again := gzip.NewWriter(&out)
	if _, err := again.Write(text); err != nil {
		t.Fatal(err)
	}
	if err := again.Close(); err != nil {
		t.Fatal(err)
	}
	return &out
}

// What is no plain operation asks for its role too.
func TestFilesAskForARole(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	people := map[site.Role]*client.Client{"": {URL: s.URL}}
	for _, role := range []site.Role{site.Viewer, site.Keeper} {
		email := string(role) + "@b.example"
		s.Do(api.AddPerson.At(), map[string]string{"email": email, "role": string(role), "password": "a long secret"},
			nil)
		people[role] = s.SignIn(email, "a long secret")
	}
	status := func(err error) int {
		if p, is := err.(*client.Problem); is {
			return p.Status
		}
		if err != nil {
			t.Error(err)
		}
		return http.StatusOK
	}
	for _, c := range []struct {
		at   api.Place
		body string // of a POST; empty for a GET
		want map[site.Role]int
	}{
		{api.ExportReadings.At(), "", map[site.Role]int{"": 401, site.Viewer: 200, site.Keeper: 200}},
		{api.GetArchive.At(), "", map[site.Role]int{"": 401, site.Viewer: 403, site.Keeper: 403}},
		{api.PutArchive.At(), "x", map[site.Role]int{"": 401, site.Viewer: 403, site.Keeper: 403}},
		{api.BringImport.At().Asking("device", "d"), "time,v\n2026-03-01 12:00,1\n",
			map[site.Role]int{"": 401, site.Viewer: 403, site.Keeper: 200}},
	} {
		for role, want := range c.want {
			var err error
			if c.body == "" {
				err = people[role].Download(context.Background(), c.at, io.Discard)
			} else {
				err = people[role].Upload(context.Background(), c.at, "application/octet-stream",
					strings.NewReader(c.body), new(any))
			}
			if got := status(err); got != want {
				t.Errorf("%s %q as %q: %d, want %d", c.at, c.body, role, got, want)
			}
		}
	}
	broken := s.Owner.Upload(context.Background(), api.PutArchive.At(), "application/gzip",
		strings.NewReader("no archive"), new(any))
	if got := status(broken); got != http.StatusConflict && got != http.StatusUnprocessableEntity {
		t.Errorf("what is no archive: %v", broken)
	}
}

// Files that are brought are bounded, and forgotten when nobody wants them.
func TestImportsAreBounded(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	bring := func() (job api.ImportJob, err error) {
		return job, s.Owner.Upload(context.Background(), api.BringImport.At().Asking("device", "d", "name", "l.csv"),
			"", strings.NewReader("time,v\n2026-03-01T12:00:00Z,1\n"), &job)
	}
	var jobs []api.ImportJob
	for range 3 {
		job, err := bring()
		if err != nil {
			t.Fatal(err)
		}
		jobs = append(jobs, job)
	}
	_, err := bring()
	if p, is := err.(*client.Problem); !is || p.Status != http.StatusTooManyRequests {
		t.Errorf("a fourth of one person: %v", err)
	}
	s.Do(api.EndImport.At(jobs[0].ID), nil, nil)
	if _, err := bring(); err != nil {
		t.Errorf("after one was ended: %v", err)
	}
	for _, at := range []api.Place{api.GetImport.At(jobs[0].ID), api.EndImport.At("nonsense")} {
		err := s.Owner.Call(context.Background(), at, nil, nil)
		if p, is := err.(*client.Problem); !is || p.Status != http.StatusNotFound {
			t.Errorf("%s: %v", at, err)
		}
	}
	wrong := api.ImportOrder{Layout: jobs[1].Layout}
	wrong.Layout.Columns[1].Signal = ""
	if err := s.Owner.Call(context.Background(), api.RunImport.At(jobs[1].ID), wrong, nil); err == nil ||
		!strings.Contains(err.Error(), "needs the signal") {
		t.Error(err)
	}
	if s.Signal("d/v") != nil {
		t.Error("something was stored")
	}
}
