package console_test

import (
	"reflect"
	"testing"

	"jauntylark/api"
	"jauntylark/console/browser"
	"jauntylark/server/servertest"
)

// writing is a form that one person fills in while another changes the same thing.
type writing struct {
	page, opens string // opens: what is pressed first
	label, mine string
	at          api.Place // where the other changes it
	theirs      map[string]any
	look        api.Place
	part        string
}

// Of two who change one thing, the second is told, sees what stands, and loses nothing of what they wrote.
func TestTwoWhoChangeOneThingSeeEachOther(t *testing.T) {
	s, p := visit(t)
	s.Send(s.Device("d"), `{"temp": 20}`)
	s.Guard(map[string]any{"name": "hot", "signal": "d/temp", "when": "above 50", "advice": "Open it."})
	s.Output("d/fan", map[string]any{"title": "Fan"})
	s.Interlock("vent", map[string]any{"output": "d/fan", "signal": "d/temp", "when": "above 40", "set": "on"})
	s.Do(api.PutContact.At("bran"), map[string]any{"title": "Bran",
		"addresses": []map[string]any{{"carrier": "e-mail", "to": "b@hollowbrook.example"}}}, nil)
	s.Do(api.PutRoster.At("night"), map[string]any{"title": "Night", "steps": []map[string]any{{"who": []string{"bran"}}}},
		nil)
	s.Do(api.AddAsset.At(), map[string]any{"name": "tank", "title": "Tank", "signals": []string{"d/temp"}}, nil)
	var run api.RunPage
	s.Do(api.StartRun.At(), map[string]any{"asset": "tank", "title": "First"}, &run)
	title := map[string]any{"title": "Theirs"}
	for name, w := range map[string]writing{
		"guard": {"/guards/hot", "", "Advice", "Mine", api.PatchGuard.At("hot"), map[string]any{"advice": "Theirs"},
			api.GetGuard.At("hot"), "advice"},
		"contact": {"/contacts/bran", "", "Title", "Mine", api.PatchContact.At("bran"), title, api.GetContact.At("bran"),
			"title"},
		"roster": {"/rosters/night", "", "Repeat every", "25m", api.PatchRoster.At("night"), map[string]any{"repeat": "15m"},
			api.GetRoster.At("night"), "repeat"},
		"output": {"/outputs/d/fan", "", "Title", "Mine", api.PatchOutput.At("d", "fan"), title,
			api.GetOutput.At("d", "fan"), "title"},
		"interlock": {"/interlocks/vent", "", "Condition", "above 45", api.PatchInterlock.At("vent"),
			map[string]any{"when": "above 42"}, api.GetInterlock.At("vent"), "when"},
		"asset": {"/assets/tank", "Edit …", "Title", "Mine", api.ChangeAsset.At("tank"), title, api.GetAsset.At("tank"),
			"title"},
		"run": {"/runs/1", "Edit …", "Title", "Mine", api.ChangeRun.At(run.ID), title, api.GetRun.At(run.ID), "title"},
		"signal": {"/signals/d/temp/instrument", "", "Title", "Mine", api.SetSignal.At("d", "temp"), title,
			api.GetSignal.At("d", "temp"), "title"},
		"device": {"/devices/of/d", "", "Clock offset (s)", "7", api.SetDevice.At("d"), map[string]any{"clock_offset": 3},
			api.GetDevice.At("d"), "clock_offset"},
		"site": {"/set-up", "", "Currency", "GBP", api.PatchSite.At(), map[string]any{"currency": "USD"}, api.GetSite.At(),
			"currency"},
		"words": {"/words", "", "Short text", "Mine", api.PatchReach.At(),
			map[string]any{"templates": []map[string]any{{"on": "raise", "short": "Theirs"}}}, api.GetReach.At(), "templates"},
		"what the site tells": {"/rosters", "", "Daily message at", "09:00", api.PatchReach.At(),
			map[string]any{"quiet_word": map[string]any{"to": "bran", "at": "07:00"}}, api.GetReach.At(), "quiet_word"},
		"how long is kept": {"/history", "Edit …", "Keep alarms for", "400d", api.PatchSite.At(),
			map[string]any{"keep_alarms": "500d"}, api.GetSite.At(), "keep_alarms"},
	} {
		t.Run(name, func(t *testing.T) { w.twice(t, s, p) })
	}
	complaints(t, p)
}

func (w writing) twice(t *testing.T, s *servertest.Service, p *browser.Page) {
	reads := func() any {
		var is map[string]any
		s.Do(w.look, nil, &is)
		if of, page := is["asset"].(map[string]any); page {
			is = of
		}
		return is[w.part]
	}
	must(t, p.Goto(w.page))
	if w.opens != "" {
		click(t, p, w.opens)
	}
	typed(t, p, w.label, w.mine)
	s.Do(w.at, w.theirs, nil)
	theirs := reads()
	click(t, p, "Save")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('Somebody changed it while you wrote')`))
	must(t, p.Until(`document.querySelector('[data-unsaved]')`))
	if now := reads(); !reflect.DeepEqual(now, theirs) {
		t.Errorf("what the other had said is %v, and was %v", now, theirs)
	}
	if got := value(t, p, w.label); got != w.mine {
		t.Errorf("what was written reads %q, and was %q", got, w.mine)
	}
	click(t, p, "Go on with it")
	click(t, p, "Save")
	must(t, p.Until(`!document.querySelector('[role=alert], [data-unsaved]')`))
	if now := reads(); reflect.DeepEqual(now, theirs) {
		t.Errorf("saved after looking, it is %v still", now)
	}
}
