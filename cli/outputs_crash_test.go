package cli_test

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"jauntylark/client"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/standin"
	"jauntylark/store/storetest"
)

// Two processes, of which one or the other is killed again and again between decisions and commands, switch outputs by
// a storm of readings. Each change is ordered once, what is latched stays so, and the devices end up doing what was
// ordered last.
func TestOutputsThroughKills(t *testing.T) {
	storetest.Long(t)
	p, database := newPerson(t), storetest.URL(t)
	env := []string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}
	addresses, brokers := []string{freeAddress(t), freeAddress(t)}, []string{freeAddress(t), freeAddress(t)}
	begin := func(i int) *daemon {
		return p.start(env, "serve", "--database", database, "--http", addresses[i], "--mqtt", brokers[i], "--data",
			t.TempDir(), "--log-level", "error")
	}
	processes := []*daemon{begin(0), begin(1)}
	p.login(processes[0].URL, "o@b.example", "a long secret")
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	var senders []*sender
	var does [3]atomic.Value
	for i := range 3 {
		name := fmt.Sprintf("d%d", i)
		key := get[struct{ Key string }](p, "device", "add", name).Key
		s := &sender{name: name, to: &client.Client{URL: processes[i%2].URL, Token: key,
			HTTP: &http.Client{Timeout: 10 * time.Second}}}
		p.must("send", name+"/v=0")
		p.must("output", "add", name+"/relay", "--expires", "5s")
		p.must("output", "add", name+"/siren", "--expires", "5s")
		senders = append(senders, s)
		link, err := standin.DialMQTT(ctx, brokers[i%2], name, key)
		if err != nil {
			t.Fatal(err)
		}
		device := &standin.Device{Name: name, Every: time.Hour,
			Outputs: []standin.Output{{Name: "relay", Set: func(word string, _ time.Time) { does[i].Store(word) }},
				{Name: "siren", Set: func(string, time.Time) {}}}}
		go device.Run(ctx, link, func(error) {})
	}
	for i, s := range senders { // each drives the next one's relay, and its own siren
		next := senders[(i+1)%len(senders)].name
		p.must("interlock", "add", "relay-"+s.name, "--output", next+"/relay", "--when", s.name+"/v above 5",
			"--deadband", "1")
		p.must("interlock", "add", "siren-"+s.name, "--output", s.name+"/siren", "--when", s.name+"/v above 4",
			"--latch")
	}
	calm := unleash(t, senders)
	kills := 8
	if testing.Short() {
		kills = 3
	}
	for range kills {
		time.Sleep(time.Duration(200+rand.IntN(600)) * time.Millisecond)
		i := rand.IntN(2)
		processes[i].stop(syscall.SIGKILL)
		time.Sleep(time.Duration(rand.IntN(300)) * time.Millisecond)
		processes[i] = begin(i)
	}
	time.Sleep(500 * time.Millisecond)
	calm()
	for i := range does {
		path := fmt.Sprintf("d%d/relay", i)
		storetest.Eventually(t, path+" does what was ordered last, and it is known", func() bool {
			o := get[drive.Output](p, "output", "show", path)
			return o.Ordered == drive.Off && does[i].Load() == "0" && o.Confirmed != nil && *o.Confirmed == drive.Off &&
				o.DiffersSince == nil
		})
	}
	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	orders := 0
	for _, s := range senders {
		relay := ordersOf(t, db, s.name+"/relay")
		orders += len(relay)
		for n := range relay {
			if n > 0 && relay[n] == relay[n-1] {
				t.Errorf("%s was ordered %s twice running: %v", s.name, relay[n], relay)
			}
		}
		if high := slices.ContainsFunc(s.acked, func(r measure.Reading) bool { return r.Value > 4 }); !high {
			t.Errorf("%s never sent what drives its siren; this proves little", s.name)
		}
		if siren := ordersOf(t, db, s.name+"/siren"); strings.Join(siren, " ") != "off on" {
			t.Errorf("%s's siren was ordered %v; it is latched", s.name, siren)
		}
		if i := get[drive.Interlock](p, "interlock", "show", "siren-"+s.name); !i.Latched || !i.Asks {
			t.Errorf("%+v", i)
		}
		checkReadings(t, db, s.name, s.acked)
	}
	if orders < 2*len(senders) {
		t.Errorf("only %d orders; this proves little", orders)
	}
	t.Logf("%d orders through %d kills", orders, kills)
}

// ordersOf gives what an output was ordered, as the journal tells it.
func ordersOf(t *testing.T, db *sql.DB, path string) (states []string) {
	t.Helper()
	rows, err := db.Query(
		`select text from journal where kind = 'output ordered' and subject = $1 and text not like '% stays %'
			order by id`, path)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var text string
		if err := rows.Scan(&text); err != nil {
			t.Fatal(err)
		}
		does, _, _ := strings.Cut(text, ":") // "D0 relay goes on"
		states = append(states, does[strings.LastIndex(does, " ")+1:])
	}
	return states
}
