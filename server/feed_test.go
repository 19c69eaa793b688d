package server_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

// copied is what a program has that keeps up with the feed.
type copied struct {
	readings map[string]map[measure.Instant]measure.Reading
	entries  map[int64]site.Entry
	cursor   string
	last     int64
}

func newCopy(cursor string) *copied {
	return &copied{readings: map[string]map[measure.Instant]measure.Reading{}, entries: map[int64]site.Entry{},
		cursor: cursor}
}

// take takes a change as docs/api.md tells a program to.
func (c *copied) take(t *testing.T, change *feed.Change) {
	t.Helper()
	if change.No < c.last {
		t.Errorf("commit %d came after %d", change.No, c.last)
	}
	c.last = change.No
	if change.Entry != nil {
		c.entries[change.Entry.ID] = *change.Entry
		return
	}
	of := c.readings[change.Signal]
	if of == nil {
		of = map[measure.Instant]measure.Reading{}
		c.readings[change.Signal] = of
	}
	for at := range of {
		if at >= *change.Since && at < *change.Until {
			delete(of, at)
		}
	}
	for _, r := range *change.Readings {
		if r.At < *change.Since || r.At >= *change.Until {
			t.Errorf("%s: %v is outside of %v to %v", change.Signal, r, change.Since, change.Until)
		}
		of[r.At] = r
	}
}

// keepUp reads pages until nothing more is known.
func (c *copied) keepUp(t *testing.T, s *servertest.Service, limit int) {
	t.Helper()
	for more := true; more; {
		var page api.ChangesPage
		s.Do(api.GetChanges.At().Asking("cursor", c.cursor, "limit", limit), nil, &page)
		if len(page.Changes) > limit {
			t.Errorf("%d changes in a page of %d", len(page.Changes), limit)
		}
		for i := range page.Changes {
			c.take(t, &page.Changes[i])
		}
		c.cursor, more = page.Next, page.More
	}
}

// stored is what the service tells of a signal.
func stored(t *testing.T, s *servertest.Service, path string) map[measure.Instant]measure.Reading {
	t.Helper()
	all := map[measure.Instant]measure.Reading{}
	for _, line := range streamed(t, s, "signal="+path, 1, s.Pipeline.Now().Add(measure.FarAhead)) {
		all[*line.At] = measure.Reading{At: *line.At, Value: *line.Value, Text: line.Text, Quality: line.Quality}
	}
	return all
}

// differs tells how a copy is another than what is stored; empty: it is the same.
func (c *copied) differs(t *testing.T, s *servertest.Service, paths ...string) string {
	t.Helper()
	for _, path := range paths {
		has, is := c.readings[path], stored(t, s, path)
		for at, r := range is {
			if has[at] != r {
				return fmt.Sprintf("%s at %s: the copy has %v, stored is %v", path, at, has[at], r)
			}
		}
		if len(has) != len(is) {
			return fmt.Sprintf("%s: the copy has %d readings, stored are %d", path, len(has), len(is))
		}
	}
	return ""
}

// A copy that is kept by the feed has what is stored, whatever becomes of readings: new and late ones, corrected, cleared
// and put back, brought from a file, derived; and whatever it asks for again.
func TestTheFeedMissesNothing(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	s.Do(api.SetDevice.At("d"), object{"interval": "1m"}, nil)
	now := measure.InstantOf(time.Now().Truncate(time.Minute))
	send := func(name string, ago time.Duration, value any) {
		s.Send(d, fmt.Sprintf(`{"at": %q, %q: %v}`, now.Add(-ago), name, value))
	}
	sum := func(formula string) {
		s.Do(api.PutRecipe.At("d", "sum"), object{"recipe": object{"kind": "formula", "formula": formula,
			"of": []object{{"as": "a", "signal": "d/a"}, {"as": "b", "signal": "d/b"}}}}, nil)
	}
	c := newCopy("")
	send("a", 60*time.Minute, 1)
	send("b", 60*time.Minute, 5)
	send("word", 61*time.Minute, `"shut"`)
	paths := []string{"d/a", "d/b", "d/word", "d/sum"}
	dice := rand.New(rand.NewPCG(7, 3))
	cursors := []string{""}
	check := func(what string) {
		t.Helper()
		wrong := ""
		storetest.Eventually(t, what, func() bool {
			c.keepUp(t, s, 1+dice.IntN(30))
			if wrong = c.differs(t, s, paths...); wrong != "" {
				t.Log(what, wrong)
			}
			return wrong == ""
		})
		cursors = append(cursors, c.cursor)
	}
	sum("a + b")
	check("computed")
	for i := 59; i > 20; i-- { // as they come, and some late
		send([]string{"a", "b"}[i%2], time.Duration(i)*time.Minute, i)
		if i%7 == 0 {
			send("a", time.Duration(i+13)*time.Minute+time.Second, -i)
			send("word", time.Duration(i)*time.Minute, `"open"`)
		}
	}
	check("as they come")
	var fitted struct {
		ID int64 `json:"id"`
	}
	s.Do(api.Calibrate.At("d", "a"), object{"pairs": []object{{"shown": 0, "reference": 1}, {"shown": 100, "reference": 103}},
		"from": now.Add(-50 * time.Minute)}, &fitted)
	check("corrected from a time on")
	s.Do(api.TakeCalibrationBack.At("d", "a", fitted.ID), nil, nil)
	check("the correction is taken back")
	var cleared api.ClearAnswer
	s.Do(api.ClearReadings.At(), object{"what": "d/b", "confirm": "d/b", "since": now.Add(-45 * time.Minute),
		"until": now.Add(-30 * time.Minute)}, &cleared)
	var list []site.Clearing
	become := func(state string) {
		storetest.Eventually(t, "the clearing is "+state, func() bool {
			s.Do(api.ListClearings.At(), nil, &list)
			return list[0].State == state
		})
	}
	become(site.ClearingCleared)
	check("cleared")
	s.Do(api.PutBackReadings.At(list[0].ID), nil, nil)
	become(site.ClearingUndone)
	check("put back")
	imported(t, s, fmt.Appendf(nil, "signal,at,value\nd/a,%s,77\nd/a,%s,78\n", now.Add(-59*time.Minute),
		now.Add(-300*time.Minute)), func(o *api.ImportOrder) { o.Replace = true })
	check("from a file, in place of others")
	sum("a - b")
	check("computed otherwise")
	for range 5 { // from an older place, into the same copy, and into an empty one
		c.cursor, c.last = cursors[dice.IntN(len(cursors))], 0
		check("asked for again")
	}
	c = newCopy("")
	check("into an empty copy")
	var entries []site.Entry
	s.Do(api.ListJournal.At().Asking("limit", 1000), nil, &entries)
	for _, e := range entries {
		if _, has := c.entries[e.ID]; !has {
			t.Errorf("the feed has not told %q of %s", e.Kind, e.Subject)
		}
	}
	s.Do(api.RemoveDevice.At("d"), nil, nil)
	s.Do(api.BringBack.At(), object{"kind": "device", "name": "d"}, nil)
	c = newCopy(c.cursor)
	check("removed and brought back")
}

// Commits of a feed come whole, from wherever it is asked; what is not known any more is said, and where to begin.
func TestTheFeedSaysWhereToBegin(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	s.Send(d, `{"a": 1}`)
	var page api.ChangesPage
	s.Do(api.GetChanges.At().Asking("cursor", "now"), nil, &page)
	if len(page.Changes) != 0 || page.More || page.Next != fmt.Sprint(page.Newest) {
		t.Errorf("from now on: %+v", page)
	}
	for cursor, code := range map[string]int{"99999999": http.StatusGone, "x": 422, "-1": 422, "3-2.1": 422} {
		answer := wire(t, s, api.GetChanges.At().Asking("cursor", cursor), "")
		if p := answer.problem(t); answer.code != code || len(p.Errors) != 1 || p.Errors[0].Location != "query.cursor" {
			t.Errorf("%s: %d %s", cursor, answer.code, answer.body)
		}
	}
	answer := wire(t, s, api.GetChanges.At().Asking("kind", "reading"), "")
	if answer.code != 422 {
		t.Errorf("an unknown kind: %d %s", answer.code, answer.body)
	}
	if answer := wire(t, s, api.WatchChanges.At().Asking("kind", "reading"), ""); answer.code != 422 ||
		!strings.Contains(string(answer.body), "readings") {
		t.Errorf("an unknown kind of the stream: %d %s", answer.code, answer.body)
	}
	if err := timeseries.JoinChanged(context.Background(), s.Pipeline.Store, s.Pipeline.Now().Add(8*24*time.Hour)); err != nil {
		t.Fatal(err)
	}
	for _, at := range []api.Place{api.GetChanges.At().Asking("cursor", "0"), api.WatchChanges.At().Asking("cursor", "0")} {
		answer := wire(t, s, at, "")
		if p := answer.problem(t); answer.code != http.StatusGone || p.Type != api.ProblemsPath+"gone" ||
			!strings.Contains(p.Detail, "Begin with cursor=") {
			t.Errorf("%s: %d %s", at.Path, answer.code, answer.body)
		}
	}
}

// A reader's key opens the feed, as far as it goes, and nothing else.
func TestReadersOfTheFeed(t *testing.T) {
	s := servertest.Start(t)
	d, e := s.Device("d"), s.Device("e")
	reader := func(name string, body object) *client.Client {
		var key api.ReaderKey
		s.Do(api.PutReader.At(name), body, nil)
		s.Do(api.NewReaderKey.At(name), nil, &key)
		return &client.Client{URL: s.URL, Token: key.Key, HTTP: s.Owner.HTTP}
	}
	all, some := reader("all", object{}), reader("some", object{"devices": []string{"d"}, "kinds": []string{feed.Readings}})
	s.Send(d, `{"a": 1}`)
	s.Send(e, `{"a": 2}`)
	told := func(c *client.Client, query ...any) (kinds []string) {
		var page api.ChangesPage
		if err := c.Call(context.Background(), api.GetChanges.At().Asking(query...), nil, &page); err != nil {
			t.Fatal(err)
		}
		for _, change := range page.Changes {
			kinds = append(kinds, strings.Trim(change.Kind+" "+change.Signal, " "))
		}
		slices.Sort(kinds)
		return slices.Compact(kinds)
	}
	for _, c := range []struct {
		of    *client.Client
		query []any
		want  []string
	}{
		{all, nil, []string{"journal", "readings d/a", "readings e/a"}},
		{all, []any{"device", "e"}, []string{"journal", "readings e/a"}},
		{all, []any{"kind", "readings"}, []string{"readings d/a", "readings e/a"}},
		{some, nil, []string{"readings d/a"}},
		{some, []any{"device", "e"}, nil},
		{some, []any{"kind", "journal"}, nil},
		{some, []any{"device", "d", "kind", "readings"}, []string{"readings d/a"}},
	} {
		if got := told(c.of, c.query...); !slices.Equal(got, c.want) {
			t.Errorf("%v: %v, want %v", c.query, got, c.want)
		}
	}
	var problem *client.Problem
	for _, at := range []api.Place{api.ListSignals.At(), api.StreamReadings.At().Raw("signal=d/a"), api.WatchLive.At(),
		api.ListReaders.At()} {
		if err := all.Call(context.Background(), at, nil, nil); !errors.As(err, &problem) || problem.Status != 401 {
			t.Errorf("%s by a reader's key: %v", at.Path, err)
		}
	}
	if err := all.Call(context.Background(), api.SendReadings.At(), object{"a": 3}, nil); !errors.As(err, &problem) ||
		problem.Status != 401 {
		t.Errorf("readings by a reader's key: %v", err)
	}
	heard := make(chan client.Event, 100)
	ended := make(chan error, 1)
	go func() {
		ended <- all.Events(context.Background(), api.WatchChanges.At(), "", func(e client.Event) error {
			heard <- e
			return nil
		})
	}()
	storetest.Eventually(t, "the stream tells what comes", func() bool {
		s.Send(d, fmt.Sprintf(`{"a": %d}`, time.Now().UnixNano()%1000))
		for {
			select {
			case e := <-heard:
				var change feed.Change
				if e.Name == "change" && json.Unmarshal(e.Data, &change) == nil && change.Signal == "d/a" && e.ID != "" {
					return true
				}
			case <-time.After(200 * time.Millisecond):
				return false
			}
		}
	})
	s.Do(api.RemoveReader.At("all"), nil, nil)
	select {
	case err := <-ended:
		if err == nil {
			t.Error("the stream has ended without an end")
		}
	case <-time.After(20 * time.Second):
		t.Error("the stream goes on without a key")
	}
	if err := all.Call(context.Background(), api.GetChanges.At(), nil, nil); !errors.As(err, &problem) ||
		problem.Status != 401 {
		t.Errorf("a key that has ended: %v", err)
	}
	var readers []feed.Reader
	s.Do(api.ListReaders.At(), nil, &readers)
	if len(readers) != 1 || readers[0].Name != "some" || !reflect.DeepEqual(readers[0].Devices, []string{"d"}) {
		t.Errorf("%+v", readers)
	}
	for field, body := range map[string]object{"devices": {"devices": []string{"f"}}, "kinds": {"kinds": []string{"alarms"}}} {
		if err := s.Owner.Call(context.Background(), api.PutReader.At("x"), body, nil); !errors.As(err, &problem) ||
			problem.Status != 422 || !strings.HasPrefix(problem.Errors[0].Location, "body."+field) {
			t.Errorf("%v: %v", body, err)
		}
	}
}
