package console_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"jauntylark/console/browser"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
)

// choose sets a select or a field, as a person would.
func choose(t *testing.T, p *browser.Page, selector, value string) {
	t.Helper()
	_, err := browser.Eval[bool](p, fmt.Sprintf(`(() => {
		const field = document.querySelector(%q)
		Object.getOwnPropertyDescriptor(Object.getPrototypeOf(field), 'value').set.call(field, %q)
		field.dispatchEvent(new Event(field.tagName === 'SELECT' ? 'change' : 'input', { bubbles: true }))
		return true
	})()`, selector, value))
	must(t, err)
}

// pick gives a file to a file field.
func pick(t *testing.T, p *browser.Page, name, text string) {
	t.Helper()
	_, err := browser.Eval[bool](p, fmt.Sprintf(`(() => {
		const field = document.querySelector('input[type=file]'), files = new DataTransfer()
		files.items.add(new File([%q], %q))
		field.files = files.files
		field.dispatchEvent(new Event('change', { bubbles: true }))
		return true
	})()`, text, name))
	must(t, err)
}

// Readings are brought in from a logger's file, taken out, cleared with the name typed, and put back.
func TestTheHistoryPage(t *testing.T) {
	s, p := visit(t)
	s.Device("pond")
	past := &record.Past{Signal: "pond/oxygen", Kind: site.KindNumber, Unit: "%"}
	until := measure.InstantOf(time.Now())
	for at := until - 12_000*60_000; at < until; at += 60_000 {
		past.Readings = append(past.Readings, measure.Reading{At: at, Value: 80})
	}
	_, err := record.Import(context.Background(), s.Pipeline, past)
	must(t, err)
	must(t, p.Goto("/history?what=pond/oxygen"))
	must(t, p.Until(says+`('12,000 readings in') && `+says+`('Readings are kept for ever')`))
	must(t, p.Until(`document.querySelector('a[href*="format=csv"][href*="what=pond%2Foxygen"]')`))
	accessible(t, p, "/history?what=pond/oxygen", "h1")
	must(t, p.Look(1280, 800, false))

	press(t, p, "Edit …")
	must(t, p.Type("input[name=keep_readings]", "365d"))
	must(t, p.Press("Enter"))
	must(t, p.Until(says+`('Readings are kept for 365d')`))

	choose(t, p, "h2 ~ div select", "pond/oxygen")
	logger := "time,Water (°C),Note\n"
	for i := range 30 {
		logger += fmt.Sprintf("2026-03-01 12:%02d:00,%d,fine\n", i, 10+i)
	}
	must(t, p.Until(`[...document.querySelectorAll('select option')].some((o) => o.value === 'pond')`))
	_, err = browser.Eval[bool](p,
		`(document.querySelector('input[type=file]').closest('div').querySelector('select').id = 'of', true)`)
	must(t, err)
	choose(t, p, "#of", "pond")
	pick(t, p, "logger.csv", logger)
	must(t, p.Until(says+`('3 columns, times written as YYYY-MM-DD')`))
	press(t, p, "Preview")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('zone')`))
	_, err = browser.Eval[bool](p,
		`([...document.querySelectorAll('select')].find((s) => s.innerText.includes('in which time zone')).id = 'zone',
			true)`)
	must(t, err)
	choose(t, p, "#zone", "UTC")
	press(t, p, "Preview")
	must(t, p.Until(says+`('30 would be added')`))
	audit(t, p, "an import")
	press(t, p, "Import")
	must(t, p.Until(says+`('30 were added') && `+says+`('pond/water: 30 new')`))
	if v := s.Signal("pond/water"); v == nil || *v.Value != 39 || v.Unit != "Cel" {
		t.Errorf("%+v", v)
	}

	_, err = browser.Eval[bool](p,
		`([...document.querySelectorAll('select')].find((s) => s.innerText.startsWith('which?')).id = 'clear', true)`)
	must(t, err)
	choose(t, p, "#clear", "")
	press(t, p, "Preview …")
	must(t, p.Until(says+
		`('12,030 readings of 2 signals would go') && document.querySelector('a[href*="/export?format=csv"]')`))
	must(t, p.Type("input[name=confirm]", "My sight"))
	must(t, p.Press("Enter"))
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('to confirm')`))
	choose(t, p, "input[name=confirm]", "")
	must(t, p.Type("input[name=confirm]", "My site"))
	must(t, p.Press("Enter"))
	must(t, p.Until(`document.querySelector('[data-clearing=cleared]')?.innerText.includes('12,030')`))
	must(t, p.Until(says+`('0 readings in')`))
	audit(t, p, "cleared")
	_, err = browser.Eval[bool](p,
		`([...document.querySelectorAll('button')].find((b) => b.innerText.startsWith('Bring them back')).click(), true)`)
	must(t, err)
	must(t, p.Until(`document.querySelector('[data-clearing=undone]')`))
	must(t, p.Until(says+`('12,030 readings in')`))
	complaints(t, p)
}
