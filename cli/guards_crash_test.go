package cli_test

import (
	"database/sql"
	"math/rand/v2"
	"net/http"
	"slices"
	"syscall"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/store/storetest"
)

// Two service processes share one database, and one or the other is killed again and again in a storm of readings while
// people change, shelve and acknowledge. No alarm is missed or doubled: going through what happened gives the same
// ones.
func TestTwoProcessesOfWhichOneIsKilled(t *testing.T) {
	storetest.Long(t)
	p, database := newPerson(t), storetest.URL(t)
	env := []string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}
	addresses := []string{freeAddress(t), freeAddress(t)}
	begin := func(i int) *daemon {
		return p.start(env, "serve", "--database", database, "--http", addresses[i], "--data", t.TempDir(),
			"--log-level", "error")
	}
	processes := []*daemon{begin(0), begin(1)}
	p.login(processes[0].URL, "o@b.example", "a long secret")
	var signedIn struct{ Token string }
	if err := (&client.Client{URL: processes[0].URL, HTTP: http.DefaultClient}).Call(t.Context(), api.CreateToken.At(),
		map[string]string{"email": "o@b.example", "password": "a long secret"}, &signedIn); err != nil {
		t.Fatal(err)
	}
	var senders []*sender
	for i, name := range []string{"one", "two", "three"} {
		key := get[struct{ Key string }](p, "device", "add", name).Key
		s := &sender{name: name, to: &client.Client{URL: processes[i%2].URL, Token: key,
			HTTP: &http.Client{Timeout: 10 * time.Second}}}
		p.must("send", name+"/v=0")
		p.must("guard", "add", name+"/v", "--name", name, "--when", "above 4", "--deadband", "1", "--on-delay", "50ms",
			"--off-delay", "40ms",
			"--rung", "above 8, critical, deadband 1, off-delay 30ms", "--tell", name+"@b.example")
		senders = append(senders, s)
	}
	calm := unleash(t, senders)
	kills := 8
	if testing.Short() {
		kills = 3
	}
	for kill := range kills {
		time.Sleep(time.Duration(200+rand.IntN(600)) * time.Millisecond)
		i := rand.IntN(2)
		processes[i].stop(syscall.SIGKILL)
		if kill%3 == 1 { // by the process that is left, or not at all
			s := &client.Client{URL: processes[1-i].URL, Token: signedIn.Token, HTTP: http.DefaultClient}
			_ = s.Call(t.Context(), api.GuardOutOfService.At("one"), map[string]string{"why": "a test"}, nil)
			_ = s.Call(t.Context(), api.GuardInService.At("one"), nil, nil)
		}
		time.Sleep(time.Duration(rand.IntN(300)) * time.Millisecond)
		processes[i] = begin(i)
	}
	calm()
	standing := get[[]alarmLine](p, "alarm", "list")
	t.Cleanup(func() {
		if t.Failed() {
			t.Logf("standing: %+v", standing)
		}
	})
	storetest.Eventually(t, "all alarms are over", func() bool {
		standing = get[[]alarmLine](p, "alarm", "list")
		// What the service says of itself, which is busy here, is another matter.
		return !slices.ContainsFunc(standing, func(a alarmLine) bool { return a.Kind == alarm.ByGuard })
	})

	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	guards := get[[]struct{ Name, Signal string }](p, "guard", "list")
	for _, s := range senders {
		checkReadings(t, db, s.name, s.acked)
		checkAsItWas(p, db, s.name+"/v", guards)
	}
}
