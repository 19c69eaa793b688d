package notify_test

import (
	"bufio"
	"context"
	"fmt"
	"net"
	"strings"
	"testing"
	"time"

	"jauntylark/core/roster"
	"jauntylark/notify"
	"jauntylark/server/servertest"
)

func TestMailOverSMTP(t *testing.T) {
	in, sink := servertest.Sink(t)
	m, err := notify.NewMail(sink)
	if err != nil {
		t.Fatal(err)
	}
	n := roster.Notice{ID: 3, AlarmID: 2, Address: "órla@hollowbrook.example", Subject: "Warning: 30 °C",
		Text: "It reads 31 °C.\nSecond line of … text.\n", CreatedAt: start}
	r := m.Send(context.Background(), n)
	got := in.Messages()
	if !r.OK || !strings.Contains(r.Answer, "queued") || len(got) != 1 || got[0].Subject != n.Subject ||
		got[0].Text != n.Text || got[0].To != n.Address {
		t.Errorf("%+v %+v", r, got)
	}
}

// refuser is an SMTP server that says one thing to RCPT.
func refuser(t *testing.T, says string) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				fmt.Fprint(c, "220 here\r\n")
				for lines := bufio.NewScanner(c); lines.Scan(); {
					answer := "250 ok"
					if strings.HasPrefix(lines.Text(), "RCPT") {
						answer = says
					}
					fmt.Fprint(c, answer+"\r\n")
				}
			}()
		}
	}()
	return l.Addr().String()
}

func TestWhatAServersRefusalMeans(t *testing.T) {
	for says, final := range map[string]bool{"550 5.1.1 no such mailbox": true, "450 4.2.1 mailbox busy": false,
		"552 5.2.2 mailbox full": false} {
		m, err := notify.NewMail("smtp://" + refuser(t, says))
		if err != nil {
			t.Fatal(err)
		}
		r := m.Send(context.Background(), roster.Notice{Address: "a@b.example", Subject: "s", Text: "t"})
		if r.OK || r.Final != final || !strings.Contains(r.Answer, says[4:]) {
			t.Errorf("%s: %+v", says, r)
		}
	}
	closed, err := notify.NewMail("smtp://127.0.0.1:1")
	if err != nil {
		t.Fatal(err)
	}
	if r := closed.Send(context.Background(), roster.Notice{Address: "a@b.example"}); r.OK || r.Final {
		t.Errorf("a server that is not there: %+v", r)
	}
	for _, bad := range []string{"", "mail.example.org", "http://x", "smtp://", "smtp://h:x"} {
		if _, err := notify.NewMail(bad); err == nil {
			t.Errorf("%q was taken", bad)
		}
	}
}

// A mail server with TLS and sign-in, by STARTTLS and from the start; without TLS no password goes to another machine.
func TestMailOverTLS(t *testing.T) {
	for _, scheme := range []string{"smtp", "smtps"} {
		in, address, ca := servertest.SecureSink(t, scheme == "smtps", "lark", "secret")
		m, err := notify.NewMail(scheme + "://lark:secret@" + address + "?from=lark@b.example&ca=" + ca)
		if err != nil {
			t.Fatal(err)
		}
		n := roster.Notice{ID: 3, AlarmID: 2, Kind: roster.Raise, Address: "orla@b.example",
			Subject: "Air is above 30 °C", Text: "Something.\n\nSite, watched by Jaunty Lark\n", CreatedAt: start,
			Route: roster.Route{Link: "https://lark.example.org/take/x"}}
		if r := m.Send(context.Background(), n); !r.OK {
			t.Fatalf("%s: %+v", scheme, r)
		}
		got := in.Messages()
		if len(got) != 1 || got[0].Text != n.Text || !strings.Contains(got[0].HTML, "I have it") ||
			!strings.Contains(got[0].HTML, "above 30\u00a0°C</h1>") || !strings.Contains(got[0].HTML, n.Route.Link) ||
			got[0].Thread != "<alarm-2@b.example>" {
			t.Errorf("%s: %+v", scheme, got)
		}
		wrong, _ := notify.NewMail(scheme + "://lark:wrong@" + address + "?ca=" + ca)
		if r := wrong.Send(context.Background(), n); r.OK || !strings.Contains(r.Answer, "535") {
			t.Errorf("%s with a wrong password: %+v", scheme, r)
		}
		strange, _ := notify.NewMail(scheme + "://lark:secret@" + address)
		if r := strange.Send(context.Background(), n); r.OK || !strings.Contains(r.Answer, "certificate") {
			t.Errorf("%s with a certificate that nobody knows: %+v", scheme, r)
		}
	}
}

// Each way in which a mail server can fail is told in its own words, and tried again unless it is final.
func TestAMailServerThatFails(t *testing.T) {
	for name, c := range map[string]struct {
		script map[string]string // what it answers to the verb; "" hangs up
		says   string
		final  bool
	}{
		"is too busy to greet":      {map[string]string{"greet": "421 4.3.2 later"}, "421", false},
		"hangs up at once":          {map[string]string{"greet": ""}, "", false},
		"does not let us send":      {map[string]string{"MAIL": "550 5.7.1 not you"}, "not you", true},
		"knows nobody":              {map[string]string{"RCPT": "550 5.1.1 nobody here"}, "nobody here", true},
		"takes no data":             {map[string]string{"DATA": "451 4.3.0 disk full"}, "disk full", false},
		"does not like the content": {map[string]string{".": "554 5.6.0 no"}, "554", true},
		"hangs up after the data":   {map[string]string{".": ""}, "", false},
		"speaks nonsense":           {map[string]string{"greet": "hello?"}, "", false},
	} {
		m, err := notify.NewMail("smtp://" + scriptedServer(t, c.script))
		if err != nil {
			t.Fatal(err)
		}
		r := m.Send(context.Background(), roster.Notice{ID: 1, Address: "a@b.example", Subject: "s", Text: "t"})
		if r.OK || r.Final != c.final || !strings.Contains(r.Answer, c.says) || r.Answer == "" {
			t.Errorf("a server that %s: %+v", name, r)
		}
	}
	if testing.Short() {
		return
	}
	in, address := servertest.Sink(t)
	if err := in.Fail("e-mail", "time-out"); err != nil {
		t.Fatal(err)
	}
	m, err := notify.NewMail(address)
	if err != nil {
		t.Fatal(err)
	}
	short, cancel := context.WithTimeout(context.Background(), 300*time.Millisecond)
	defer cancel()
	began := time.Now()
	if r := m.Send(short, roster.Notice{ID: 1, Address: "a@b.example", Subject: "s", Text: "t"}); r.OK || r.Final ||
		time.Since(began) > 25*time.Second {
		t.Errorf("a server that never answers: %+v after %v", r, time.Since(began))
	}
}

// scriptedServer is an SMTP server that answers verbs as it is told, and hangs up where the answer is empty.
func scriptedServer(t *testing.T, script map[string]string) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	serve := func(c net.Conn) {
		defer c.Close()
		say := func(verb, usual string) bool {
			answer, told := script[verb]
			if !told {
				answer = usual
			}
			if answer != "" {
				fmt.Fprint(c, answer+"\r\n")
			}
			return answer != ""
		}
		if !say("greet", "220 here") {
			return
		}
		data := false
		for lines := bufio.NewScanner(c); lines.Scan(); {
			verb, _, _ := strings.Cut(lines.Text(), " ")
			switch {
			case data && lines.Text() != ".":
				continue
			case data:
				if data = false; !say(".", "250 queued") {
					return
				}
			case verb == "DATA":
				if data = !strings.HasPrefix(script["DATA"], "4"); !say("DATA", "354 go on") {
					return
				}
			default:
				verb, _, _ = strings.Cut(verb, ":")
				if !say(verb, "250 ok") {
					return
				}
			}
		}
	}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go serve(c)
		}
	}()
	return l.Addr().String()
}
