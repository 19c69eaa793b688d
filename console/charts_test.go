package console_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/console/browser"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
	"jauntylark/server/servertest"
)

const chart = `document.querySelector('[data-chart]')`

// shows is what the chart says that it shows, in words.
func shows(words string) string {
	return chart + `?.getAttribute('aria-label').includes('` + words + `')`
}

// span is how many seconds the chart shows.
func span(t *testing.T, p *browser.Page) float64 {
	t.Helper()
	s, err := browser.Eval[float64](p, `(Number(`+chart+`.dataset.until) - Number(`+chart+`.dataset.from)) / 1000`)
	must(t, err)
	return s
}

// past gives the device d a signal with readings so far apart, up to now.
func past(t *testing.T, s *servertest.Service, signal string, n int, apart time.Duration,
	value func(i int) float64) (from measure.Instant) {
	t.Helper()
	until := measure.InstantOf(time.Now())
	p := &record.Past{Signal: "d/" + signal, Kind: site.KindNumber, Unit: "Cel"}
	for i := range n {
		p.Readings = append(p.Readings, measure.Reading{At: until.Add(-time.Duration(n-i) * apart), Value: value(i)})
	}
	_, err := record.Import(context.Background(), s.Pipeline, p)
	must(t, err)
	return p.Readings[0].At
}

// A spike of one reading is seen at any zoom, from months to minutes, by mouse and by keyboard; zooming moves all
// charts of the board alike, and stands in the address.
func TestReadALongTime(t *testing.T) {
	s, p := visit(t)
	s.Device("d")
	const n = 200_000
	from := past(t, s, "air", n, 30*time.Second, func(i int) float64 { // 69 days
		if i == 123_456 {
			return 95
		}
		return 20 + float64(i%100)/50
	})
	past(t, s, "other", 2000, time.Hour, func(i int) float64 { return float64(i % 7) })
	spike := int64(from) + 123_456*30_000
	putBoard(s, "long", tileOf{"kind": "lines", "series": of("d/air")},
		tileOf{"kind": "lines", "series": of("d/other")})
	must(t, p.Goto("/boards/long?span=7776000000")) // 90 days
	must(t, p.Until(shows("highest 95")))
	for _, half := range []int64{20 * 86_400_000, 86_400_000, 600_000, 45_000} {
		must(t, p.Goto(fmt.Sprintf("/boards/long?from=%d&until=%d", spike-half, spike+half)))
		must(t, p.Until(shows("highest 95")))
	}
	must(t, p.Goto(fmt.Sprintf("/boards/long?from=%d&until=%d", spike-86_400_000, spike+86_400_000)))
	must(t, p.Until(shows("highest 95")))
	must(t, p.Drag("[data-chart='d/air'] .u-over", 90, 0)) // from its middle, where the spike is
	must(t, p.Until(`(Number(`+chart+`.dataset.until) - Number(`+chart+`.dataset.from)) < 86_400_000`))
	must(t, p.Until(`new Set([...document.querySelectorAll('[data-chart]')].map((c) => c.dataset.from)).size === 1`))
	must(t, p.Until(`location.search.includes('from=')`))
	focus(t, p, "[data-chart]")
	before := span(t, p)
	must(t, p.Press("-"))
	if after := span(t, p); after < 1.9*before || after > 2.1*before {
		t.Errorf("minus made %v s %v s", before, after)
	}
	must(t, p.Press("+"))
	must(t, p.Press("ArrowRight"))
	must(t, p.Until(`document.querySelector('[data-chart] [role=status]').textContent.includes('°C')`))
	must(t, p.Press("Escape"))
	must(t, p.Until(`document.querySelector('[data-stretch]').innerText === 'up to now'`))
	complaints(t, p)
}

// What is missing, of no use, late or corrected, and a changed clock, are told; so are notes, and what is compared.
func TestChartsDoNotLie(t *testing.T) {
	s, p := visit(t)
	s.Do(api.PutSite.At(), site.Site{Name: "x", Zone: "Europe/Dublin", Currency: "EUR"}, nil)
	d := s.Device("d")
	change := time.Date(2026, 10, 25, 1, 0, 0, 0, time.UTC) // the clocks go back
	early := &record.Past{Signal: "d/air", Kind: site.KindNumber, Unit: "Cel"}
	for i := range 600 {
		if i > 200 && i < 400 {
			continue // nothing came
		}
		early.Readings = append(early.Readings,
			measure.Reading{At: measure.InstantOf(change.Add(time.Duration(i-300) * time.Minute)), Value: 20 +
				float64(i%2)*4})
	}
	_, err := record.Import(context.Background(), s.Pipeline, early)
	must(t, err)
	s.Do(api.SetDevice.At("d"), map[string]any{"interval": "1m"}, nil)
	window := fmt.Sprintf("/signals/d/air?from=%d&until=%d", change.Add(-5*time.Hour).UnixMilli(),
		change.Add(5*time.Hour).UnixMilli())
	must(t, p.Goto(window))
	must(t, p.Until(shows("the clocks go back 1 h at 01:00")))
	must(t, p.Until(shows("lowest 20")))
	time.Sleep(300 * time.Millisecond) // it is drawn
	gap, err := browser.Eval[float64](p, `(() => { // columns of pixels in which nothing of the line's colour is
		const c = document.querySelector('canvas'), w = c.width, h = c.height, px = c.getContext('2d').getImageData(0, 0, w, h).data
		const [r, g, b] = [0x17, 0x60, 0x7a]
		let empty = 0
		for (let x = Math.round(w * 0.1); x < w * 0.95; x++) {
			let found = false
			for (let y = 0; y < h * 0.85 && !found; y++) { const i = 4 * (y * w + x); found = Math.abs(px[i] - r) < 40 && Math.abs(px[i + 1] - g) < 40 && Math.abs(px[i + 2] - b) < 40 && px[i + 3] > 100 }
			if (!found) empty++
		}
		return empty / w })()`)
	must(t, err)
	if gap < 0.2 || gap > 0.45 {
		t.Errorf("of the chart's width %.0f %% is without a line; a third of its readings are missing", 100*gap)
	}
	s.Do(api.WriteNote.At(), map[string]any{"text": "door was open", "of": "d/air", "at": change.Add(-4 * time.Hour)},
		nil)
	must(t, p.Goto(window))
	must(t, p.Until(shows("note: door was open")))
	menu(t, p, "What to do with D air", "Write a note …")
	write(t, p, "Note", 0, "closed it")
	press(t, p, "Add")
	must(t, p.Until(`!document.querySelector('[role=dialog]')`))
	var entries []site.Entry
	s.Do(api.ListJournal.At().Asking("kind", "note"), nil, &entries)
	if len(entries) != 2 || entries[0].Text != "closed it" || entries[0].Subject != "d/air" {
		t.Errorf("the notes are %+v", entries)
	}

	aDay(t, s, "damp", "%", func(i int) float64 { return 50 })
	s.Do(api.SetSignal.At("d", "damp"), map[string]any{"span": map[string]any{"low": 0, "high": 100}}, nil)
	s.Send(d, `{"damp": 400}`)
	must(t, p.Goto("/signals/d/damp?span=86400000&before=86400000"))
	must(t, p.Until(`document.querySelector('[data-remarks]')?.innerText.includes('implausible')`))
	must(t, p.Until(`document.querySelector('[data-chart]').dataset.chart.includes('d/damp before')`))
	menu(t, p, "What to do with D damp", "Values as a table")
	must(t, p.Until(`document.querySelectorAll('[data-values] tbody tr').length > 100`))
	audit(t, p, "values as a table")
	complaints(t, p)
}

// What is seen is saved as CSV, SVG and PNG.
func TestWhatIsSeenIsSaved(t *testing.T) {
	s, p := visit(t)
	s.Device("d")
	aDay(t, s, "air", "Cel", func(i int) float64 { return float64(i % 10) })
	must(t, p.Goto("/signals/d/air?span=86400000"))
	must(t, p.Until(shows("highest 9")))
	eval(t, p, `window.saved = []
		URL.createObjectURL = (blob) => { void blob.arrayBuffer().then((b) => saved.push([blob.type, b.byteLength, new TextDecoder().decode(b)])); return 'about:blank#saved' }
		HTMLAnchorElement.prototype.click = function () { window.savedAs = (window.savedAs ?? '') + this.download + ' ' }`)
	for i, item := range []string{"Save as CSV", "Save as SVG", "Save as PNG"} {
		menu(t, p, "What to do with D air", item)
		must(t, p.Until(fmt.Sprintf(`window.saved.length === %d`, i+1)))
	}
	got, err := browser.Eval[[][]any](p, `saved`)
	must(t, err)
	csv, svg, png := got[0], got[1], got[2]
	if csv[0] != "text/csv" || strings.Count(csv[2].(string), "\r\n") < 1000 ||
		!strings.HasPrefix(csv[2].(string), "time (UTC),") {
		t.Errorf("the CSV is %.120v", csv)
	}
	if svg[0] != "image/svg+xml" || !strings.Contains(svg[2].(string), "<path d=\"M") ||
		!strings.Contains(svg[2].(string), "D air") {
		t.Errorf("the SVG is %.120v", svg)
	}
	if png[0] != "image/png" || png[1].(float64) < 5000 {
		t.Errorf("the PNG is %v of %v bytes", png[0], png[1])
	}
	if names, _ := browser.Eval[string](p, `savedAs`); names != "d-air.csv d-air.svg d-air.png " {
		t.Errorf("the files are called %q", names)
	}
	complaints(t, p)
}
