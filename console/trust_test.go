package console_test

import (
	"context"
	"math"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/console/browser"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
	"jauntylark/server/servertest"
)

// aDay gives the device d a signal with a reading a minute of the last day.
func aDay(t *testing.T, s *servertest.Service, signal string, unit measure.Unit, value func(i int) float64) {
	t.Helper()
	past := &record.Past{Signal: "d/" + signal, Kind: site.KindNumber, Unit: unit}
	until := measure.InstantOf(time.Now())
	for i := range 1440 {
		past.Readings = append(past.Readings, measure.Reading{At: until - measure.Instant(1440-i)*60_000,
			Value: value(i)})
	}
	_, err := record.Import(context.Background(), s.Pipeline, past)
	must(t, err)
}

// A person says what is known of an instrument, corrects it by what a reference says, verifies it, and takes the
// correction back.
func TestTrustInTheConsole(t *testing.T) {
	s, p := visit(t)
	s.Device("d")
	aDay(t, s, "air", "Cel", func(i int) float64 { return 20 + float64(i%50)/10 })
	s.Guard(map[string]any{"name": "hot", "signal": "d/air", "when": "above 25", "severity": "warning"})

	must(t, p.Goto("/signals/d/air/instrument"))
	must(t, p.Until(says+`('Instrument')`))
	accessible(t, p, "/signals/d/air/instrument", "h1")
	write(t, p, "Plausible from (°C)", 0, "-20")
	press(t, p, "Save")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('both ends')`))
	write(t, p, "Plausible to (°C)", 0, "60")
	must(t, p.Type("input[name=warm]", "3m"))
	choose(t, p, "textarea[name=bands]", "cool ..22 blue\nwarm 22.. reddish")
	press(t, p, "Save")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('is no band')`))
	choose(t, p, "textarea[name=bands]", "cool ..22 blue\nwarm 22..")
	press(t, p, "Save")
	must(t, p.Until(says+`('Saved.')`))
	if v := s.Signal("d/air"); v.SpanLow == nil || *v.SpanLow != -20 || v.WarmUp != measure.Duration(3*time.Minute) ||
		len(v.Bands) != 2 || v.Bands[0].Colour != "blue" {
		t.Errorf("%+v", v)
	}

	must(t, p.Goto("/signals/d/air/trust"))
	must(t, p.Until(says+`('None: its values are as the instrument gives them.')`))
	accessible(t, p, "/signals/d/air/trust", "h1")
	must(t, p.Look(1280, 800, false))
	write(t, p, "Shown (°C)", 0, "24")
	write(t, p, "Reference (°C)", 0, "25")
	_, err := browser.Eval[bool](p,
		`([...document.querySelectorAll('select')].find((s) => s.innerText.includes('the first reading')).id = 'from',
			true)`)
	must(t, err)
	choose(t, p, "#from", "all")
	press(t, p, "Preview")
	must(t, p.Until(`document.querySelector('[data-preview]')?.innerText.includes('Gain 1, offset 1')`))
	must(t, p.Until(`/hot\s+0\s+2[0-9]/.test(document.querySelector('[data-preview] table').innerText) && document.querySelector('[data-preview] canvas')`))
	must(t, p.Until(`(() => { // it lies in its box, as its styles say
		const [canvas, plot] = ['canvas', '.u-over'].map((what) => document.querySelector('[data-preview] ' + what).getBoundingClientRect())
		return plot.top >= canvas.top && plot.bottom <= canvas.bottom && getComputedStyle(document.querySelector('[data-preview] .u-over')).position === 'absolute' })()`))
	audit(t, p, "a preview")
	press(t, p, "Put in force")
	must(t, p.Until(`document.querySelector('[data-applied]') && document.querySelector('[data-calibration="in force"]')`))
	must(t, p.Until(`document.querySelector('[data-signal="d/air"]').innerText.includes('24.9')`))
	write(t, p, "Reference (°C)", 1, "30")
	must(t, p.Type("input[name=tolerance]", "2%"))
	write(t, p, "Shown (°C)", 1, "29.5")
	press(t, p, "Verify")
	must(t, p.Until(`document.querySelector('[data-verified=pass]') && document.querySelector('tr[data-verification=pass]')`))
	must(t, p.Type("input[name=every]", "6 months"))
	press(t, p, "Save")
	must(t, p.Until(says+`('To be verified every 6 months; next by')`))
	press(t, p, "Withdraw …")
	eval(t, p, `[...document.querySelectorAll('main button')].find((b) => b.innerText.startsWith('Withdraw the calibration of')).click()`)
	must(t, p.Until(`document.querySelector('[data-calibration="withdrawn"]') && document.querySelector('[data-signal="d/air"]').innerText.includes('23.9')`))
	complaints(t, p)
}

// Another shown unit moves figures, limits, bands and charts alike; what is typed is in it too.
func TestAnotherUnitMovesEverything(t *testing.T) {
	s, p := visit(t)
	s.Device("d")
	aDay(t, s, "air", "Cel", func(i int) float64 { return 20 })
	aDay(t, s, "other", "Cel", func(i int) float64 { return 15 })
	s.Guard(map[string]any{"name": "hot", "signal": "d/air", "when": "above 30", "severity": "warning"})
	s.Do(api.SetSignal.At("d", "air"), map[string]any{"span": map[string]any{"low": -10, "high": 100},
		"bands": []map[string]any{{"name": "warm", "from": 15}}}, nil)
	must(t, p.Goto("/units"))
	must(t, p.Until(says+`('Temperature')`))
	accessible(t, p, "/units", "h1")
	choose(t, p, "section select", "[degF]")
	must(t, p.Until(`document.querySelector('section select').value === '[degF]'`))
	must(t, p.Goto("/signals/d/air"))
	must(t, p.Until(says+
		`('68 °F') || document.querySelector('[data-signal="d/air"]').innerText.replace(/\s/g, '').includes('68°F')`))
	must(t, p.Until(says+`('warning when above 86 °F') && `+says+`('Plausible 14 to 212 °F') && `+says+
		`('warm 59 and up')`))
	must(t, p.Until(`document.querySelector('[role=application]')?.getAttribute('aria-label').includes('now 68 °F')`))
	must(t, p.Goto("/compare?first=d/air&second=d/other"))
	must(t, p.Until(`document.querySelector('[data-agreement]')?.innerText.includes('9 °F')`))
	accessible(t, p, "/compare?first=d/air&second=d/other", "[data-agreement]")
	must(t, p.Goto("/signals/d/air/trust"))
	write(t, p, "Shown (°F)", 0, "68")
	write(t, p, "Reference (°F)", 0, "69.8")
	press(t, p, "Preview")
	must(t, p.Until(`document.querySelector('[data-preview]')`))
	press(t, p, "Put in force")
	must(t, p.Until(`document.querySelector('[data-applied]')`))
	var trust api.Trust
	s.Do(api.GetTrust.At("d", "air"), nil, &trust)
	if c := trust.Calibrations[0]; math.Abs(c.Curve.Offset-1) > 1e-9 {
		t.Errorf("1.8 °F more are %+v", c.Curve)
	}
	complaints(t, p)
}

// A signal is derived and added up without leaving the console; a wrong formula is pointed at.
func TestDerivedAndAddedUpInTheConsole(t *testing.T) {
	s, p := visit(t)
	s.Device("d")
	aDay(t, s, "air", "Cel", func(i int) float64 { return 20 + float64(i%50)/10 })
	must(t, p.Goto("/derive?of=d/air"))
	must(t, p.Until(says+`('New derived signal')`))
	accessible(t, p, "/derive?of=d/air", "h1")
	must(t, p.Look(1280, 800, false))
	choose(t, p, "form select", "formula")
	write(t, p, "Formula", 0, "a - bb")
	write(t, p, "Name", 2, "twice")
	press(t, p, "Check")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('at character 5: "bb" is none of the inputs\n  a - bb\n      ^')`))
	choose(t, p, "form select", "on-off")
	write(t, p, "When it is", 0, "above 22")
	press(t, p, "Check")
	must(t, p.Until(`document.querySelector('[data-fits]')?.innerText.includes('It would be on when d/air is above 22, on or off')`))
	audit(t, p, "a recipe that fits")
	press(t, p, "Add the signal")
	must(t, p.Until(`location.pathname === '/signals/d/twice' && document.querySelector('[data-made-of]')?.innerText.includes('d/air')`))
	must(t, p.Until(`document.querySelector('[data-signal="d/twice"]').innerText.includes('on')`))

	must(t, p.Goto("/totals"))
	press(t, p, "Add a total …")
	must(t, p.Until(`document.querySelector('form select option[value="d/twice"]')`)) // the signals are there
	choose(t, p, "form select", "d/twice")
	write(t, p, "Name", 0, "warm-time")
	press(t, p, "Add")
	must(t, p.Until(`document.querySelector('[data-total=warm-time]')`))
	accessible(t, p, "/totals", "[data-total=warm-time]")
	must(t, p.Goto("/totals/warm-time"))
	must(t, p.Until(`document.querySelectorAll('[data-period]').length >= 1 && `+says+`('It was never reset.')`))
	accessible(t, p, "/totals/warm-time", "[data-period]")
	press(t, p, "Reset …")
	must(t, p.Type("input[name=note]", "a new season"))
	must(t, p.Press("Enter"))
	must(t, p.Until(`document.querySelector('[data-between]')`))
	press(t, p, "Undo the newest reset")
	must(t, p.Until(says+`('It was never reset.')`))
	complaints(t, p)
}

// Readings of no use are hatched on the chart, and told in words below it.
func TestDoubtIsShown(t *testing.T) {
	s, p := visit(t)
	d := s.Device("d")
	s.Send(d, `{"oxygen": 80}`)
	s.Do(api.SetSignal.At("d", "oxygen"), map[string]any{"span": map[string]any{"low": 0.5, "high": 200},
		"fails_to": "low"}, nil)
	for range 3 {
		s.Send(d, `{"oxygen": 0}`)
	}
	must(t, p.Goto("/signals/d/oxygen"))
	must(t, p.Until(`document.querySelector('[data-remarks]')?.innerText.includes('implausible for')`))
	must(t, p.Until(says+
		`('fails to the low side') && document.querySelector('main').innerText.includes('implausible')`))
	accessible(t, p, "/signals/d/oxygen", "[data-remarks]")
	complaints(t, p)
}
