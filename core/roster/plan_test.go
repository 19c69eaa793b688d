package roster

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func minutes(n int) measure.Duration { return measure.Duration(time.Duration(n) * time.Minute) }

// world is a site in Dublin with some contacts, each with a text and a mail address.
func world(names ...string) World {
	w := World{Site: site.Site{Name: "Hollowbrook Fernery", Zone: "Europe/Dublin", Holidays: site.Days{"2026-12-25"}},
		Contacts: map[string]*Contact{}}
	for _, name := range names {
		w.Contacts[name] = &Contact{Name: name, Passes: alarm.Critical,
			Addresses: Addresses{{Carrier: Mail, To: name + "@b.example"},
				{Carrier: Text, To: "+3538600000" + name[:1]}}}
	}
	return w
}

// calls runs a roster for a while and tells each call: minutes after the raise, and the steps.
func calls(r *Roster, s alarm.Severity, at measure.Instant, w World, most int) (said []string) {
	p := Progress{Since: at}
	for range most {
		call, next, found := r.Next(p, About{Severity: s}, w)
		if !found {
			break
		}
		p = next
		again := ""
		if call.Again {
			again = " again"
		}
		said = append(said, fmt.Sprintf("%d:%v%s", int(call.At.Sub(at).Minutes()), call.Steps, again))
	}
	return said
}

func TestStepsSpeakInTheirOrderAndAtTheirHours(t *testing.T) {
	w := world("orla", "tadhg")
	r := &Roster{Name: "glasshouse", Repeat: minutes(20), Steps: Steps{
		{Who: []string{"orla"}, By: []string{Mail}, Hours: "daily 07:00-22:00"},
		{Who: []string{"tadhg"}, By: []string{Text}, Hours: "daily 22:00-07:00"},
		{Who: []string{"tadhg"}, From: alarm.Warning, After: minutes(10)},
	}}
	if err := r.Check([]string{"orla", "tadhg"}); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		at   string
		s    alarm.Severity
		want string
	}{
		{"2026-11-24T12:00:00Z", alarm.Critical, "0:[0] 10:[2] 30:[0 2] again 50:[0 2] again"},
		{"2026-11-24T03:00:00Z", alarm.Critical, "0:[1] 10:[2] 30:[1 2] again 50:[1 2] again"},
		{"2026-11-24T12:00:00Z", alarm.Advisory, "0:[0] 20:[0] again 40:[0] again 60:[0] again"},
		{"2026-11-24T21:50:00Z", alarm.Advisory, "0:[0] 10:[1] 20:[1] again 40:[1] again"},
		// A step whose hours begin later waits for them, whatever was told again meanwhile.
		{"2026-11-24T06:50:00Z", alarm.Advisory, "0:[1] 10:[0] 20:[0] again 40:[0] again"},
	} {
		if got := strings.Join(calls(r, c.s, instant(t, c.at), w, 4), " "); got != c.want {
			t.Errorf("%s %s: %s, want %s", c.at, c.s, got, c.want)
		}
	}
	only := &Roster{Name: "day", Repeat: minutes(10),
		Steps: Steps{{Who: []string{"orla"}, Hours: "mon-fri 09:00-17:00"}}}
	if got := strings.Join(calls(only, alarm.Critical, instant(t, "2026-11-27T16:45:00Z"), w, 4),
		" "); got != "0:[0] 10:[0] again 3855:[0] again 3865:[0] again" &&
		got != "0:[0] 10:[0] again 3860:[0] again 3870:[0] again" {
		t.Errorf("over the weekend: %s", got)
	}
}

// Random rosters: nobody is forgotten, nobody is told twice in one round, and time goes on.
func TestNoGapAndNoDouble(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 7))
	hours := []string{"", "daily 07:00-22:00", "daily 22:00-07:00", "mon-fri 09:00-17:00, holidays never", "sat-sun",
		"holidays", "daily 01:30-02:30"}
	severities := []alarm.Severity{alarm.Advisory, alarm.Warning, alarm.Critical}
	w := world("orla", "tadhg", "duty")
	names := []string{"orla", "tadhg", "duty"}
	for n := range 1500 {
		r := &Roster{Name: "r"}
		for range 1 + random.IntN(5) {
			r.Steps = append(r.Steps, Step{Who: []string{names[random.IntN(3)]}, Hours: hours[random.IntN(len(hours))],
				From: severities[random.IntN(3)], After: minutes(random.IntN(90))})
		}
		if random.IntN(2) == 0 {
			r.Repeat = minutes(1 + random.IntN(60))
		}
		if err := r.Check(names); err != nil {
			t.Fatal(err)
		}
		s := severities[random.IntN(3)]
		// Around the two changes of the clock of 2026 in Dublin, and Christmas.
		from := []string{"2026-03-28T12:00:00Z", "2026-10-24T12:00:00Z", "2026-12-24T12:00:00Z"}[random.IntN(3)]
		at := instant(t, from).Add(time.Duration(random.IntN(48*60)) * time.Minute)
		spoke := map[int]int{}
		p, last := Progress{Since: at}, at
		for range 40 {
			call, next, found := r.Next(p, About{Severity: s}, w)
			if !found {
				break
			}
			if call.At < last || len(call.Steps) == 0 || next == p {
				t.Fatalf("%d: %+v: time stands still at %+v", n, r, call)
			}
			for _, i := range call.Steps {
				if !call.Again {
					spoke[i]++
				}
				if !r.isFor(i, About{Severity: s}) || r.open(i, call.At, w) != call.At ||
					call.At < at.Add(time.Duration(r.Steps[i].After)) {
					t.Fatalf("%d: %+v: step %d speaks at %s", n, r, i, call.At)
				}
			}
			if readers := r.Readers(call, About{Severity: s}, w); len(readers) != len(distinctAddresses(readers)) {
				t.Fatalf("%d: somebody is told twice: %+v", n, readers)
			}
			p, last = next, call.At
		}
		for i := range r.Steps {
			opens := r.open(i, at.Add(time.Duration(r.Steps[i].After)), w)
			if r.isFor(i, About{Severity: s}) && opens != 0 && opens < last && p.Spoken>>i&1 == 0 {
				t.Fatalf("%d: %+v: step %d was to speak at %s and has not by %s", n, r, i, opens, last)
			}
			if spoke[i] > 1 {
				t.Fatalf("%d: step %d spoke %d times in one round", n, i, spoke[i])
			}
		}
	}
}

func distinctAddresses(readers []Recipient) map[string]bool {
	seen := map[string]bool{}
	for _, r := range readers {
		seen[r.Carrier+r.To] = true
	}
	return seen
}

func TestWhatComesNextIsBroughtForward(t *testing.T) {
	w := world("orla", "tadhg")
	r := &Roster{Name: "r", Steps: Steps{{Who: []string{"orla"}}, {Who: []string{"tadhg"}, After: minutes(10)},
		{Who: []string{"orla"}, After: minutes(30)}}}
	start := instant(t, "2026-11-24T12:00:00Z")
	_, p, _ := r.Next(Progress{Since: start}, About{Severity: alarm.Critical}, w)
	now := start.Add(time.Minute)
	p = r.Hurry(p, About{Severity: alarm.Critical}, w, now)
	call, p, _ := r.Next(p, About{Severity: alarm.Critical}, w)
	if call.At != now || call.Steps[0] != 1 {
		t.Errorf("the second step: %+v", call)
	}
	if call, _, _ = r.Next(p, About{Severity: alarm.Critical}, w); call.At != now.Add(20*time.Minute) {
		t.Errorf("the third keeps its distance: %+v", call)
	}
}

// After a break all are told again once, and the roster goes on.
func TestABreakIsNotMadeUpFor(t *testing.T) {
	w := world("orla")
	start := instant(t, "2026-11-24T12:00:00Z")
	for _, hours := range []string{"", "daily 07:00-22:00"} {
		r := &Roster{Name: "r", Repeat: minutes(10), Steps: Steps{{Who: []string{"orla"}, Hours: hours}}}
		_, p, _ := r.Next(Progress{Since: start}, About{Severity: alarm.Critical}, w)
		for _, away := range []time.Duration{time.Minute, 25 * time.Minute, 3 * time.Hour, 50 * time.Hour,
			100 * 24 * time.Hour} {
			now := start.Add(away)
			caught := r.CaughtUp(p, About{Severity: alarm.Critical}, w, now)
			call, _, found := r.Next(caught, About{Severity: alarm.Critical}, w)
			if !found || call.At <= now || call.At.Sub(now) > 10*time.Hour || hours == "" &&
				call.At.Sub(now) > 10*time.Minute {
				t.Errorf("%q after %v: %v %+v", hours, away, found, call)
			}
		}
	}
}

func TestRotationChangesByTheClockOnTheWall(t *testing.T) {
	rota := &Rotation{Who: []string{"orla", "tadhg"}, Since: "2026-03-23", At: "09:00", Weeks: 1}
	zone, _ := time.LoadLocation("Europe/Dublin")
	for at, want := range map[string]string{
		"2026-03-01T00:00:00Z": "orla",  // before it begins
		"2026-03-30T07:59:59Z": "orla",  // 08:59 in summer time
		"2026-03-30T08:00:00Z": "tadhg", // 09:00
		"2026-04-06T08:00:00Z": "orla",
		"2026-10-26T08:59:00Z": "orla", // 08:59 in winter time
		"2026-10-26T09:00:00Z": "tadhg",
	} {
		if got := rota.onDuty(instant(t, at), zone); got != want {
			t.Errorf("%s: %s, want %s", at, got, want)
		}
	}
}

func TestWhoIsReached(t *testing.T) {
	w := world("orla", "tadhg", "duty")
	at := instant(t, "2026-11-24T03:00:00Z")
	w.Contacts["orla"].Away = &Away{From: at - 1, Until: at + 1000, Instead: "tadhg"}
	reach := func(name string, s alarm.Severity, by ...string) string {
		var out []string
		for _, r := range w.Reach(name, by, at, s) {
			out = append(out, fmt.Sprintf("%s %s %v", r.Contact, r.Carrier, r.Quiet > 0))
		}
		return strings.Join(out, ", ")
	}
	if got := reach("orla", alarm.Warning, Text); got != "tadhg text false" {
		t.Errorf("away: %s", got)
	}
	w.Contacts["tadhg"].Away = &Away{From: 0, Until: at + 1000, Instead: "orla"} // all are away
	if got := reach("orla", alarm.Warning, Text); got != "orla text false" {
		t.Errorf("all away: %s", got)
	}
	w.Contacts["duty"].Quiet, w.Contacts["duty"].Zone = "daily 22:00-05:00", "America/New_York" // there it is 22:00
	if got := reach("duty", alarm.Warning); got != "duty e-mail true, duty text true" {
		t.Errorf("quiet: %s", got)
	}
	if got := reach("duty", alarm.Critical, Mail); got != "duty e-mail false" {
		t.Errorf("critical passes: %s", got)
	}
	if until := w.QuietUntil("duty", at, alarm.Warning); until != instant(t, "2026-11-24T10:00:00Z") {
		t.Errorf("quiet until %s", until)
	}
	r := &Roster{Name: "r", Steps: Steps{{Who: []string{"duty"}, By: []string{Mail}}, {Who: []string{"duty"}}}}
	readers := r.Readers(Call{At: at, Steps: []int{0, 1}}, About{Severity: alarm.Critical}, w)
	if len(readers) != 2 || readers[0].Why != "roster r, step 1" || readers[1].Why != "roster r, step 2" {
		t.Errorf("%+v", readers)
	}
}

func TestWhatARosterSays(t *testing.T) {
	w := world("orla", "tadhg")
	w.Contacts["tadhg"].Quiet = "daily 09:00-16:00"
	r := &Roster{Name: "r", Repeat: minutes(10), Steps: Steps{{Who: []string{"orla"}, By: []string{Mail, Text}},
		{Who: []string{"tadhg"}, By: []string{Mail}, After: minutes(5)}, {Who: []string{"tadhg"}, By: []string{Chat},
			After: minutes(7)}}}
	var said []string
	for _, line := range r.Say(About{Severity: alarm.Warning}, instant(t, "2026-11-24T10:00:00Z"), w) {
		said = append(said, line.After+": "+line.Words)
	}
	want := []string{
		"at once: Orla by e-mail and text message",
		"after 5 minutes: Tadhg by e-mail (quiet hours: not before 16:00:00 on Tuesday 24 November 2026 " +
			"(Europe/Dublin))",
		"after 7 minutes: nobody: no contact of it has such an address, so the next step comes at once",
		"after 17 minutes: Orla by e-mail and text message, Tadhg by e-mail (quiet hours: not before 16:00:00 on " +
			"Tuesday 24 November 2026 (Europe/Dublin)), again, and so on every 10 minutes until someone has it",
	}
	if !slices.Equal(said, want) {
		t.Errorf("%s", strings.Join(said, "\n"))
	}
}

func TestStepsInWords(t *testing.T) {
	for text, want := range map[string]string{
		"orla": "orla", "orla,tadhg by text,voice": "orla, tadhg by text, voice",
		"on-duty by voice after 5m from warning at daily 22:00-07:00, sat-sun": "on-duty by voice from warning after " +
			"5m at daily 22:00-07:00, sat-sun",
		"orla gap 1m for silence,fault, warning by text after 5m": "orla by text for warning, silence, " +
			"fault after 5m gap 1m",
	} {
		s, err := ParseStep(text)
		if err != nil || s.String() != want {
			t.Errorf("%q: %q %v", text, s, err)
		}
		if again, err := ParseStep(s.String()); err != nil || again.String() != want {
			t.Errorf("%q read again: %q %v", want, again, err)
		}
	}
	for text, says := range map[string]string{
		"": "names nobody", "by text": "names nobody", "orla by txt": "did you mean text?",
		"orla from critcal": "did you mean critical?", "orla after soon": "soon",
		"orla by text by voice": "says by twice", "orla at never": "never", "orla tadhg": "names nobody",
		"orla by": "no carrier", "orla at": "no hours", "orla for silense": "did you mean silence?",
		"orla for": "for names nothing", "orla gap often": "often", "orla, by text": "names nobody",
	} {
		if _, err := ParseStep(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", text, err, says)
		}
	}
}

func TestWhatIsWrongWithARosterOrAContact(t *testing.T) {
	names := []string{"orla", "tadhg"}
	good := func() *Roster { return &Roster{Name: "r", Steps: Steps{{Who: []string{"orla"}}}} }
	for says, spoil := range map[string]func(*Roster){
		"did you mean orla?":    func(r *Roster) { r.Steps[0].Who = []string{"olra"} },
		"there is no rotation":  func(r *Roster) { r.Steps[0].Who = []string{OnDuty} },
		"did you mean voice?":   func(r *Roster) { r.Steps[0].By = []string{"voise"} },
		"steps[0].hours":        func(r *Roster) { r.Steps[0].Hours = "late" },
		"is longer than":        func(r *Roster) { r.Steps[0].After = minutes(60 * 24 * 8) },
		"is not between":        func(r *Roster) { r.Repeat = 1 },
		"has 1 to 20":           func(r *Roster) { r.Steps = nil },
		"rotation.since":        func(r *Roster) { r.Rotation = &Rotation{Who: names, Since: "soon"} },
		"rotation.at":           func(r *Roster) { r.Rotation = &Rotation{Who: names, Since: "2026-11-02", At: "9"} },
		"rotation.who":          func(r *Roster) { r.Rotation = &Rotation{Since: "2026-11-02"} },
		"name: \"R\" is not":    func(r *Roster) { r.Name = "R" },
		"steps[0].who: names n": func(r *Roster) { r.Steps[0].Who = nil },
	} {
		r := good()
		spoil(r)
		if err := r.Check(names); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", says, err)
		}
	}
	for says, c := range map[string]*Contact{
		"not a telephone number": {Name: "c", Addresses: Addresses{{Carrier: Text, To: "0861234567"}}},
		"not an e-mail address":  {Name: "c", Addresses: Addresses{{Carrier: Mail, To: "orla"}}},
		"https://example.org":    {Name: "c", Addresses: Addresses{{Carrier: Webhook, To: "ftp://x.example"}}},
		"is there twice": {Name: "c", Addresses: Addresses{{Carrier: Text, To: "+353 86 123 4567"},
			{Carrier: Text, To: "+353861234567"}}},
		"did you mean voice?":  {Name: "c", Addresses: Addresses{{Carrier: "voce", To: "+353861234567"}}},
		"browser's keys":       {Name: "c", Addresses: Addresses{{Carrier: Push, To: "https://push.example/1"}}},
		"belongs to a webhook": {Name: "c", Addresses: Addresses{{Carrier: Mail, To: "a@b.example", Format: "cap"}}},
		"is no format": {Name: "c", Addresses: Addresses{{Carrier: Webhook, To: "https://b.example",
			Format: "xml"}}},
		"is no time zone":      {Name: "c", Zone: "Dublin"},
		"quiet":                {Name: "c", Quiet: "nights"},
		"name another contact": {Name: "c", Away: &Away{From: 1, Until: 2, Instead: "c"}},
		"not after":            {Name: "c", Away: &Away{From: 2, Until: 2, Instead: "d"}},
		"stands for whom":      {Name: OnDuty},
		"did you mean severity?": {Name: "c", Templates: alarm.Templates{{On: Raise,
			Short: "{{severty}}: {{sentence}}"}}},
	} {
		if err := c.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", says, err)
		}
	}
}
