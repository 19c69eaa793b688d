package server_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"slices"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/act"
	"jauntylark/core/asset"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

func assetPage(s *servertest.Service, name string) (p api.AssetPage) {
	s.Do(api.GetAsset.At(name), nil, &p)
	return p
}

func sent(t *testing.T, c *client.Client, at api.Place, body []byte) (a asset.Attachment, err error) {
	t.Helper()
	err = c.Upload(context.Background(), at, "application/octet-stream", bytes.NewReader(body), &a)
	return a, err
}

// taken downloads what is at a path.
func taken(t *testing.T, s *servertest.Service, at api.Place) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := s.Owner.Download(context.Background(), at, &out); err != nil {
		t.Fatal(at, err)
	}
	return out.Bytes()
}

// An asset is added, found in its tree, changed, judged, removed and brought back; its page tells how it does.
func TestTheLifeOfAnAsset(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("fog-pump")
	s.Send(d, `{"supply": 24, "temp": 20}`)
	s.Output("fog-pump/valve", nil)
	s.Do(api.AddAsset.At(), object{"name": "house", "title": "Glasshouse"}, nil)
	var p api.AssetPage
	s.Do(api.AddAsset.At(), object{"name": "pump", "kind": "pump", "in": "house", "signals": []string{"fog-pump"},
		"outputs": []string{"fog-pump/valve"}, "next_service": "2020-01-31", "note": "**24 V**"}, &p)
	if len(p.Place) != 1 || p.Place[0].Called != "Glasshouse" || len(p.Signals) != 2 || len(p.Outputs) != 1 ||
		!strings.Contains(strings.Join(p.Words, " "), "Nothing guards it") ||
		!strings.Contains(strings.Join(p.Words, " "), "Its service was due") {
		t.Errorf("a new asset is %+v", p)
	}
	s.Do(api.Verify.At("fog-pump", "temp"), object{"reference": 25, "tolerance": "1"}, nil)
	s.Do(api.Verify.At("fog-pump", "temp"), object{"reference": 20.5, "tolerance": "1"}, nil)
	if v := assetPage(s, "pump").Verified; len(v) != 1 || v[0].Signal != "fog-pump/temp" || !v[0].Passed ||
		v[0].Reference != 20.5 {
		t.Errorf("verified: %+v", v)
	}
	s.Guard(object{"name": "hot", "signal": "fog-pump/temp", "when": "above 30", "severity": "critical"})
	s.Send(d, `{"temp": 40}`)
	p = assetPage(s, "pump")
	if len(p.Guards) != 1 || len(p.Alarms) != 1 || !strings.Contains(strings.Join(p.Words, " "), "above 30") {
		t.Errorf("with an alarm it is %q", p.Words)
	}
	var all []api.AssetLine
	s.Do(api.ListAssets.At(), nil, &all)
	if len(all) != 2 || all[1].Name != "pump" || all[1].Depth != 1 || all[1].Worst != "critical" ||
		all[1].Reading.Name != "temp" || *all[1].Reading.Value != 40 {
		t.Errorf("the list is %+v", all)
	}
	s.Do(api.SetCondition.At("pump"), object{"condition": "out of order", "why": "seized"}, &p)
	if p.Asset.Condition != asset.OutOfOrder || p.Asset.By == "" {
		t.Errorf("its condition is %+v", p.Asset)
	}
	s.Do(api.WriteNote.At(), object{"text": "oiled it", "of": "asset pump"}, nil)
	var entries []site.Entry
	s.Do(api.ListAssetJournal.At("pump"), nil, &entries)
	for _, want := range []string{"oiled it", "is out of order: seized", "The asset Pump was added", "is above 30"} {
		if !slices.ContainsFunc(entries, func(e site.Entry) bool { return strings.Contains(e.Text, want) }) {
			t.Errorf("its journal does not tell %q: %+v", want, entries)
		}
	}
	for at, c := range map[api.Place]struct {
		status int
		body   object
		says   string
	}{
		api.GetAsset.At("pumb"):     {404, nil, "Did you mean pump"},
		api.AddAsset.At():           {409, object{"name": "pump"}, "pump"},
		api.RemoveAsset.At("house"): {409, nil, "pump stands in it"},
		api.ChangeAsset.At("pump"):  {422, object{"signals": []string{"fog-pumb"}}, "did you mean fog-pump"},
		api.SetCondition.At("pump"): {422, object{"condition": "broken"}, "there is no condition broken"},
	} {
		if said := refused(t, s.Owner, c.status, at, c.body); !strings.Contains(said, c.says) {
			t.Errorf("%s: %q does not say %q", at, said, c.says)
		}
	}
	refused(t, s.Owner, 422, api.ChangeAsset.At("house"), object{"in": "pump"})
	s.Do(api.RemoveAsset.At("pump"), nil, nil)
	refused(t, s.Owner, 404, api.GetAsset.At("pump"), nil)
	s.Do(api.BringAssetBack.At("pump"), nil, &p)
	if p.Asset.Name != "pump" || p.Asset.Note != "**24 V**" {
		t.Errorf("brought back it is %+v", p.Asset)
	}
}

// aPhoto is a JPEG of some size that a camera turned, with a place where it was taken.
func aPhoto(t *testing.T, width, height int, orientation byte) []byte {
	t.Helper()
	m := image.NewRGBA(image.Rect(0, 0, width, height))
	for x := range width / 2 {
		for y := range height {
			m.Set(x, y, color.White)
		}
	}
	var plain bytes.Buffer
	if err := jpeg.Encode(&plain, m, nil); err != nil {
		t.Fatal(err)
	}
	tiff := []byte("MM\x00*\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00" + string(orientation) +
		"\x00\x00\x00\x00\x00\x00GPS 53.3498N 6.2603W")
	exif := append([]byte("Exif\x00\x00"), tiff...)
	out := append([]byte{0xff, 0xd8, 0xff, 0xe1}, byte((len(exif)+2)>>8), byte(len(exif)+2))
	return append(append(out, exif...), plain.Bytes()[2:]...)
}

// hugePNG says that it has 100 million pixels, in a few bytes.
func hugePNG() []byte {
	chunk := func(kind string, data []byte) []byte {
		body := append([]byte(kind), data...)
		return binary.BigEndian.AppendUint32(append(binary.BigEndian.AppendUint32(nil, uint32(len(data))), body...),
			crc32.ChecksumIEEE(body))
	}
	head := append(binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, 10_000), 10_000), 8, 2, 0, 0, 0)
	return append([]byte("\x89PNG\r\n\x1a\n"), append(chunk("IHDR", head), chunk("IEND", nil)...)...)
}

// Photos are turned, scaled and made safe; papers are PDFs; what is neither is refused, and nothing is kept.
func TestPhotosAndPapers(t *testing.T) {
	storetest.Long(t)
	s := servertest.Start(t)
	s.Do(api.AddAsset.At(), object{"name": "pump"}, nil)
	a, err := sent(t, s.Owner, api.AddPhoto.At("pump").Asking("name", "front.jpg"), aPhoto(t, 3000, 1500, 6))
	if err != nil || a.Width != 1280 || a.Height != 2560 || a.Type != "image/jpeg" || a.Kind != asset.Photo {
		t.Fatalf("a turned photo became %+v (%v)", a, err)
	}
	body := taken(t, s, api.GetAttachment.At("pump", "1"))
	m, _, err := image.Decode(bytes.NewReader(body))
	if err != nil || m.Bounds().Dx() != 1280 || bytes.Contains(body, []byte("GPS")) ||
		bytes.Contains(body, []byte("Exif")) {
		t.Errorf("what is kept is %v, with its place %v (%v)", m.Bounds(), bytes.Contains(body, []byte("GPS")), err)
	}
	if r, _, _, _ := m.At(640, 100).RGBA(); r < 0xf000 { // its left half is the upper one now
		t.Error("it was not turned upright")
	}
	small, _, err := image.Decode(bytes.NewReader(taken(t, s, api.GetAttachment.At("pump", "1").Asking("small",
		"true"))))
	if err != nil || small.Bounds().Dy() != 480 {
		t.Errorf("its small picture is %v (%v)", small.Bounds(), err)
	}
	for says, bad := range map[string][]byte{"no picture that can be read": []byte("hello"), "100": hugePNG(),
		"damaged": aPhoto(t, 300, 200, 1)[:900], "drawing": []byte(`<svg xmlns="http://www.w3.org/2000/svg"/>`)} {
		if _, err := sent(t, s.Owner, api.AddPhoto.At("pump").Asking("name", "x"), bad); err == nil ||
			!strings.Contains(err.Error(), says) && !strings.Contains(err.Error(), "40 million") {
			t.Errorf("%.20q: %v; should say %q", bad, err, says)
		}
	}
	if _, err := sent(t, s.Owner, api.AddPaper.At("pump").Asking("name", "x"), []byte("%PDF-1.7 cut")); err == nil {
		t.Error("half a PDF was taken")
	}
	if _, err := sent(t, s.Owner, api.AddPaper.At("pump").Asking("name", "Manual.pdf"),
		[]byte("%PDF-1.7\n%%EOF\n")); err != nil {
		t.Error(err)
	}
	if p := assetPage(s, "pump"); len(p.Attachments) != 2 || *p.Asset.Photo != 1 {
		t.Errorf("it has %+v", p.Attachments)
	}
	s.Do(api.RemoveAttachment.At("pump", "1"), nil, nil)
	refused(t, s.Owner, 404, api.RemoveAttachment.At("pump", "1"), nil)
	if p := assetPage(s, "pump"); len(p.Attachments) != 1 || p.Asset.Photo != nil {
		t.Errorf("after one was removed it has %+v", p.Attachments)
	}
}

func TestLabels(t *testing.T) {
	s := servertest.Start(t)
	for _, name := range []string{"house", "pump"} {
		s.Do(api.AddAsset.At(), object{"name": name, "title": "The " + name + " & more"}, nil)
	}
	if svg := string(taken(t, s, api.GetLabel.At("pump"))); !strings.HasPrefix(svg, "<svg") ||
		!strings.Contains(svg, "The pump &amp; more") {
		t.Errorf("the label is %.200s", svg)
	}
	if _, err := png.Decode(bytes.NewReader(taken(t, s, api.GetLabelPicture.At("pump")))); err != nil {
		t.Error(err)
	}
	if pdf := taken(t, s, api.GetLabels.At()); !bytes.HasPrefix(pdf, []byte("%PDF-")) {
		t.Errorf("the sheet is %.20q", pdf)
	}
	if err := s.Owner.Download(context.Background(), api.GetLabels.At().Asking("asset", "pumb"),
		&bytes.Buffer{}); err == nil || !strings.Contains(err.Error(), "pump") {
		t.Errorf("a label of what is not there: %v", err)
	}
}

// An asset is put under guard in one step, all or nothing; tried, nothing changes.
func TestPutUnderGuard(t *testing.T) {
	s := servertest.Start(t)
	s.Send(s.Device("eye"), `[{"temp": 20}]`)
	s.Do(api.AddAsset.At(), object{"name": "switchboard"}, nil)
	guard := object{"name": "warm", "signal": "eye/temp", "when": "above 60", "on_delay": "1m", "severity": "warning",
		"rungs": []object{{"when": "above 75", "severity": "critical"}}, "tell": []string{servertest.Owner}}
	order := object{"guard": guard, "interval": "5m", "sparing_interval": "1h", "try": true}
	var w act.Watch
	s.Do(api.GuardAsset.At("switchboard"), order, &w)
	const says = "Temp of Switchboard is measured by Eye every 5 minutes, and every 1 hour when its battery is low. " +
		"When it is above 60 for 1 minute, that is a warning; when it is above 75, that is critical. Then " +
		"owner@hollowbrook.example is told, and told again when all is well."
	if w.Sentence != says || w.Saved {
		t.Errorf("it says\n%s, should say\n%s", w.Sentence, says)
	}
	if d := s.Look("eye"); d.Version != 0 || len(assetPage(s, "switchboard").Signals) != 0 {
		t.Error("a try has changed something")
	}
	for field, change := range map[string]object{
		"guard.signal": {"guard": object{"signal": "eye/tenp", "when": "above 60"}},
		"guard.when":   {"guard": object{"signal": "eye/temp", "when": "is on"}},
		"guard.tell": {"guard": object{"signal": "eye/temp", "when": "above 60",
			"tell": []string{"nobody-here"}}},
		"sparing_interval": {"guard": guard, "interval": "5m", "sparing_interval": "1m"},
		"interval":         {"guard": guard, "interval": "1ms"},
	} {
		if said := refused(t, s.Owner, 422, api.GuardAsset.At("switchboard"), change); !strings.Contains(said, field) {
			t.Errorf("%v: %q does not name %s", change, said, field)
		}
	}
	if d := s.Look("eye"); d.Version != 0 || len(assetPage(s, "switchboard").Guards) != 0 {
		t.Error("what was refused has changed something")
	}
	order["try"] = false
	s.Do(api.GuardAsset.At("switchboard"), order, &w)
	p := assetPage(s, "switchboard")
	if d := s.Look("eye"); !w.Saved || len(p.Guards) != 1 || len(p.Signals) != 1 ||
		d.Settings.Interval.String() != "5m" || d.Settings.Sparing.String() != "1h" {
		t.Errorf("under guard it is %+v, the device is ordered %+v", p, d.Settings)
	}
	guard["when"] = "above 65" // the same guard, changed
	s.Do(api.GuardAsset.At("switchboard"), object{"guard": guard}, &w)
	if p := assetPage(s, "switchboard"); len(p.Guards) != 1 || p.Guards[0].When.A != 65 {
		t.Errorf("changed it is %+v", p.Guards)
	}
}
