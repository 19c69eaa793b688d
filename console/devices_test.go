package console_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/console/browser"
	"jauntylark/core/site"
	"jauntylark/store/storetest"
)

// press presses the button whose words are these.
func press(t *testing.T, p *browser.Page, words string) {
	t.Helper()
	find := `[...` + inFront + `.querySelectorAll('button, [role=menuitem]')].find(b => b.innerText === '` + words +
		`' && !b.disabled)`
	for range 10 {
		must(t, p.Until(find))
		eval(t, p, `(() => {
			const button = `+find+`
			if (!button) return
			window.missed = true
			button.addEventListener('keydown', () => { window.missed = false }, { once: true, capture: true })
			button.focus()
		})()`)
		must(t, p.Press("Enter"))
		if missed, err := browser.Eval[bool](p, `window.missed === true`); err != nil || !missed {
			return
		}
	}
	t.Fatalf("the button %q loses the focus again and again", words)
}

// inFront is what a person can reach: a menu or a window over the page, else the page.
const inFront = `(document.querySelector('[role=menu]') ?? document.querySelector('[role=dialog]') ?? document.querySelector('main'))`

// Somebody connects a device: the key once, ready text, what is wrong in words, the first reading.
func TestConnectADevice(t *testing.T) {
	s, p := visit(t)
	must(t, p.Goto("/devices"))
	must(t, p.Until(says+`('No devices yet')`))
	must(t, p.Goto("/devices/connect"))
	must(t, p.Type("input[name=name]", "Bad Name"))
	must(t, p.Press("Enter"))
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('perhaps "bad-name"')`))
	must(t, p.Goto("/devices/connect")) // what was refused is there again
	must(t, p.Until(`document.querySelector('input[name=name]')?.value === 'Bad Name'`))
	press(t, p, "Discard it")
	must(t, p.Until(`document.querySelector('input[name=name]').value === ''`))
	must(t, p.Type("input[name=name]", "greenhouse-door"))
	must(t, p.Type("input[name=title]", "Greenhouse door"))
	must(t, p.Press("Enter"))
	must(t, p.Until(says+`('Greenhouse door is added') && `+says+`('Waiting for the first reading')`))
	key, err := browser.Eval[string](p, "document.querySelector('[data-key]').innerText")
	must(t, err)
	press(t, p, "MQTT")
	must(t, p.Until(says+`('-u greenhouse-door -P `+key+`')`))

	device := &client.Client{URL: s.URL, Token: key}
	stranger := &client.Client{URL: s.URL, Token: "wrong"}
	_, _ = stranger.SendReadings(t.Context(), "application/json", []byte(`{"temp": 1}`))
	must(t, p.Until(says+`('A key that nobody has came over HTTP')`))
	_, _ = device.SendReadings(t.Context(), "application/senml+json", []byte(`[{"n":"temp","u":"Celsius","v":1}]`))
	must(t, p.Until(says+`('did you mean Cel?')`))
	_, err = device.SendReadings(t.Context(), "application/senml+json",
		[]byte(`[{"n":"temp","u":"Cel","v":21.5,"t":-600}]`))
	must(t, err)
	must(t, p.Until(says+`('It is here.') && `+says+`('temp: 21.5 °C')`))
	must(t, p.Until(says+`('10 min behind our clock')`))
	must(t, p.Goto("/devices"))
	must(t, p.Until(`document.querySelector('[data-device=greenhouse-door]')?.innerText.includes('Greenhouse door')`))
	if text, err := browser.Eval[string](p, "document.body.innerText"); err != nil || strings.Contains(text, key) {
		t.Errorf("the key is told again: %v", err)
	}
	complaints(t, p)
}

// What is ordered and what runs; the interval that is proposed; a new key; data, then deletion.
func TestADevicesPage(t *testing.T) {
	s, p := visit(t)
	d := s.Device("pond")
	var records []string
	for i := range 12 {
		records = append(records, fmt.Sprintf(`{"n":"oxygen","v":80,"t":-%d}`, 10*i+5))
	}
	_, err := d.SendReadings(t.Context(), "application/senml+json", []byte("["+strings.Join(records, ",")+"]"))
	must(t, err)
	must(t, p.Goto("/devices/of/pond"))
	must(t, p.Until(says+`('It seems to send every 10s.') && `+says+`('Nothing is ordered.')`))
	press(t, p, "Expect that")
	must(t, p.Until(says+`('expected every 10s')`))
	press(t, p, "Order settings …")
	must(t, p.Type("input[name=interval]", "5m"))
	must(t, p.Press("Enter"))
	must(t, p.Until(says+`('Ordered: every 5m.') && `+says+`('The device has not said what it runs.')`))
	must(t, d.Call(t.Context(), api.ConfirmOrders.At(), site.Report{Version: 1, Interval: 60}, nil))
	must(t, p.Until(says+`('The device runs this.') || `+says+`('The device runs every 1m')`))
	press(t, p, "Make a new key")
	must(t, p.Until(`document.querySelectorAll('[data-key]').length === 1 && `+says+`('pond.2')`))
	press(t, p, "Remove the device pond …")
	must(t, p.Until(`document.querySelector('a[href="/api/v1/export?names=bare&what=pond"]')`))
	press(t, p, "Remove the device pond")
	must(t, p.Until(`location.pathname === '/devices' && `+says+`('No devices yet')`))
	s.Send(s.Device("other"), `{"v": 1}`)
	_, _ = d.SendReadings(t.Context(), "application/json", []byte(`{"oxygen": 1}`))
	must(t, p.Until(says+`('was removed, sends again')`))
	complaints(t, p)
}

func TestArrivalsAndKits(t *testing.T) {
	s, p := visit(t)
	s.Send(s.Device("pond"), `{"oxygen": 80}`)
	must(t, p.Goto("/devices/of/pond"))
	must(t, p.Type("input[name=kit]", "pond-probe"))
	must(t, p.Press("Enter"))
	must(t, p.Until(says+`('Saved as pond-probe')`))
	must(t, p.Goto("/devices/arrivals"))
	press(t, p, "Make a key")
	must(t, p.Until(`document.querySelector('[data-key]')`))
	key, err := browser.Eval[string](p, "document.querySelector('[data-key]').innerText")
	must(t, err)
	r, _ := http.NewRequest(http.MethodPost, s.URL+api.SendReadings.At().Path, strings.NewReader(`{"oxygen": 70}`))
	r.Header.Set("Authorization", "Bearer "+key)
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Jaunty-Device", "second-pond")
	answer, err := http.DefaultClient.Do(r)
	must(t, err)
	answer.Body.Close()
	must(t, p.Until(`document.querySelector('[data-arrival=second-pond]')?.innerText.includes('oxygen 70')`))
	must(t, p.Until(`document.querySelector('nav').innerText.includes('+1')`))
	must(t, p.Until(`document.querySelector('select[name=kit] option[value="pond-probe"]')`))
	if _, err := browser.Eval[bool](p,
		`(() => { const s = document.querySelector('select[name=kit]'); s.value = 'pond-probe'; return true })()`); err != nil {
		t.Fatal(err)
	}
	press(t, p, "Let in")
	must(t, p.Until(says+`('Nobody waits.')`))
	if d := s.Look("second-pond"); d.Kit != "pond-probe" {
		t.Errorf("%+v", d)
	}
	s.Do(api.PatchKit.At("pond-probe"), map[string]any{
		"signals": []map[string]any{{"name": "oxygen", "title": "Dissolved oxygen", "unit": "%"}}}, nil)
	must(t, p.Goto("/devices/kits/pond-probe"))
	must(t, p.Until(says+`('signal oxygen title') && `+says+`('Dissolved oxygen')`))
	press(t, p, "Apply")
	must(t, p.Until(says+`('Nothing: its devices are what it says.')`))
	if v := s.Signal("second-pond/oxygen"); v.Title != "Dissolved oxygen" || v.Unit != "%" {
		t.Errorf("%+v", v)
	}
	complaints(t, p)
}

// A silent device is told on Now, on its page and in the list, by word and pattern.
func TestASilentDeviceIsTold(t *testing.T) {
	s, p := visit(t)
	s.Send(s.Device("pond"), `{"oxygen": 80}`)
	s.Do(api.SetDevice.At("pond"), map[string]string{"interval": "1s"}, nil)
	must(t, p.Until(says+`('One thing is wrong.') && `+says+`('Pond is silent')`))
	must(t, p.Goto("/devices"))
	must(t, p.Until(`document.querySelector('[data-device=pond]')?.innerText.includes('silent') && document.querySelector('h1').innerText.includes('1 of the devices is silent')`))
	must(t, p.Goto("/devices/of/pond"))
	must(t, p.Until(`document.querySelector('[data-life=silent]')`))
	storetest.Eventually(t, "there is one alarm", func() bool { return len(s.Alarms()) == 1 })
	must(t, p.Goto("/alarms"))
	must(t, p.Until(says+`('Pond is silent')`))
	complaints(t, p)
}

// The pages about devices have no fault that axe finds, by day and by night, on a phone too.
func TestDevicePagesAreAccessible(t *testing.T) {
	s, p := visit(t)
	d := s.Device("pond")
	s.Send(d, `{"oxygen": 80, "firmware": "1.2"}`)
	s.Do(api.SetDevice.At("pond"), map[string]string{"interval": "1m"}, nil)
	s.Do(api.KitFromDevice.At("probe"), map[string]string{"device": "pond"}, nil)
	var enrolment struct{ Key string }
	s.Do(api.NewEnrolment.At(), nil, &enrolment)
	for _, path := range []string{"/devices", "/devices/connect", "/devices/of/pond", "/devices/arrivals",
		"/devices/kits", "/devices/kits/probe"} {
		accessible(t, p, path, "h1")
	}
	complaints(t, p)
}
