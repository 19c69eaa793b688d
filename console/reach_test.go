package console_test

import (
	"fmt"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/console/browser"
	"jauntylark/core/roster"
	"jauntylark/core/statement"
	"jauntylark/server/servertest"
	"jauntylark/service"
	"jauntylark/standin"
	"jauntylark/store/storetest"
)

// write fills in the nth field with a label, as a person would.
func write(t *testing.T, p *browser.Page, label string, nth int, value string) {
	t.Helper()
	find := fmt.Sprintf(`[...`+inFront+
		`.querySelectorAll('label')].filter((l) => l.innerText.split('\n')[0] === %q)[%d]`, label, nth)
	must(t, p.Until(find))
	_, err := browser.Eval[bool](p, `(() => {
		const label = `+find+`
		const field = label.control ?? label.querySelector('select, input') ?? document.getElementById(label.htmlFor)
		document.querySelectorAll('[data-to-write]').forEach((old) => delete old.dataset.toWrite)
		field.dataset.toWrite = ''
		return true
	})()`)
	must(t, err)
	choose(t, p, "[data-to-write]", value)
}

// reaching is a console whose service has stand-ins for all carriers.
func reaching(t *testing.T) (*servertest.Service, *browser.Page, *standin.Inbox) {
	inbox, err := standin.OpenInbox("", nil)
	must(t, err)
	gateway, err := standin.StartGateway(inbox)
	must(t, err)
	t.Cleanup(func() { gateway.Close() })
	s := servertest.On(t, storetest.URL(t), "127.0.0.1:0", func(o *service.Settings) {
		o.Gateways, o.Private, o.Inbox = []byte(gateway.Settings()), true, inbox
	})
	return s, open(t, s), inbox
}

// Somebody adds people and a roster, reads in words what it comes to, proves it by a test and by a drill, and takes the
// drill.
func TestARosterFromNothingToADrill(t *testing.T) {
	s, p, inbox := reaching(t)
	must(t, p.Goto("/contacts/new"))
	write(t, p, "Name", 0, "orla")
	write(t, p, "Title", 0, "Orla")
	write(t, p, "Carrier", 0, "text")
	write(t, p, "Address", 0, "086 12")
	press(t, p, "Save")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('not a telephone number')`))
	write(t, p, "Address", 0, "+353 86 123 4567")
	press(t, p, "Save")
	must(t, p.Until(`location.pathname === '/contacts/orla'`))
	press(t, p, "Send a test")
	must(t, p.Until(says+`('text message: ') && !`+says+`('on its way')`))
	if m := inbox.Messages(); len(m) != 1 || m[0].To != "+353861234567" {
		t.Errorf("%+v", m)
	}
	s.Do(api.PutContact.At("tadhg"), map[string]any{"addresses": []map[string]string{{"carrier": "voice",
		"to": "+353860000002"}}}, nil)

	must(t, p.Goto("/rosters/new"))
	write(t, p, "Name", 0, "house")
	write(t, p, "Contacts", 0, "olra")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('did you mean orla?')`))
	write(t, p, "Contacts", 0, "orla")
	press(t, p, "Add a step")
	write(t, p, "Contacts", 1, "on-duty")
	write(t, p, "Carriers", 1, "voice")
	write(t, p, "Delay", 1, "5m")
	write(t, p, "Contacts in turn", 0, "tadhg, orla")
	must(t, p.Until(says+`('after 5 minutes') && `+says+`('every 10 minutes until someone has it')`))
	write(t, p, "Severity", 0, "warning")
	press(t, p, "Save")
	must(t, p.Until(`location.pathname === '/rosters/house'`))
	var r roster.Roster
	s.Do(api.GetRoster.At("house"), nil, &r)
	if len(r.Steps) != 2 || r.Steps[1].String() != "on-duty by voice after 5m" || r.Rotation == nil ||
		strings.Join(r.Rotation.Who, " ") != "tadhg orla" {
		t.Errorf("%+v", r)
	}
	d := s.Device("d")
	s.Send(d, `{"temp": 20}`)
	s.Guard(map[string]any{"name": "hot", "signal": "d/temp", "when": "above 30", "tell": []string{"house"}})
	must(t, p.Goto("/rosters/house"))
	press(t, p, "Drill hot")
	must(t, p.Until(`location.pathname === '/drills/1' && `+says+`('Sent: the alarm by text message to orla')`))
	accessible(t, p, "/drills/1", "table")
	must(t, p.Look(1280, 800, false))
	press(t, p, "I have it")
	must(t, p.Until(says+`('The drill is over')`))
	complaints(t, p)
}

// What was sent is told with why it failed and what to do; words of one's own are shown as they will read; statements
// are read and sent; the stand-ins' page answers a message.
func TestDeliveriesWordsAndStatements(t *testing.T) {
	s, p, inbox := reaching(t)
	s.Do(api.PutContact.At("orla"), map[string]any{"addresses": []map[string]string{{"carrier": "text",
		"to": "+353861234567"}, {"carrier": "e-mail", "to": "orla@b.example"}}}, nil)
	must(t, inbox.Fail("text", standin.FaultReject))
	d := s.Device("d")
	s.Send(d, `{"temp": 20}`)
	s.Guard(map[string]any{"name": "hot", "signal": "d/temp", "when": "above 30", "tell": []string{"orla"}})
	s.Send(d, `{"temp": 31}`)
	must(t, p.Goto("/notices"))
	must(t, p.Until(says+`('given up') && `+says+`('told to reject') && `+says+`('What to do.')`))
	write(t, p, "State", 0, "given up")
	must(t, p.Until(`location.search.includes('given') && document.querySelectorAll('tbody tr').length === 1`))

	must(t, inbox.Fail("text", ""))
	s.Do(api.PutGuard.At("hot"), map[string]any{"signal": "d/temp", "when": "above 25", "severity": "critical",
		"tell": []string{"orla"}}, nil)
	must(t, p.Goto("/stand-ins"))
	press(t, p, "Reply 1")
	storetest.Eventually(t, "the alarm is taken", func() bool { return s.Alarms()[0].AcknowledgedBy == "Orla" })

	must(t, p.Goto("/words"))
	write(t, p, "Short text", 0, "{{severty}}")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('did you mean severity?')`))
	write(t, p, "Short text", 0, "Achtung: {{thing}} {{value}}")
	must(t, p.Until(says+`('Achtung: D temp 31')`))
	press(t, p, "Save")
	must(t, p.Until(`document.querySelector('main [role=status]') || `+says+`('Achtung: D temp 31')`))
	storetest.Eventually(t, "the words are kept", func() bool {
		var own roster.SiteReach
		s.Do(api.GetReach.At(), nil, &own)
		return len(own.Templates) == 1 && own.Templates[0].Short == "Achtung: {{thing}} {{value}}"
	})

	write(t, p, "Applies to", 0, "guard hot")
	must(t, p.Until(`[...document.querySelectorAll('main input')].some((i) => i.value === '')`))
	write(t, p, "Short text", 0, "Hot! {{value}}")
	must(t, p.Until(says+`('Hot! 31')`))
	press(t, p, "Save")
	storetest.Eventually(t, "the guard's words are kept, and it is as it was", func() bool {
		var guards []map[string]any
		s.Do(api.ListGuards.At(), nil, &guards)
		return strings.Contains(fmt.Sprint(guards[0]["templates"]), "Hot! {{value}}") &&
			guards[0]["when"] == "above 25" && guards[0]["severity"] == "critical"
	})

	must(t, p.Goto("/statements"))
	write(t, p, "Name", 0, "week")
	write(t, p, "Contents", 0, "alarms")
	write(t, p, "Period", 0, "week")
	write(t, p, "Send to", 0, "orla")
	press(t, p, "Add")
	must(t, p.Until(`document.querySelector('a[href="/statements/week"]')`))
	var all []statement.Statement
	s.Do(api.ListStatements.At(), nil, &all)
	if len(all) != 1 || all[0].DueAt == nil {
		t.Errorf("%+v", all)
	}
	must(t, p.Goto("/statements/week"))
	must(t, p.Until(says+`('raised')`))
	press(t, p, "Send")
	must(t, p.Until(says+`('It goes to 2 addresses')`))
	complaints(t, p)
	for path, wait := range map[string]string{"/rosters": "table", "/rosters/new": "fieldset", "/contacts/orla": "form",
		"/notices": "table", "/words": "form", "/statements": "form", "/statements/week": "table",
		"/stand-ins": "select"} {
		accessible(t, p, path, wait)
	}
	complaints(t, p)
}
