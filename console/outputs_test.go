package console_test

import (
	"context"
	"encoding/json"
	"testing"

	"jauntylark/api"
	"jauntylark/core/drive"
	"jauntylark/server/servertest"
)

// Somebody adds an output and an interlock, tries it over what is stored, sees it drive the output and why, sets the
// output by hand with the question that a dangerous one asks, resets the latch, and puts everything into the safe
// state.
func TestOutputsFromNothingToAnEmergency(t *testing.T) {
	s, p := visit(t)
	d := s.Device("shed")
	for _, v := range []string{"100", "500", "100"} {
		s.Send(d, `{"vapour": `+v+`}`)
	}
	must(t, p.Goto("/outputs"))
	must(t, p.Until(says+`('Nothing can be switched yet.')`))
	must(t, p.Goto("/outputs/new"))
	write(t, p, "Name", 0, "Fan!")
	press(t, p, "Save")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('name')`))
	write(t, p, "Name", 0, "fan")
	write(t, p, "Title", 0, "Extractor")
	write(t, p, "Hand setting", 0, "sure")
	press(t, p, "Save")
	must(t, p.Until(`location.pathname === '/outputs/shed/fan' && `+says+`('Extractor is off')`))

	must(t, p.Goto("/interlocks/new?output=shed/fan"))
	write(t, p, "Name", 0, "vapour-fan")
	write(t, p, "Driven by", 0, "when")
	write(t, p, "Signal", 0, "shed/vapour")
	write(t, p, "Condition", 0, "abvoe 400")
	press(t, p, "Try")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('abvoe 400')`))
	write(t, p, "Condition", 0, "above 400")
	write(t, p, "Latch", 0, "latch")
	press(t, p, "Try")
	must(t, p.Until(says+`('It would have started once')`))
	press(t, p, "Add")
	must(t, p.Until(`location.pathname === '/interlocks/vapour-fan' && `+says+`('asks for nothing now')`))

	must(t, p.Goto("/outputs"))
	must(t, p.Until(says+`('All outputs are at rest.')`))
	s.Send(d, `{"vapour": 500}`)
	must(t, p.Until(says+
		`('One output is not at rest.') && document.querySelector('[data-because]').innerText.includes('Shed vapour is above 400 (interlock vapour-fan)')`))
	must(t, p.Until(`document.querySelector('[data-confirmed]').innerText === 'not confirmed yet'`))
	must(t, d.Call(context.Background(), api.ConfirmOutput.At("fan"), json.RawMessage("1"), nil))
	must(t, p.Until(`document.querySelector('[data-confirmed]').innerText.startsWith('confirmed')`))
	must(t, d.Call(context.Background(), api.ConfirmOutput.At("fan"), json.RawMessage("0"), nil))
	must(t, p.Until(`document.querySelector('[data-confirmed]').innerText === 'says off' && document.querySelector('[aria-label=warning]')`))

	must(t, p.Until(`![...document.querySelectorAll('button')].some((b) => b.innerText === 'Reset vapour-fan')`))
	s.Send(d, `{"vapour": 100}`)
	must(t, p.Until(`document.querySelector('[data-because]').innerText.includes('goes on until somebody resets it')`))
	press(t, p, "Reset vapour-fan")
	must(t, p.Until(says+`('All outputs are at rest.')`))

	// Two latched interlocks hold it: one reset of the output ends both.
	s.Do(api.PutInterlock.At("vapour-high"), drive.Interlock{Name: "vapour-high", Output: "shed/fan",
		Signal: "shed/vapour", When: "above 450", Latch: true}, nil)
	s.Send(d, `{"vapour": 500}`)
	must(t, p.Until(says+`('One output is not at rest.')`))
	s.Send(d, `{"vapour": 100}`)
	must(t, p.Until(says+`('Reset vapour-fan') && `+says+`('Reset vapour-high')`))
	press(t, p, "Reset")
	must(t, p.Until(says+`('All outputs are at rest.')`))
	s.Do(api.RemoveInterlock.At("vapour-high"), nil, nil)

	press(t, p, "Set by hand")
	write(t, p, "Why", 0, "airing")
	press(t, p, "Set it to on …")
	must(t, p.Until(says+`('Extractor is dangerous')`))
	if o := s.Stands("shed/fan"); o.Hand != nil {
		t.Errorf("set before the question was answered: %+v", o.Hand)
	}
	press(t, p, "Yes, set it to on")
	must(t, p.Until(`document.querySelector('[data-because]').innerText.includes('set it by hand until') && document.querySelector('[data-because]').innerText.includes('airing')`))
	press(t, p, "Release")
	must(t, p.Until(says+`('All outputs are at rest.')`))

	press(t, p, "Emergency: all outputs safe …")
	must(t, p.Until(says+`('go to their safe states at once')`))
	if o := s.Stands("shed/fan"); o.By == drive.Emergency {
		t.Error("an emergency before the question was answered")
	}
	write(t, p, "Why", 0, "smoke")
	press(t, p, "All outputs safe now")
	must(t, p.Until(says+`('All outputs are in their safe states.') && `+says+`('smoke')`))
	must(t, p.Until(`document.querySelector('nav').innerText.includes('all safe')`))
	press(t, p, "End the emergency …")
	press(t, p, "End the emergency")
	must(t, p.Until(says+`('All outputs are at rest.')`))
	must(t, p.Goto("/devices/of/shed"))
	must(t, p.Until(says+`('Outputs') && document.querySelector('a[href="/outputs/shed/fan"]')`))
	complaints(t, p)
	for path, wait := range map[string]string{"/outputs/new": "form", "/outputs": "[data-output]",
		"/outputs/shed/fan": "form", "/interlocks/vapour-fan": "table"} {
		accessible(t, p, path, wait)
	}
	complaints(t, p)
}

// Half of a number and half of an input stand in their fields until they are whole.
func TestNumbersAndInputsAreTypedKeyByKey(t *testing.T) {
	s, p := visit(t)
	d := s.Device("shed")
	s.Send(d, `{"vapour": 100, "air": 20}`)
	must(t, s.Owner.Call(context.Background(), api.PutOutput.At("shed", "vent"), map[string]any{"kind": "level"}, nil))
	keys := func(label, text string) {
		t.Helper()
		write(t, p, label, 0, "")
		must(t, p.Type("[data-to-write]", text))
	}
	must(t, p.Goto("/outputs/shed/vent"))
	keys("Lowest", "-2.5")
	keys("Highest", "7.25")
	press(t, p, "Save")
	must(t, p.Until(says+`('Saved.')`))
	if o := s.Stands("shed/vent"); o.Low != -2.5 || o.High != 7.25 {
		t.Errorf("from %v up to %v", o.Low, o.High)
	}
	must(t, p.Goto("/interlocks/new?output=shed/vent"))
	keys("Name", "by-air")
	write(t, p, "Driven by", 0, "formula")
	keys("Formula", "v / a")
	keys("Inputs", "v=shed/vapour a=shed/air")
	press(t, p, "Add")
	must(t, p.Until(`location.pathname === '/interlocks/by-air'`))
	if o := s.Stands("shed/vent"); o.Ordered != "5.5" { // 5, in whole steps from -2.5
		t.Errorf("ordered %s", o.Ordered)
	}
	must(t, p.Goto("/interlocks/new?output=shed/vent"))
	write(t, p, "Driven by", 0, "when")
	write(t, p, "Signal", 0, "shed/vapour")
	keys("Condition", "above 50")
	keys("Output state (%)", "7.25")
	keys("Deadband", "0.x")
	press(t, p, "Try")
	must(t, p.Until(says+`('“0.x” is no number.')`))
	keys("Deadband", "0.5")
	keys("Name", "by-vapour")
	press(t, p, "Add")
	must(t, p.Until(`location.pathname === '/interlocks/by-vapour' && `+says+`('deadband 0.5')`))
	complaints(t, p)
}

// A viewer sees how outputs stand, and can neither set them nor end anything.
func TestAViewerOnlyLooksAtOutputs(t *testing.T) {
	s := servertest.Start(t)
	s.Device("shed")
	s.Output("shed/fan", nil)
	s.Do(api.AddPerson.At(), map[string]string{"email": "v@b.example", "role": "viewer",
		"password": "long enough for it"}, nil)
	p := openAs(t, s, "v@b.example", "long enough for it")
	must(t, p.Goto("/outputs"))
	must(t, p.Until(says+`('All outputs are at rest.')`))
	must(t, p.Until(`document.querySelector('[data-because]') && !document.querySelector('main button')`))
}
