package server_test

import (
	"context"
	"encoding/json"
	"errors"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

var errEnough = errors.New("enough")

// changes follows the live stream until enough says so.
func changes(t *testing.T, c *client.Client, last string, enough func(site.Update) bool) (lastID string) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	err := c.Follow(ctx, last, func(e client.Event) error {
		var change site.Update
		if e.Name != "change" {
			return nil
		}
		lastID = e.ID
		if err := json.Unmarshal(e.Data, &change); err != nil {
			return err
		}
		if enough(change) {
			return errEnough
		}
		return nil
	})
	if !errors.Is(err, errEnough) {
		t.Fatal("the stream ended with", err)
	}
	return lastID
}

func reads(want float64) func(site.Update) bool {
	return func(c site.Update) bool { return len(c.Signals) == 1 && *c.Signals[0].Value == want }
}

// The stream tells what another process commits, and resumes without a gap.
func TestLiveAcrossProcessesAndBreaks(t *testing.T) {
	storetest.Long(t)
	database := storetest.URL(t)
	one, two := servertest.On(t, database, "127.0.0.1:0"), servertest.On(t, database, "127.0.0.1:0")
	d := one.Device("d")
	seen := make(chan string)
	go func() {
		seen <- changes(t, two.Owner, "", func(c site.Update) bool {
			if c.CommitNo > 0 && len(c.Signals) == 0 {
				go one.Send(d, `{"temp": 1}`)
			}
			return reads(1)(c)
		})
	}()
	last := <-seen
	one.Send(d, `{"temp": 2}`)
	one.Send(d, `{"temp": 3}`)
	one.Stop()
	time.Sleep(time.Second) // nothing is on its way any more: what comes now comes by the number alone
	changes(t, two.Owner, last, reads(3))
}

// When the session has ended the stream says so and ends, at once.
func TestTheStreamEndsWithItsSession(t *testing.T) {
	s := servertest.Start(t)
	s.Do(api.AddPerson.At(), map[string]string{"email": "v@b.example", "role": "viewer",
		"password": "long enough for it"}, nil)
	for _, end := range []struct {
		how string
		do  func(viewer *client.Client)
	}{
		{"signing out", func(viewer *client.Client) {
			if err := viewer.Call(context.Background(), api.SignOut.At(), nil, nil); err != nil {
				t.Error(err)
			}
		}},
		{"the person's removal", func(*client.Client) { s.Do(api.RemovePerson.At("v@b.example"), nil, nil) }},
	} {
		viewer := s.SignIn("v@b.example", "long enough for it")
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		begun, last := time.Now(), ""
		err := viewer.Follow(ctx, "", func(e client.Event) error {
			if last == "" {
				go end.do(viewer)
			}
			last = e.Name
			return nil
		})
		cancel()
		if last != "ended" || errors.Is(err, context.DeadlineExceeded) {
			t.Errorf("after %s the last that was told is %q, after %v: %v", end.how, last, time.Since(begun), err)
		}
	}
}
