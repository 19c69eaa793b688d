package cli_test

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"jauntylark/api"

	_ "github.com/jackc/pgx/v5/stdlib"

	"jauntylark/server/servertest"
	"jauntylark/standin"
	"jauntylark/store/storetest"
)

// gateways are stand-ins outside of the service under test, with the file that describes them.
func gateways(t *testing.T) (inbox *standin.Inbox, file, smtp string, g *standin.Gateway) {
	inbox, smtp = servertest.Sink(t)
	g, err := standin.StartGateway(inbox)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { g.Close() })
	file = filepath.Join(t.TempDir(), "carriers.yaml")
	if err := os.WriteFile(file, []byte(g.Settings()), 0o600); err != nil {
		t.Fatal(err)
	}
	return inbox, file, smtp, g
}

// From nothing to "you will be told", by commands alone.
func TestReachingPeopleByCommands(t *testing.T) {
	storetest.Long(t)
	inbox, file, smtp, g := gateways(t)
	p := newPerson(t)
	d := p.start([]string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}, "serve", "--database",
		storetest.URL(t), "--http", freeAddress(t), "--smtp", smtp, "--carriers", file, "--private-addresses")
	p.login(d.URL, "o@b.example", "a long secret")
	p.must("contact", "add", "orla", "--title", "Orla", "--mail", "orla@b.example", "--text", "+353 86 000 0001")
	p.must("contact", "add", "tadhg", "--voice", "+353860000002", "--quiet-hours", "daily 09:00-16:00", "--passes",
		"warning", "--words", "raise={{severity}}: {{sentence}}")
	if out := p.must("contact", "add", "firm", "--webhook", g.URL+"/hook"); !strings.Contains(out, "told once") {
		t.Errorf("%s", out)
	}
	p.must("roster", "add", "house", "--step", "orla by e-mail, text", "--step", "on-duty by voice after 10m",
		"--repeat", "20m", "--rotation", "tadhg, orla", "--first-day", "2026-01-05", "--handover-time", "09:00")
	if out := p.must("roster", "show", "house", "--at", "sat 03:00"); !strings.Contains(out,
		"at once:             Orla by e-mail and text message") ||
		!strings.Contains(out, "after 10 minutes:    Tadhg by voice call") &&
			!strings.Contains(out, "Orla by voice call") && !strings.Contains(out, "nobody") {
		t.Errorf("%s", out)
	}
	if out := p.must("contact", "test", "orla"); strings.Count(out, "sent")+strings.Count(out, "delivered") < 2 {
		t.Errorf("%s", out)
	}
	p.must("device", "add", "d")
	p.must("send", "d/temp=20")
	p.must("guard", "add", "d/temp", "--name", "hot", "--when", "above 30", "--tell", "house,firm", "--least-gap", "5m")
	p.refused(2, "did you mean house?", "guard", "set", "hot", "--tell", "huose")
	p.refused(2, "did you mean severity?", "guard", "set", "hot", "--words", "raise={{severty}}")
	p.refused(2, "names nobody", "roster", "add", "x", "--step", "by text")
	p.refused(2, "did you mean text?", "roster", "add", "x", "--step", "orla by txt")
	p.refused(2, "not a telephone number", "contact", "add", "x", "--text", "12")
	p.refused(1, "Did you mean orla?", "contact", "show", "olra")
	p.refused(1, "is named by roster house", "contact", "remove", "orla")
	p.refused(2, "is no time of day", "roster", "show", "house", "--at", "sat 29:00")
	p.refused(2, "FROM..UNTIL", "contact", "set", "orla", "--away", "soon")
	p.refused(2, "--kind", "statement", "add", "x", "--kind", "enrgy")
	p.refused(1, "no stand-ins", "standin", "fail", "text")

	// A drill to the end: Orla answers the text message.
	drill := make(chan string, 1)
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
		defer cancel()
		out, _, _ := p.exec(p.command(ctx, "drill", "start", "hot", "--for", "15s"))
		drill <- out
	}()
	var text api.Message
	storetest.Eventually(t, "the drill's text message", func() bool {
		i := slices.IndexFunc(inbox.Messages(), func(m api.Message) bool {
			return strings.HasPrefix(m.Text, "Drill: Warning: D temp is above 30.")
		})
		if i >= 0 {
			text = inbox.Messages()[i]
		}
		return i >= 0
	})
	storetest.Eventually(t, "the answer is taken",
		func() bool { return inbox.Reply(context.Background(), text.ID, "1") == nil })
	if out := <-drill; !strings.Contains(out, "Orla has it") ||
		!strings.Contains(out, "The drill is over: Orla has it") ||
		!strings.Contains(out, "Sent: the alarm by text message to orla (roster house, step 1)") {
		t.Errorf("%s", out)
	}
	if out := p.must("alarm", "list", "--all"); strings.Contains(out, "above 30") {
		t.Errorf("a drill is no alarm: %s", out)
	}
	p.must("send", "d/temp=31")
	storetest.Eventually(t, "the mail", func() bool {
		return slices.ContainsFunc(inbox.Messages(), func(m api.Message) bool {
			return m.Carrier == "e-mail" && m.Subject == "Warning: D temp is above 30"
		})
	})
	if out := p.must("notice", "list", "--contact", "orla", "--carrier", "text"); !strings.Contains(out,
		"roster house, step 1") {
		t.Errorf("%s", out)
	}
	p.must("alarm", "ack", "2")
	p.must("alarm", "hand-back", "2")
	p.must("statement", "add", "week", "--kind", "alarms", "--every", "week", "--tell", "orla")
	if out := p.must("statement", "show", "week"); !strings.Contains(out, "raised") {
		t.Errorf("%s", out)
	}
	p.must("statement", "send", "week", "--at", time.Now().Format(time.DateOnly))
	p.must("site", "reach", "set", "--tell", "orla", "--heartbeat", g.URL+"/heartbeat", "--every", "30s",
		"--quiet-word", "orla 08:00", "--flood", "5 in 1m")
	if out := p.must("site", "reach", "show"); !strings.Contains(out,
		"Who got 5 messages in 1 minute gets what follows in one.") {
		t.Errorf("%s", out)
	}
	if out := p.must("notice", "preview", "--on", "raise", "--alarm", "2"); !strings.Contains(out, "1 text message)") ||
		!strings.Contains(out, "above thirty") {
		t.Errorf("%s", out)
	}
	if out := p.must("carrier", "list"); !strings.Contains(out, "works") || !strings.Contains(out, "not used yet") {
		t.Errorf("%s", out)
	}
	if out := p.must("drill", "list"); !strings.Contains(out, "Orla has it, after") {
		t.Errorf("%s", out)
	}
	if out := p.must("reader", "add", "lamp", "--kind", "alarm"); !strings.Contains(out, "as password of the user - over MQTT") {
		t.Errorf("%s", out)
	}
	if out := p.must("reader", "list"); !strings.Contains(out, "lamp") || !strings.Contains(out, "alarm") {
		t.Errorf("%s", out)
	}
}

// The service is killed again and again while it sends. What a gateway that knows idempotency keys got is each message
// once; by e-mail a message comes once more for each kill at most; and nothing is lost.
func TestKilledBetweenSendingAndRecording(t *testing.T) {
	storetest.Long(t)
	inbox, file, smtp, _ := gateways(t)
	p, address, database := newPerson(t), freeAddress(t), storetest.URL(t)
	env := []string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}
	args := []string{"serve", "--database", database, "--http", address, "--smtp", smtp, "--carriers", file,
		"--log-level", "error"}
	d := p.start(env, args...)
	p.login(d.URL, "o@b.example", "a long secret")
	const contacts = 40
	for i := range contacts {
		p.must("contact", "add", fmt.Sprintf("c%d", i), "--mail", fmt.Sprintf("c%d@b.example", i), "--text",
			fmt.Sprintf("+3538600%05d", i))
	}
	kills := 4
	if testing.Short() {
		kills = 2
	}
	tests := 0
	for k := range kills {
		for i := range contacts {
			cmd := p.command(context.Background(), "contact", "test", fmt.Sprintf("c%d", i))
			if err := cmd.Start(); err != nil {
				t.Fatal(err)
			}
			go func() { _ = cmd.Wait() }()
			if i == 10+k*5 {
				break
			}
		}
		time.Sleep(time.Duration(120+60*k) * time.Millisecond)
		d.stop(syscall.SIGKILL)
		d = p.start(env, args...)
		tests++
	}
	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	number := func(query string, args ...any) (n int) {
		if err := db.QueryRow(query, args...).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	// A notice that was on its way in a crash is tried again half a minute later.
	for end := time.Now().Add(time.Minute); number(
		`select count(*) from notice where state not in ('sent', 'delivered')`) > 0; time.Sleep(
		100 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatal("the outbox is not empty after a minute")
		}
	}
	got := map[string]int{}
	for _, m := range inbox.Messages() {
		got[m.Carrier+" "+m.Ref]++
	}
	rows, err := db.Query(`select id, carrier, created_at from notice`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	notices, twice := 0, 0
	for rows.Next() {
		var id, at int64
		var carrier string
		if err := rows.Scan(&id, &carrier, &at); err != nil {
			t.Fatal(err)
		}
		notices++
		n := got[fmt.Sprintf("%s notice-%d", carrier, id)]
		if carrier == "e-mail" {
			for ref, times := range got {
				if strings.HasPrefix(ref, fmt.Sprintf("e-mail <notice-%d-%d@", id, at)) {
					n = times
				}
			}
			twice += max(0, n-1)
		} else if n > 1 {
			t.Errorf("notice %d came %d times to a gateway that knows idempotency keys", id, n)
		}
		if n == 0 {
			t.Errorf("notice %d by %s was lost", id, carrier)
		}
		if n > 1+kills {
			t.Errorf("notice %d came %d times", id, n)
		}
	}
	t.Logf("%d kills, %d notices, %d mails came once more", tests, notices, twice)
}
