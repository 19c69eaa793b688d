package cli_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/core/calibrate"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// expectIn fails the test when a text lacks one of its parts.
func expectIn(t *testing.T, text string, parts ...string) {
	t.Helper()
	for _, part := range parts {
		if !strings.Contains(text, part) {
			t.Errorf("%q is not in:\n%s", part, text[:min(len(text), 2000)])
		}
	}
}

// A signal is learned to be trusted by hand: said what it is, calibrated, verified, compared, and told about.
func TestTrustByHand(t *testing.T) {
	storetest.Long(t)
	p, s := newPerson(t), servertest.On(t, storetest.URL(t), "127.0.0.1:0")
	p.login(s.URL, servertest.Owner, servertest.Password)
	p.must("device", "add", "cellar")
	file := p.logger(2000)
	p.must("import", file, "--device", "cellar", "--zone", "UTC", "--column", "T1 (°C)=air:Cel", "--yes")
	p.must("send", "cellar/air=24.4")
	p.must("signal", "set", "cellar/air", "--span", "-20..60", "--fails-to", "low", "--stuck-after", "6h",
		"--fault-after", "5m", "--band", "cool ..22 blue", "--band", "warm 22..")
	expectIn(t, p.must("signal", "show", "cellar/air"), "plausible from -20 °C to 60 °C", "fails to: low",
		"stuck after 6h", "sensor fault after 5m", "band cool ..22 blue", "Never calibrated", "Never verified")
	p.refused(2, "did you mean blue", "signal", "set", "cellar/air", "--band", "cool ..22 bleu")
	p.must("guard", "add", "cellar/air", "--when", "above 25", "--name", "warm")

	p.refused(2, "SHOWN=REFERENCE", "calibration", "add", "cellar/air", "--pair", "24")
	p.refused(2, "did you mean offset", "calibration", "add", "cellar/air", "--pair", "24=25", "--method", "ofset")
	p.refused(1, "Did you mean cellar/air", "calibration", "add", "cellar/ar", "--pair", "24=25")
	expectIn(t, p.must("calibration", "add", "cellar/air", "--pair", "24.4=25.4", "--since", "2d", "--try"),
		"would be corrected by +1", "warm", "AS IT WOULD BE")
	out, errs, code := p.run("calibration", "add", "cellar/air", "--pair", "20=21", "--pair", "22=23", "--pair",
		"24=30", "--try")
	if code != 0 || errs != "" {
		t.Error(code, errs)
	}
	expectIn(t, out, "Careful: The pairs do not fit")
	expectIn(t, p.must("calibration", "add", "cellar/air", "--pair", "24.4=25.4", "--since", "2d", "--note",
		"by the mercury"), "is corrected by +1", "their raw values stay")
	if v := get[site.Signal](p, "signal", "show", "cellar/air"); *v.Value != 25.4 || !v.Calibrated {
		t.Errorf("it reads %v", *v.Value)
	}
	ctx, still := context.WithCancel(t.Context())
	go func() {
		for ctx.Err() == nil {
			_, _ = s.Owner.SendReadings(ctx, "application/json", []byte(`{"cellar/air": 24.5}`))
			time.Sleep(100 * time.Millisecond)
		}
	}()
	out, errs, code = p.run("calibration", "add", "cellar/air", "--reference", "25", "--hold", "1s", "--try")
	if still(); code != 0 {
		t.Error(out, errs)
	}
	expectIn(t, errs, "It showed 25.5 on average: ", "between 25.5 and 25.5")

	expectIn(t, p.must("calibration", "verify", "cellar/air", "--reference", "25.4", "--tolerance", "2%"),
		"PASS: cellar/air showed 25.5 °C")
	if out, _, code := p.run("calibration", "verify", "cellar/air", "--reference", "30", "--tolerance", "0.5", "--unit",
		"Cel"); code != 1 || !strings.HasPrefix(out, "FAIL") {
		t.Error(code, out)
	}
	if v := get[calibrate.Verification](p, "calibration", "verify", "cellar/air", "--reference", "77.9", "--tolerance",
		"1", "--unit", "[degF]"); !v.Passed || v.Tolerance < 0.55 || v.Tolerance > 0.56 {
		t.Errorf("in °F: %+v", v)
	}
	p.refused(2, "like 6 months", "calibration", "verify", "cellar/air", "--every", "6 moons")
	expectIn(t, p.must("calibration", "verify", "cellar/air", "--every", "6 months"), "To be verified every 6 months",
		"by the mercury", "FAIL")
	p.must("device", "add", "attic")
	p.must("import", file, "--device", "attic", "--zone", "UTC", "--column", "T1 (°C)=air:Cel", "--yes")
	expectIn(t, p.must("compare", "cellar/air", "attic/air", "--since", "30h"), "mean difference       0.99",
		"limits of agreement", "The difference is steady")
	p.refused(2, "--since", "compare", "cellar/air", "attic/air", "--since", "nonsense")
	expectIn(t, p.must("device", "sheet", "cellar"), "<!doctype html>", "by the mercury")
	expectIn(t, p.must("device", "sheet", "cellar", "--format", "csv"), "device,signal,unit,what", "verification")
	list := get[api.Trust](p, "calibration", "list", "cellar/air")
	expectIn(t, p.must("calibration", "remove", "cellar/air", "1"), "is removed")
	if v := get[site.Signal](p, "signal", "show", "cellar/air"); *v.Value != 24.5 || len(list.Calibrations) != 1 {
		t.Errorf("it reads %v", *v.Value)
	}
}

// Signals are derived and added up by hand, with a tariff from a file, and seen in other units.
func TestMeaningByHand(t *testing.T) {
	storetest.Long(t)
	p, s := newPerson(t), servertest.On(t, storetest.URL(t), "127.0.0.1:0")
	p.login(s.URL, servertest.Owner, servertest.Password)
	p.must("device", "add", "cellar")
	p.must("import", p.logger(2000), "--device", "cellar", "--zone", "UTC", "--column", "T1 (°C)=air:Cel", "--yes")
	expectIn(t, p.must("signal", "kinds"), "dew-point", "hours-left", "in CEL")
	p.refused(2, "at character 7: \"ari\" is none of the inputs\n  2.0 * ari\n        ^", "signal", "add", "cellar/x",
		"--formula", "2.0 * ari", "--of", "air=cellar/air")
	p.refused(2, "did you mean dew-point", "signal", "add", "cellar/x", "--kind", "dewpoint", "--of", "cellar/air")
	p.refused(2, "did you mean cellar/air", "signal", "add", "cellar/x", "--kind", "moving-mean", "--window", "5m",
		"--of", "cellar/ar")
	expectIn(t, p.must("signal", "add", "cellar/warm", "--kind", "on-off", "--of", "cellar/air", "--when",
		"above 22.45", "--deadband", "0.5", "--title", "Warm"),
		"is computed: on when cellar/air is above 22.45, deadband 0.5")
	expectIn(t, p.must("signal", "add", "cellar/load", "--formula", "(air - 20.0) * 10.0", "--of", "air=cellar/air",
		"--unit", "Cel"), "It is in Cel")
	expectIn(t, p.must("signal", "list"), "cellar/warm", "on when cellar/air is above 22.45")
	expectIn(t, p.must("signal", "show", "cellar/air"), "cellar/warm is computed from it")
	p.refused(2, "say --yes", "total", "reset", "starts")
	p.must("total", "add", "starts", "cellar/warm", "--kind", "cycles")
	p.must("total", "add", "warm-time", "cellar/warm", "--kind", "on-time", "--title", "Warm for")
	p.refused(2, "is of a power", "total", "add", "x", "cellar/load", "--kind", "energy")
	story := get[api.TotalStory](p, "total", "show", "starts", "--by", "month", "--since", "30d")
	sum := 0.0
	for _, r := range story.Periods {
		sum += r.Value
	}
	if sum != 40 { // 2000 readings go up and down every 50
		t.Errorf("%v starts", sum)
	}
	expectIn(t, p.must("total", "reset", "starts", "--yes", "--note", "spring"), "counts anew")
	expectIn(t, p.must("total", "show", "starts"), "Since it was reset")
	expectIn(t, p.must("total", "reset", "starts", "--undo"), "is undone")
	p.refused(1, "", "total", "reset", "starts", "--undo")

	file := filepath.Join(p.home, "tariff.yaml")
	write := func(text string) {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write("name: flat\nversions:\n  - from: 2026-01-01\n    rates:\n      - name: all\n        blocks: [{prise: 0.5}]\n")
	p.refused(2, "prise", "tariff", "set", file)
	write("name: flat\nversions:\n  - from: 2026-01-01\n    standing: 0.25\n    rates:\n      - name: all\n        " +
		"blocks: [{price: 0.5}]\n")
	expectIn(t, p.must("tariff", "set", file), "Tariff flat is saved")
	expectIn(t, p.must("tariff", "show", "flat"), `price: "0.5"`, `standing: "0.25"`)
	expectIn(t, p.must("tariff", "remove", "flat"), "is removed")

	expectIn(t, p.must("unit", "list", "temperature"), "[degF]", "°F")
	p.must("unit", "set", "[degF]")
	expectIn(t, p.must("signal", "show", "cellar/air"), "°F", "stored in Cel")
	p.must("guard", "add", "cellar/air", "--when", "above 25", "--deadband", "1")
	expectIn(t, p.must("guard", "list"), "cellar/air is above 77 °F, deadband 1.8")
	expectIn(t, p.must("reading", "list", "cellar/air", "--since", "30d"), "In °F; it is stored in °C.", "68 °F")
	expectIn(t, p.must("reading", "list", "cellar/air", "--since", "30d", "--every", "7d", "--show", "low,high"), "68",
		"76.82")
	expectIn(t, p.must("chart", "cellar/air", "--since", "30d"), "lowest 68 °F")
	p.refused(2, "did you mean", "unit", "set", "degF")
	p.must("unit", "set")
	expectIn(t, p.must("signal", "show", "cellar/air"), "°C")
	expectIn(t, p.must("signal", "remove", "cellar/load"), "is removed")
	p.must("device", "remove", "cellar")
}
