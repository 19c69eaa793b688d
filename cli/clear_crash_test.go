package cli_test

import (
	"context"
	"database/sql"
	"syscall"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// The service is killed while it clears, and while it puts back: it goes on, and in the end all is as it was.
func TestKilledWhileClearing(t *testing.T) {
	storetest.Long(t)
	database := storetest.URL(t)
	first := servertest.On(t, database, "127.0.0.1:0")
	first.Device("d")
	until := measure.InstantOf(time.Now().Truncate(time.Minute))
	for _, name := range []string{"a", "b"} {
		past := &record.Past{Signal: "d/" + name, Kind: site.KindNumber}
		for at := until - 1_500_000*100; at < until; at += 100 {
			past.Readings = append(past.Readings, measure.Reading{At: at, Value: float64(at/100%977) / 10})
			if len(past.Readings) == 250_000 {
				if _, err := record.Import(context.Background(), first.Pipeline, past); err != nil {
					t.Fatal(err)
				}
				past.Readings = past.Readings[:0]
			}
		}
	}
	first.Stop()
	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	stamp := func(table string) (readings int, digest string) {
		if err := db.QueryRow(`select coalesce(sum(count), 0), coalesce(sum(digest), 0)::text from `+
			table).Scan(&readings, &digest); err != nil {
			t.Fatal(err)
		}
		return readings, digest
	}
	readings, digest := stamp("block")
	if readings != 3_000_000 {
		t.Fatalf("%d readings to begin with", readings)
	}
	p := newPerson(t)
	args := []string{"serve", "--database", database, "--http", "127.0.0.1:0", "--log-level", "error"}
	d := p.start(nil, args...)
	ask := func(at api.Place, in any) {
		c := &client.Client{URL: d.URL}
		var got struct{ Token string }
		err := c.Call(context.Background(), api.CreateToken.At(), map[string]string{"email": servertest.Owner,
			"password": servertest.Password}, &got)
		if c.Token = got.Token; err == nil {
			err = c.Call(context.Background(), at, in, nil)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	ask(api.ClearReadings.At(), map[string]any{"what": "d", "confirm": "d"})
	for _, state := range []string{site.ClearingCleared, site.ClearingUndone} {
		killed := 0
		for is := ""; is != state; {
			time.Sleep(150 * time.Millisecond)
			if killed < 5 {
				d.stop(syscall.SIGKILL)
				killed++
				d = p.start(nil, args...)
			}
			if err := db.QueryRow(`select state from clearing`).Scan(&is); err != nil {
				t.Fatal(err)
			}
		}
		if state == site.ClearingUndone {
			break
		}
		if left, _ := stamp("block"); left != 0 {
			t.Errorf("%d readings are left", left)
		}
		if kept, same := stamp("cleared_block"); kept != readings || same != digest {
			t.Errorf("%d readings are kept aside", kept)
		}
		ask(api.PutBackReadings.At("1"), nil)
	}
	if back, same := stamp("block"); back != readings || same != digest {
		t.Errorf("%d readings are back, the same: %v", back, same == digest)
	}
}
