package server_test

import (
	"context"
	"encoding/json"
	"errors"
	"testing"
	"time"

	"jauntylark/client"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

var errEnough = errors.New("enough")

// changes follows the live stream until enough says so.
func changes(t *testing.T, c *client.Client, last string, enough func(site.Change) bool) (lastID string) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	err := c.Follow(ctx, last, func(e client.Event) error {
		var change site.Change
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

func reads(want float64) func(site.Change) bool {
	return func(c site.Change) bool { return len(c.Signals) == 1 && *c.Signals[0].Value == want }
}

// The stream tells what another process commits, and resumes without a gap.
func TestLiveAcrossProcessesAndBreaks(t *testing.T) {
	database := storetest.URL(t)
	one, two := servertest.On(t, database, "127.0.0.1:0"), servertest.On(t, database, "127.0.0.1:0")
	d := one.Device("d")
	seen := make(chan string)
	go func() {
		seen <- changes(t, two.Owner, "", func(c site.Change) bool {
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
