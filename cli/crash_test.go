package cli_test

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"

	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/server/servertest"
	"jauntylark/standin"
	"jauntylark/store/storetest"
)

// sender is a device that sends, and sends again what was not acknowledged.
type sender struct {
	name  string
	to    *client.Client
	acked []measure.Reading
	count atomic.Int64 // of acked, while it runs
}

// enough is how many readings of each sender must have been acknowledged for a test of losses to mean something,
// however slow the machine is.
const enough = 60

// run sends a reading every few milliseconds until stop is closed, then a last one that is calm.
func (s *sender) run(t *testing.T, seed uint64, stop <-chan struct{}) {
	r := rand.New(rand.NewPCG(seed, 1))
	value, last := 0.0, measure.Instant(0)
	for ended := false; !ended; {
		select {
		case <-stop:
			value, ended = 0, true
		case <-time.After(time.Duration(5+r.IntN(30)) * time.Millisecond):
			if r.IntN(5) == 0 {
				value = float64(r.IntN(12))
			}
		}
		last = max(last+1, measure.InstantOf(time.Now()))
		reading := measure.Reading{At: last, Value: value}
		body := fmt.Sprintf(`{"v": %v, "at": %q}`, value, reading.At)
		for end := time.Now().Add(40 * time.Second); ; time.Sleep(20 * time.Millisecond) {
			refused, err := s.to.SendReadings(context.Background(), "application/json", []byte(body))
			if err == nil && len(refused) == 0 {
				s.acked = append(s.acked, reading)
				s.count.Add(1)
				break
			}
			if len(refused) > 0 || time.Now().After(end) {
				t.Errorf("%s: %v %v", s.name, refused, err)
				return
			}
		}
	}
}

// unleash lets all senders send, until it is calmed: then each that has sent enough sends its last reading and is done.
func unleash(t *testing.T, senders []*sender) (calm func()) {
	stop := make(chan struct{})
	var all sync.WaitGroup
	for i, s := range senders {
		all.Go(func() { s.run(t, uint64(i), stop) })
	}
	return func() {
		storetest.Eventually(t, "each has sent enough", func() bool {
			return !slices.ContainsFunc(senders, func(s *sender) bool { return s.count.Load() < enough })
		})
		close(stop)
		all.Wait()
	}
}

// The service is killed again and again in a storm of readings, alarms and mails. Every acknowledged
// reading is there once, the alarms are those of a replay, and each planned notice arrives.
func TestKilledAtAnyInstant(t *testing.T) {
	storetest.Long(t)
	inbox, sink := servertest.Sink(t)
	p, address, database := newPerson(t), freeAddress(t), storetest.URL(t)
	env := []string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}
	args := []string{"serve", "--database", database, "--http", address, "--smtp", sink, "--seal-after", "200ms",
		"--log-level", "error"}
	d := p.start(env, args...)
	p.login(d.URL, "o@b.example", "a long secret")
	p.must("site", "reach", "set", "--flood", "10000 in 10s") // each alarm is told by itself

	guard := alarm.Guard{Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 5}, Deadband: 1,
		OnDelay: measure.Duration(60 * time.Millisecond), OffDelay: measure.Duration(40 * time.Millisecond)}}
	var senders []*sender
	for i := range 4 {
		s := &sender{name: fmt.Sprintf("d%d", i)}
		s.to = &client.Client{URL: d.URL, Token: get[struct{ Key string }](p, "device", "add", s.name).Key,
			HTTP: &http.Client{Timeout: 10 * time.Second}}
		p.must("send", s.name+"/v=0")
		p.must("guard", "add", s.name+"/v", "--when", guard.When.String(), "--deadband", "1", "--on-delay",
			guard.OnDelay.String(), "--off-delay", guard.OffDelay.String(), "--tell", s.name+"@b.example")
		senders = append(senders, s)
	}
	calm := unleash(t, senders)
	kills := 5
	if testing.Short() {
		kills = 3
	}
	var absences []absence
	for range kills {
		time.Sleep(time.Duration(300+rand.IntN(900)) * time.Millisecond)
		from := measure.InstantOf(time.Now())
		d.stop(syscall.SIGKILL)
		d = p.start(env, args...)
		absences = append(absences, absence{from, measure.InstantOf(time.Now())})
	}
	time.Sleep(500 * time.Millisecond)
	calm()
	storetest.Eventually(t, "all alarms are over",
		func() bool { return len(get[[]alarmLine](p, "alarm", "list")) == 0 })

	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for _, s := range senders {
		checkReadings(t, db, s.name, s.acked)
		checkAlarms(t, db, s, guard, absences)
		checkAsItWas(p, db, s.name+"/v", get[[]struct{ Name, Signal string }](p, "guard", "list"))
	}
	checkNotices(t, db, inbox)
}

func storedReadings(t *testing.T, db *sql.DB, device string) (stored []measure.Reading) {
	t.Helper()
	rows, err := db.Query(`
		select r.at, r.value, r.quality from signal s join device d on d.id = s.device_id cross join lateral (
			select at, value, quality from reading where signal_id = s.id
			union all select b.at, b.value, b.quality from block k cross join lateral block_readings(k.body) b
			    where k.signal_id = s.id) r
		where d.name = $1 order by r.at`, device)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var r measure.Reading
		if err := rows.Scan(&r.At, &r.Value, &r.Quality); err != nil {
			t.Fatal(err)
		}
		stored = append(stored, r)
	}
	return stored
}

// checkReadings tells whether each acknowledged reading is there, once.
func checkReadings(t *testing.T, db *sql.DB, device string, acked []measure.Reading) {
	t.Helper()
	count := map[measure.Instant]int{}
	for _, r := range storedReadings(t, db, device) {
		count[r.At]++
	}
	lost, doubled := 0, 0
	for _, r := range acked {
		if count[r.At] == 0 {
			lost++
		}
	}
	for _, n := range count {
		if n > 1 {
			doubled++
		}
	}
	if lost > 0 || doubled > 0 {
		t.Errorf("%s: of %d acknowledged readings %d are lost, %d are doubled", device, len(acked), lost, doubled)
	}
}

// absence is a time in which the service was away.
type absence struct{ from, until measure.Instant }

// shadow is how long after an absence what was pending may take to be as it would have been: a reading, and the longest
// delay.
const shadow = time.Second

// checkAlarms compares the alarms with a replay of what was stepped live: all that is not late, after the reading that
// was there when the guard began. A delay that ran when the service was killed goes on when the device is heard again,
// so what comes of it may come later, or not at all, where the replay, which knows nothing of kills, ends it meanwhile.
func checkAlarms(t *testing.T, db *sql.DB, s *sender, guard alarm.Guard, absences []absence) {
	t.Helper()
	stepped := slices.DeleteFunc(storedReadings(t, db, s.name)[1:],
		func(r measure.Reading) bool { return r.Quality&measure.Late != 0 })
	var want, got []transition
	for _, tr := range alarm.Replay(&guard, stepped, stepped[len(stepped)-1].At+10_000) {
		want = append(want, transition{tr.Kind, tr.At})
	}
	rows, err := db.Query(`select raised_at, cleared_at from alarm where signal = $1 order by id`, s.name+"/v")
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var raised, cleared measure.Instant
		if err := rows.Scan(&raised, &cleared); err != nil {
			t.Fatal(err)
		}
		got = append(got, transition{alarm.Raised, raised}, transition{alarm.Cleared, cleared})
	}
	differ := func(these, others []transition) {
		for _, tr := range these {
			if !slices.Contains(others, tr) && !slices.ContainsFunc(absences, func(a absence) bool {
				return tr.at >= a.from.Add(-shadow) && tr.at <= a.until.Add(shadow)
			}) {
				t.Errorf("%s: %+v is in one of both\nalarms %v\nreplay %v", s.name, tr, got, want)
			}
		}
	}
	differ(got, want)
	differ(want, got)
	if len(want) == 0 {
		t.Errorf("%s raised no alarm", s.name)
	}
}

// transition is an alarm that was raised, or is over.
type transition struct {
	kind alarm.TransitionKind
	at   measure.Instant
}

// checkAsItWas compares the alarms of the guard of a signal with those that going through all that happened to it
// gives.
func checkAsItWas(p *person, db *sql.DB, signal string, guards []struct{ Name, Signal string }) {
	p.t.Helper()
	guard := ""
	for _, g := range guards {
		if g.Signal == signal {
			guard = g.Name
		}
	}
	var replayed struct{ Alarms []alarm.Occurrence }
	if err := json.Unmarshal([]byte(p.must("guard", "replay", guard, "--as-it-was", "--json")), &replayed); err != nil {
		p.t.Fatal(err)
	}
	rows, err := db.Query(
		`select raised_at, cleared_at, worst from alarm where guard = $1 and not learned_late order by id`, guard)
	if err != nil {
		p.t.Fatal(err)
	}
	defer rows.Close()
	n := 0
	for ; rows.Next(); n++ {
		var raised, cleared measure.Instant
		var worst alarm.Severity
		if err := rows.Scan(&raised, &cleared, &worst); err != nil {
			p.t.Fatal(err)
		}
		if n >= len(replayed.Alarms) {
			continue
		}
		if o := replayed.Alarms[n]; o.RaisedAt != raised || o.ClearedAt == nil || *o.ClearedAt != cleared ||
			o.Severity != worst {
			p.t.Fatalf("%s: alarm %d was raised at %v, over at %v, %s; going through what happened gives %+v", guard, n,
				raised, cleared, worst, o)
		}
	}
	if n != len(replayed.Alarms) || n == 0 {
		p.t.Errorf("%s: %d alarms, %d when gone through again", guard, n, len(replayed.Alarms))
	}
}

// checkNotices waits until the outbox is empty and compares it with what arrived.
func checkNotices(t *testing.T, db *sql.DB, inbox *standin.Inbox) {
	t.Helper()
	number := func(query string) (n int) {
		if err := db.QueryRow(query).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	storetest.Eventually(t, "every notice is sent",
		func() bool { return number(`select count(*) from notice where state <> 'sent'`) == 0 })
	alarms, notices := number(`select count(*) from alarm`), number(`select count(*) from notice`)
	if notices != 2*alarms {
		t.Errorf("%d notices for %d alarms", notices, alarms)
	}
	arrived := map[string]bool{}
	for _, m := range inbox.Messages() {
		arrived[m.To+m.Subject+m.Text] = true
	}
	rows, err := db.Query(`select address, subject, text from notice`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var address, subject, text string
		if err := rows.Scan(&address, &subject, &text); err != nil {
			t.Fatal(err)
		}
		if !arrived[address+subject+strings.ReplaceAll(text, "\r\n", "\n")] {
			t.Errorf("never arrived: %s to %s", subject, address)
		}
	}
	t.Logf("%d alarms, %d notices, %d mails", alarms, notices, len(inbox.Messages()))
}
