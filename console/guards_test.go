package console_test

import (
	"strconv"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/console/browser"
	"jauntylark/core/alarm"
	"jauntylark/core/site"
)

func focus(t *testing.T, p *browser.Page, selector string) {
	t.Helper()
	must(t, p.Until(`document.querySelector('`+selector+`')`))
	_, err := browser.Eval[bool](p, `(document.querySelector('`+selector+`').focus(), true)`)
	must(t, err)
}

// A person finds a limit: what it would have raised follows the line as it is moved by keys and by the mouse; the guard
// is kept, changed, shelved, put out of service.
func TestFindALimitInTheConsole(t *testing.T) {
	s, p := visit(t)
	s.Device("d")
	aDay(t, s, "gas", "ppm", func(i int) float64 { // 24 peaks
		if i%60 < 5 {
			return 90
		}
		return 10 + float64(i%7)
	})
	accessible(t, p, "/guards/new?of=d/gas", "[role=slider]")
	must(t, p.Look(1280, 800, false))
	must(t, p.Goto("/guards/new?of=d/gas"))
	must(t, p.Until(`document.querySelector('[data-replay=done] b')`))
	choose(t, p, "[data-number] input", "50")
	must(t, p.Until(`document.querySelector('[data-replay=done] b')?.innerText.includes('24 times in 30 days')`))
	focus(t, p, "[role=slider]")
	before, err := browser.Eval[float64](p, `Number(document.querySelector('[role=slider]').ariaValueNow)`)
	must(t, err)
	must(t, p.Press("ArrowUp"))
	after, err := browser.Eval[float64](p, `Number(document.querySelector('[role=slider]').ariaValueNow)`)
	must(t, err)
	if after <= before {
		t.Errorf("an arrow key moved the limit from %v to %v", before, after)
	}
	must(t, p.Drag("[role=slider]", 0, -140)) // beyond the peaks
	must(t, p.Until(`Number(document.querySelector('[role=slider]').ariaValueNow) > 90`))
	must(t, p.Until(`document.querySelector('[data-replay=done] b')?.innerText.includes('not once')`))
	must(t, p.Drag("[role=slider]", 0, 100))
	must(t, p.Until(`document.querySelector('[data-replay=done] b')?.innerText.includes('24 times')`))
	must(t, p.Until(`document.querySelector('main').innerText.includes('would have spoken') && [...document.querySelectorAll('button')].some((b) => b.innerText === 'Use this limit')`))
	choose(t, p, "[data-number] input", "50")
	press(t, p, "Add a rung")
	must(t, p.Until(`document.querySelectorAll('[role=slider]').length === 2`))
	press(t, p, "Tell me")
	press(t, p, "Add guard")
	must(t, p.Until(`location.pathname === '/guards/d-gas-above-50'`))
	must(t, p.Until(`document.querySelector('[data-guard-life]')?.innerText.includes('0 alarms')`))
	accessible(t, p, "/guards/d-gas-above-50", "[data-guard-life]")
	must(t, p.Look(1280, 800, false))
	guards := []alarm.Guard{}
	s.Do(api.ListGuards.At(), nil, &guards)
	if g := guards[0]; g.When.String() != "above 50" || len(g.Rungs) != 1 || g.Rungs[0].When.A != 60 ||
		g.Rungs[0].Severity != alarm.Critical || len(g.Tell) != 1 {
		t.Errorf("it was kept as %+v", g)
	}
	must(t, p.Type("input[name=why]", "the plumber is here"))
	press(t, p, "Shelve")
	must(t, p.Until(says+`('Shelved until')`))
	press(t, p, "End the shelving")
	must(t, p.Type("input[name=why]", "away for repair"))
	press(t, p, "Take out of service")
	must(t, p.Until(says+`('Out of service since')`))
	press(t, p, "Put back into service")
	press(t, p, "It missed something just now")
	must(t, p.Until(`document.querySelector('[data-guard-life]').innerText.includes('1 missed')`))
	choose(t, p, "[data-number] input", "70") // the inner rung lies further out now than the outer one
	press(t, p, "Save")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('less severe')`))
	complaints(t, p)
}

// Somebody records a trial on the chart and takes the limit that follows from it.
func TestATrialInTheConsole(t *testing.T) {
	s, p := visit(t)
	s.Device("d")
	aDay(t, s, "gas", "ppm", func(i int) float64 {
		if i > 600 && i < 640 || i > 900 && i < 930 || i > 1200 && i < 1260 {
			return 80 + float64(i%9)
		}
		return 10 + float64(i%7)
	})
	accessible(t, p, "/trials?of=d/gas", "h1")
	must(t, p.Look(1280, 800, false))
	must(t, p.Type("input[name=note]", "Smoke pen"))
	press(t, p, "Start a trial")
	must(t, p.Until(`location.pathname === '/trials/1'`))
	must(t, p.Until(says+`('at least one of each is needed')`))
	press(t, p, "It happens now")
	must(t, p.Until(says+`('Recording: event')`))
	press(t, p, "Neither")
	now := time.Now()
	mark := func(label string, from, until int) {
		at := func(i int) time.Time { return now.Add(time.Duration(i-1440) * time.Minute) }
		s.Do(api.MarkTrial.At("1"), map[string]any{"label": label, "from": at(from), "until": at(until)}, nil)
	}
	mark("event", 600, 645)
	mark("event", 895, 935)
	mark("event", 1195, 1265)
	mark("normal", 300, 400)
	mark("normal", 700, 800)
	must(t, p.Goto("/trials/1"))
	must(t, p.Until(`document.querySelector('[data-suggestion=apart]')?.innerText.includes('half way is')`))
	must(t, p.Until(says+`('no event was missed and there was no false alarm')`))
	accessible(t, p, "/trials/1", "[data-suggestion=apart]")
	must(t, p.Look(1280, 800, false))
	press(t, p, "Add guard")
	must(t, p.Until(`location.pathname.startsWith('/guards/d-gas-above-')`))
	var trials []site.Trial
	s.Do(api.ListTrials.At(), nil, &trials)
	if trials[0].Guard == "" || trials[0].EndedAt == nil {
		t.Errorf("the trial: %+v", trials[0])
	}
	complaints(t, p)
}

// Alarms are taken and reset by keys; one is marked, its cause told, handed on; the journal finds it; its health is
// judged.
func TestAlarmsByKeyboardAndTheJournal(t *testing.T) {
	s, p := visit(t)
	d := s.Device("d")
	s.Send(d, `{"temp": 20, "other": 20}`)
	s.Guard(map[string]any{"name": "hot", "signal": "d/temp", "when": "above 30", "latch": true,
		"tell": []string{"orla@hollowbrook.example"}})
	s.Guard(map[string]any{"name": "warm", "signal": "d/other", "when": "above 30"})
	s.Send(d, `{"temp": 35, "other": 31}`)
	latched, other := "1", "2"
	for _, a := range s.Alarms() {
		if id := strconv.FormatInt(a.ID, 10); a.Guard == "hot" {
			latched = id
		} else {
			other = id
		}
	}
	must(t, p.Goto("/alarms"))
	focus(t, p, "#alarm-2") // the newer one comes first
	must(t, p.Press("ArrowDown"))
	must(t, p.Until(`document.activeElement.id === 'alarm-1'`))
	focus(t, p, "#alarm-"+latched)
	must(t, p.Press("a"))
	must(t, p.Until(says+`('has it since')`))
	s.Send(d, `{"temp": 20}`)
	must(t, p.Until(says+`('waits to be reset')`))
	focus(t, p, "#alarm-"+latched)
	must(t, p.Press("r"))
	must(t, p.Until(`!document.querySelector('#alarm-`+latched+`')`))
	accessible(t, p, "/alarms", "h1")
	must(t, p.Look(1280, 800, false))

	must(t, p.Goto("/alarms/"+latched+"#acts"))
	press(t, p, "real")
	must(t, p.Type("input[name=comment]", "The fan belt had slipped"))
	press(t, p, "Save")
	must(t, p.Until(says+`('The cause. The fan belt had slipped')`))
	accessible(t, p, "/alarms/"+latched, "canvas")
	must(t, p.Look(1280, 800, false))
	must(t, p.Goto("/alarms/"+other+"#acts"))
	must(t, p.Type("input[name=to]", "tadhg@hollowbrook.example"))
	press(t, p, "Hand over")
	must(t, p.Until(says+`('asked tadhg@hollowbrook.example to take it on')`))
	if a := s.Alarms(); a[1].Mark != alarm.MarkReal && a[0].Mark != alarm.MarkReal {
		t.Errorf("no mark: %+v", a)
	}

	must(t, p.Goto("/journal"))
	must(t, p.Type("input[name=words]", "fan slip"))
	press(t, p, "Search")
	must(t, p.Until(`document.querySelectorAll('tbody tr').length === 1 && location.search.includes('words=fan+slip')`))
	accessible(t, p, "/journal?kind=alarm&severity=warning", "tbody tr")
	accessible(t, p, "/alarms/health", "tr[data-good]")
	must(t, p.Until(says+`('alarms a day')`))
	complaints(t, p)
}
