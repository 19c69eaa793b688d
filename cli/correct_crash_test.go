package cli_test

import (
	"context"
	"syscall"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/storage"
	"jauntylark/core/total"
	"jauntylark/pipeline/record"
	"jauntylark/server/servertest"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

// The service is killed again and again while it computes what follows from a correction of the past: in the end
// every derived reading, figure and total is what the corrected readings give.
func TestKilledWhileCorrecting(t *testing.T) {
	storetest.Long(t)
	database := storetest.URL(t)
	ctx := context.Background()
	first := servertest.On(t, database, "127.0.0.1:0")
	first.Device("d")
	until := measure.InstantOf(time.Now().Add(-10 * time.Minute).Truncate(time.Minute))
	const n = 250_000
	past := &record.Past{Signal: "d/v", Kind: site.KindNumber}
	for at := until - n*100; at < until; at += 100 {
		past.Readings = append(past.Readings, measure.Reading{At: at, Value: float64(at / 100 % 977)})
		if len(past.Readings) == n/4 {
			if _, err := record.Import(ctx, first.Pipeline, past); err != nil {
				t.Fatal(err)
			}
			past.Readings = past.Readings[:0]
		}
	}
	derived := func(kind, name, of string, more map[string]any) {
		recipe := map[string]any{"kind": kind, "of": []map[string]string{{"as": "of", "signal": of}}}
		for k, v := range more {
			recipe[k] = v
		}
		first.Do(api.PutRecipe.At("d", name), map[string]any{"recipe": recipe}, nil)
	}
	derived("formula", "twice", "d/v", map[string]any{"formula": "of * 2.0"})
	derived("on-off", "on", "d/twice", map[string]any{"when": "above 1000", "deadband": 900})
	first.Do(api.AddTotal.At(), map[string]any{"name": "on-time", "signal": "d/on", "kind": "on-time"}, nil)
	first.Stop()

	p := newPerson(t)
	args := []string{"serve", "--database", database, "--http", "127.0.0.1:0", "--log-level", "error"}
	d := p.start(nil, args...)
	c := &client.Client{URL: d.URL}
	var got struct{ Token string }
	if err := c.Call(ctx, api.CreateToken.At(), map[string]string{"email": servertest.Owner,
		"password": servertest.Password}, &got); err != nil {
		t.Fatal(err)
	}
	c.Token = got.Token
	order := map[string]any{"from": until - n*100, "pairs": []map[string]float64{{"shown": 10, "reference": 13.5}}}
	if err := c.Call(ctx, api.Calibrate.At("d", "v"), order, nil); err != nil {
		t.Fatal(err)
	}
	work, seen := storage.Work{Left: 1}, 0
	for killed := 0; work.Left > 0; time.Sleep(100 * time.Millisecond) {
		if killed < 6 {
			d.stop(syscall.SIGKILL)
			killed++
			d = p.start(nil, args...)
		}
		c.URL = d.URL
		if err := c.Call(ctx, api.GetWork.At("d", "v"), nil, &work); err != nil {
			t.Fatal(err)
		}
		if work.Left > 0 {
			seen++
		}
	}
	if seen < 3 {
		t.Errorf("the work was seen %d times under way; this proves little", seen)
	}
	d.stop(syscall.SIGTERM)
	records, err := store.Open(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer records.Close()
	checkCorrected(t, records, until-n*100, n)
}

// checkCorrected compares what is stored with what n corrected readings from an instant on, a tenth of a second apart,
// give.
func checkCorrected(t *testing.T, records *store.Store, from measure.Instant, n int) {
	ctx := context.Background()
	all := func(name string) []measure.Reading {
		s, err := config.Signal(ctx, records, "d", name)
		if err != nil {
			t.Fatal(err)
		}
		readings, _, err := timeseries.Readings(ctx, records, &s, 0, 1<<60, 2*n)
		if err != nil || len(readings) != n {
			t.Fatalf("%s has %d readings: %v", name, len(readings), err)
		}
		return readings
	}
	v, twice, on := all("v"), all("twice"), all("on")
	is, since := 0.0, measure.Instant(0)
	for i := range v {
		at := from + measure.Instant(i)*100
		value := float64(at/100%977) + 3.5
		switch {
		case 2*value > 1000:
			is = 1
		case 2*value <= 100:
			is = 0
		}
		if v[i].At != at || v[i].Value != value || twice[i].At != at || twice[i].Value != 2*value || on[i].At != at ||
			on[i].Value != is {
			t.Fatalf("at %v: %v, %v, %v", at, v[i], twice[i], on[i])
		}
		if is == 1 && i+1 < n {
			since += 100
		}
	}
	totals, err := timeseries.Totals(ctx, records)
	if err != nil {
		t.Fatal(err)
	}
	days := func(zone *time.Location) []measure.Instant {
		return total.Edges(total.ByMonth, from, from+measure.Instant(n)*100, zone)
	}
	sum := 0.0
	results, err := timeseries.Results(ctx, records, timeseries.Asked{Total: totals[0], Edges: days})
	for _, r := range results {
		sum += r.Value
	}
	if err != nil || sum != float64(since)/1000 {
		t.Errorf("on for %v s, not %v: %v", sum, float64(since)/1000, err)
	}
}
