package cli_test

import (
	"bufio"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store/storetest"
)

// follower has a program that follows the feed into a copy, and is killed and started again now and then.
type follower struct {
	mu       sync.Mutex
	cursor   string
	readings map[measure.Instant]float64
	alarms   map[int64]string
	changes  int
}

func (f *follower) take(line []byte) error {
	var c feed.Change
	if err := json.Unmarshal(line, &c); err != nil {
		return err
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.changes++
	f.cursor = fmt.Sprint(c.No - 1) // the rest of its commit may still be to come
	if c.Kind == feed.Alarm {
		f.alarms[c.Entry.ID] = c.Entry.Kind
	}
	if c.Kind != feed.Readings || c.Signal != "d/v" {
		return nil
	}
	for at := range f.readings {
		if at >= *c.Since && at < *c.Until {
			delete(f.readings, at)
		}
	}
	for _, r := range *c.Readings {
		f.readings[r.At] = r.Value
	}
	return nil
}

// run follows by the command line until what it gives is called, which kills it.
func (f *follower) run(t *testing.T, p *person) (kill func()) {
	t.Helper()
	cmd := p.command(context.Background(), "change", "follow", "--json", "--cursor", f.cursor)
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	read := make(chan struct{})
	go func() {
		defer close(read)
		for lines := bufio.NewReader(out); ; {
			line, err := lines.ReadBytes('\n')
			if err != nil {
				return // what was cut off comes again
			}
			if err := f.take(line); err != nil {
				t.Error(err)
			}
		}
	}()
	return func() {
		_ = cmd.Process.Kill()
		<-read // what it told before must not be taken after what the next one tells
		_ = cmd.Wait()
	}
}

// The service and who follows it are killed again and again, while readings come, late ones too, and alarms: in the end
// the copy is what is stored, and each happening was told.
func TestAFeedThroughKills(t *testing.T) {
	storetest.Long(t)
	p, address, database := newPerson(t), freeAddress(t), storetest.URL(t)
	env := []string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}
	args := []string{"serve", "--database", database, "--http", address, "--log-level", "error"}
	d := p.start(env, args...)
	p.login(d.URL, "o@b.example", "a long secret")
	device := &client.Client{URL: d.URL, Token: get[struct{ Key string }](p, "device", "add", "d").Key}
	person := &client.Client{URL: d.URL}
	var token api.Token
	if err := person.Call(context.Background(), api.CreateToken.At(), map[string]string{"email": "o@b.example",
		"password": "a long secret"}, &token); err != nil {
		t.Fatal(err)
	}
	person.Token = token.Token
	send := func(at measure.Instant, value int) { // as a device does, until it is taken
		body := fmt.Appendf(nil, `{"at": %q, "v": %d}`, at, value)
		for {
			var refused *client.Problem
			refusals, err := device.SendReadings(context.Background(), "application/json", body)
			switch {
			case err == nil && len(refusals) == 0:
				return
			case len(refusals) > 0, errors.As(err, &refused) && refused.Status < 500:
				t.Errorf("%s: %v %v", body, err, refusals)
				return
			}
			time.Sleep(20 * time.Millisecond)
		}
	}
	now := measure.InstantOf(time.Now())
	send(now, 0)
	p.must("guard", "add", "d/v", "--name", "g", "--when", "above 50")
	var stop atomic.Bool
	var sending sync.WaitGroup
	sent := atomic.Int64{}
	sending.Go(func() {
		for i := 1; !stop.Load(); i++ {
			time.Sleep(2 * time.Millisecond) // two of one millisecond would be in conflict
			value := i % 40
			if i%25 == 0 {
				value = 60
			}
			send(measure.InstantOf(time.Now()), value)
			if i%10 == 0 {
				send(now.Add(-time.Duration(i)*time.Second), -i)
				sent.Add(1)
			}
			sent.Add(1)
		}
	})
	f := &follower{cursor: "oldest", readings: map[measure.Instant]float64{}, alarms: map[int64]string{}}
	kill := f.run(t, p)
	kills := 4
	if testing.Short() {
		kills = 2
	}
	for k := range kills {
		enough := sent.Load() + int64(60+7*k) // at least two alarms that begin and end
		storetest.Eventually(t, "more readings are taken", func() bool { return sent.Load() >= enough })
		d.stop(syscall.SIGKILL)
		if k%2 == 1 {
			kill()
		}
		d = p.start(env, args...)
		if k%2 == 1 { // it cannot begin without a service; once it has begun it waits for one
			kill = f.run(t, p)
		}
	}
	stop.Store(true)
	sending.Wait()
	defer func() { kill() }()
	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var count, sum int64
	if err := db.QueryRow(`select count(*), sum(value) from analysis.reading where device = 'd' and signal = 'v'`).
		Scan(&count, &sum); err != nil {
		t.Fatal(err)
	}
	storetest.Eventually(t, "the copy is what is stored", func() bool {
		f.mu.Lock()
		defer f.mu.Unlock()
		copied := int64(0)
		for _, v := range f.readings {
			copied += int64(v)
		}
		return int64(len(f.readings)) == count && copied == sum
	})
	var entries []site.Entry
	if err := person.Call(context.Background(), api.ListJournal.At().Asking("limit", 1000), nil, &entries); err != nil {
		t.Fatal(err)
	}
	told := 0
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, e := range entries {
		if !strings.HasPrefix(e.Kind, "alarm ") {
			continue
		}
		if told++; f.alarms[e.ID] != e.Kind {
			t.Errorf("%s of %s was not told", e.Kind, e.At)
		}
	}
	if told < 2*kills {
		t.Errorf("%d alarms' entries; too few to tell anything", told)
	}
	t.Logf("%d kills, %d readings of %d sent, %d happenings of alarms, %d changes told", kills, count, sent.Load(), told,
		f.changes)
}
