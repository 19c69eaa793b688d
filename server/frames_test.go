package server_test

import (
	"bytes"
	"context"
	"fmt"
	"image/gif"
	"image/png"
	"math"
	"mime/multipart"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// warmSpot is a frame of 8 × 6 as CSV: 20 °C, and a place at column 3, row 2 that is warmer.
func warmSpot(spot float64, at measure.Instant) []byte {
	var b strings.Builder
	if at != 0 {
		fmt.Fprintf(&b, "# at=%s\n", at)
	}
	for y := range 6 {
		for x := range 8 {
			v := 20.0
			if x == 3 && y == 2 {
				v = spot
			}
			fmt.Fprintf(&b, "%.2f%s", v, map[bool]string{true: "\n", false: ","}[x == 7])
		}
	}
	return []byte(b.String())
}

func sendFrame(t *testing.T, d *client.Client, kind string, body []byte) {
	t.Helper()
	if err := d.SendAs(context.Background(), api.SendFrame.At(), kind, "", body); err != nil {
		t.Fatal(err)
	}
}

func framesOf(s *servertest.Service, device, query string) (l api.FrameList) {
	s.Do(api.ListFrames.At(device).Raw(query), nil, &l)
	return l
}

// A frame's figures are signals at once, in one commit with it; it comes back as it was sent.
func TestFramesBecomeSignals(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("eye")
	at := measure.InstantOf(time.Now().Add(-time.Minute))
	sendFrame(t, d, frame.CSV, warmSpot(60, at))
	for name, want := range map[string]float64{"highest": 60, "lowest": 20, "mean": 20.83, "centre": 20, "hottest-x": 3,
		"hottest-y": 2} {
		v := s.Signal("eye/" + name)
		if v == nil || *v.Value != want || *v.At != at {
			t.Errorf("%s is %+v, should be %v", name, v, want)
		}
	}
	if v := s.Signal("eye/highest"); v.Unit != "Cel" {
		t.Errorf("the highest is in %q", v.Unit)
	}
	sendFrame(t, d, frame.CSV, warmSpot(60, at)) // sent again: it is there already
	if l := framesOf(s, "eye", ""); l.All != 1 || l.Frames[0].High != 60 || l.Eye.Width != 8 || l.Eye.Height != 6 {
		t.Errorf("there are %+v", l)
	}
	csv := taken(t, s, api.GetFrame.At("eye", "newest.csv"))
	if back, err := frame.Decode(frame.CSV, csv, &frame.Eye{Scale: 1, Unit: "Cel"}); err != nil || back.At != at ||
		back.Grid.At(3, 2) != 60 {
		t.Errorf("as CSV it came back as %s (%v)", csv, err)
	}
	for ending, begins := range map[string]string{"json": "{", "pgm": "P5\n", "cbor": "", "png": "\x89PNG"} {
		if body := taken(t, s, api.GetFrame.At("eye", "newest."+ending)); !strings.HasPrefix(string(body), begins) ||
			len(body) < 40 {
			t.Errorf(".%s is %.30q", ending, body)
		}
	}
	refused(t, s.Owner, 422, api.GetFrame.At("eye", "newest.bmp"), nil)
	refused(t, s.Owner, 404, api.GetFrame.At("eye", "newest.jpg"), nil)
	refused(t, s.Owner, 422, api.GetFrame.At("eye", "newest.png").Asking("palette", "hearht"), nil)
	refused(t, s.Owner, 404, api.GetFrame.At("ey", "newest.png"), nil)
}

// What is no frame of the device is refused by name, and nothing of it is kept.
func TestBadFramesChangeNothing(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("eye")
	sendFrame(t, d, frame.CSV, warmSpot(60, 0))
	before := *s.Signal("eye/highest").At
	for says, c := range map[string]struct {
		status     int
		kind, body string
	}{
		"is 2 × 1; those of this device are 8 × 6": {422, frame.CSV, "90,91\n"},
		"line 1, column 2 is no temperature":       {422, frame.CSV, "1,x\n"},
		"the content type is not one of a frame":   {415, "image/tiff", "II*"},
		"has no pixel that gave a temperature": {422, frame.CSV, strings.Repeat("nan,nan,nan,nan,nan,nan,nan,nan\n",
			6)},
		"it is no picture": {422, frame.JSON, `{"width": 8, "height": 6, "values": [` +
			strings.Repeat("20,", 47) + `20], "picture": "aGVsbG8="}`},
		"is more than a day ahead": {422, frame.CSV, "# at=2199-01-01T00:00:00Z\n" +
			string(warmSpot(90, 0))},
	} {
		err := d.SendAs(context.Background(), api.SendFrame.At(), c.kind, "", []byte(c.body))
		problem, is := err.(*client.Problem)
		if !is || problem.Status != c.status || !strings.Contains(err.Error(), says) {
			t.Errorf("%.40q: %v; should be %d %q", c.body, err, c.status, says)
		}
	}
	if l := framesOf(s, "eye", ""); l.All != 1 || *s.Signal("eye/highest").At != before {
		t.Errorf("something of it was kept: %d frames", l.All)
	}
	if err := (&client.Client{URL: s.URL, Token: "nobody"}).SendAs(context.Background(), api.SendFrame.At(), frame.CSV,
		"", warmSpot(1, 0)); err == nil {
		t.Error("a frame came in without a key")
	}
}

// Dead pixels are quality: figures over too many of them are implausible and wake nobody; a camera that is driven past
// its span by heat does.
func TestBadPixelsAreQualityAndHeatIsNot(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("eye")
	sendFrame(t, d, frame.CSV, warmSpot(30, 0))
	s.Do(api.PutEye.At("eye"), object{"low": -20, "high": 150}, nil)
	s.Guard(object{"name": "mean-hot", "signal": "eye/mean", "when": "above 50"})
	s.Guard(object{"name": "hot", "signal": "eye/highest", "when": "above 100"})
	sendFrame(t, d, frame.CSV, []byte(strings.Repeat("nan,nan,nan,nan,nan,nan,nan,99\n", 6)))
	if v := s.Signal("eye/mean"); v.Quality != measure.Implausible || len(s.Alarms()) != 0 {
		t.Errorf("with dead pixels the mean is %+v, and there are %d alarms", v.Quality, len(s.Alarms()))
	}
	sendFrame(t, d, frame.CSV, warmSpot(400, 0))
	if all := s.Alarms(); len(all) != 1 || all[0].Guard != "hot" {
		t.Errorf("heat beyond the span raised %+v", all)
	}
}

// Regions are drawn afterwards: their signals tell of the frames that are there. What is outside is refused.
func TestRegionsTellOfThePast(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("eye")
	begin := measure.InstantOf(time.Now().Add(-time.Hour))
	for i := range 10 {
		sendFrame(t, d, frame.CSV, warmSpot(50+float64(i), begin+measure.Instant(i*60_000)))
	}
	region := func(points ...[2]float64) object {
		var p []object
		for _, xy := range points {
			p = append(p, object{"x": xy[0], "y": xy[1]})
		}
		return object{"name": "bolt", "shape": "rectangle", "points": p, "over": 40}
	}
	if said := refused(t, s.Owner, 422, api.PutEye.At("eye"),
		object{"regions": []object{region([2]float64{2, 1}, [2]float64{9, 4})}}); !strings.Contains(said,
		"regions[0].points: point 2 (9, 4) lies outside") {
		t.Error(said)
	}
	if said := refused(t, s.Owner, 422, api.PutEye.At("eye"),
		object{"reference": "2020-01-01T00:00:00Z"}); !strings.Contains(said, "reference") {
		t.Error(said)
	}
	if s.Signal("eye/bolt-highest") != nil {
		t.Error("what was refused made a signal")
	}
	var e frame.Eye
	s.Do(api.PutEye.At("eye"), object{"regions": []object{region([2]float64{2, 1}, [2]float64{6, 4})},
		"differences": []object{{"name": "bolt-over-all", "of": "bolt", "less": "picture", "what": "mean"}},
		"reference":   begin}, &e)
	var page api.Readings
	s.Do(api.ListReadings.At("eye", "bolt-highest").Asking("since", begin), nil, &page)
	if len(page.Readings) != 10 || page.Readings[0].Value != 50 || page.Readings[9].Value != 59 ||
		page.Readings[9].At != begin+9*60_000 {
		t.Errorf("the region tells of the past %+v", page.Readings)
	}
	if v := s.Signal("eye/bolt-share"); *v.Value != 8.33 {
		t.Errorf("one of its 12 pixels is above 40 °C: %v %%", *v.Value)
	}
	sendFrame(t, d, frame.CSV, warmSpot(70, 0))
	if v := s.Signal("eye/bolt-over-all"); math.Abs(*v.Value-3.125) > 0.006 { // (11·20+70)/12 − (47·20+70)/48
		t.Errorf("the difference of means is %v", *v.Value)
	}
	change := taken(t, s, api.GetFrame.At("eye", "newest.csv").Asking("against", "reference"))
	if back, err := frame.Decode(frame.CSV, change, &frame.Eye{Scale: 1, Unit: "Cel"}); err != nil ||
		back.Grid.At(3, 2) != 20 || back.Grid.At(0, 0) != 0 {
		t.Errorf("what has changed is %s (%v)", change, err)
	}
	picture := taken(t, s, api.GetFrame.At("eye", "newest.png").Asking("palette", "dusk", "regions", "true", "low", "0",
		"high", "100", "width", "320"))
	if m, err := png.Decode(bytes.NewReader(picture)); err != nil || m.Bounds().Dx() < 320 {
		t.Errorf("the picture: %v", err)
	}
	strip, err := gif.DecodeAll(bytes.NewReader(taken(t, s, api.GetStrip.At("eye"))))
	if err != nil || len(strip.Image) != 11 {
		t.Errorf("the strip has %d frames (%v)", len(strip.Image), err)
	}
	wide, err := gif.DecodeAll(bytes.NewReader(taken(t, s, api.GetStrip.At("eye").Asking("width", "2048", "bare",
		"true"))))
	if err != nil || wide.Config.Width > 640 {
		t.Errorf("the wide strip is %d wide (%v)", wide.Config.Width, err)
	}
	if l := framesOf(s, "eye", "most=4"); len(l.Frames) != 4 || l.All != 11 || l.Frames[3].High != 70 ||
		l.Frames[0].High != 50 {
		t.Errorf("few of them are %+v", l.Frames)
	}
}

// Emissivity is corrected on the way out; what was sent stays.
func TestEmissivity(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("eye")
	sendFrame(t, d, frame.CSV, warmSpot(60, 0))
	s.Do(api.PutEye.At("eye"), object{"emissivity": 0.9, "reflected": 20}, nil)
	sendFrame(t, d, frame.CSV, warmSpot(60, 0))
	if v := s.Signal("eye/highest"); math.Abs(*v.Value-63.65) > 0.001 {
		t.Errorf("60 °C at 0.9 is %v", *v.Value)
	}
	for query, want := range map[string]float64{"": 63.646, "as_sent=true": 60} {
		back, err := frame.Decode(frame.CSV, taken(t, s, api.GetFrame.At("eye", "newest.csv").Raw(query)),
			&frame.Eye{Scale: 1, Unit: "Cel"})
		if err != nil || back.Grid.At(3, 2) != want {
			t.Errorf("newest.csv%s reads %v (%v)", query, back.Grid.At(3, 2), err)
		}
	}
}

// A picture of visible light comes beside the frame, in a form; an arrival's frames are kept until it is let in; a
// person sends for a device.
func TestWaysOfSendingFrames(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("eye")
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	for name, body := range map[string][]byte{"frame": warmSpot(60, 0), "picture": aPhoto(t, 64, 48, 1)} {
		part, err := w.CreateFormFile(name, name)
		if err == nil {
			_, err = part.Write(body)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	sendFrame(t, d, w.FormDataContentType(), form.Bytes())
	if l := framesOf(s, "eye", ""); !l.Frames[0].Pictured {
		t.Error("the picture beside the frame is gone")
	}
	if body := taken(t, s, api.GetFrame.At("eye", "newest.jpg")); !bytes.HasPrefix(body, []byte("\xff\xd8")) ||
		bytes.Contains(body, []byte("GPS")) {
		t.Errorf("the picture is %.20q", body)
	}
	if err := s.Owner.SendAs(context.Background(), api.SendFrame.At().Asking("at", "2026-01-02T03:04:05Z"), frame.CSV,
		"eye", warmSpot(44, 0)); err != nil {
		t.Error(err)
	}
	if l := framesOf(s, "eye", "since=2026-01-01T00:00:00Z"); l.All != 2 || l.Frames[0].High != 44 ||
		l.Frames[0].At.String() != "2026-01-02T03:04:05.000Z" {
		t.Errorf("with one that a person sent there are %+v", l.Frames)
	}
	if err := s.Owner.SendAs(context.Background(), api.SendFrame.At(), frame.CSV, "eyes",
		warmSpot(44, 0)); err == nil || !strings.Contains(err.Error(), "eyes") {
		t.Errorf("of a device that is not there: %v", err)
	}
	var enrolment struct {
		Key string `json:"key"`
	}
	s.Do(api.NewEnrolment.At(), nil, &enrolment)
	stranger := &client.Client{URL: s.URL, Token: enrolment.Key}
	if err := stranger.SendAs(context.Background(), api.SendFrame.At(), frame.CSV, "new-eye",
		warmSpot(51, 0)); err != nil {
		t.Fatal(err)
	}
	s.Do(api.LetIn.At("new-eye"), object{}, nil)
	if l := framesOf(s, "new-eye", ""); l.All != 1 || l.Frames[0].High != 51 ||
		*s.Signal("new-eye/highest").Value != 51 {
		t.Errorf("of what an arrival had sent there is %+v", l)
	}
}

// An alarm's mail carries the frame of its moment.
func TestAMailCarriesTheFrame(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("eye")
	sendFrame(t, d, frame.CSV, warmSpot(30, 0))
	s.Guard(object{"name": "hot", "signal": "eye/highest", "when": "above 60", "tell": []string{servertest.Owner}})
	sendFrame(t, d, frame.CSV, warmSpot(80, 0))
	storetest.Eventually(t, "a mail", func() bool { return len(s.Inbox.Messages()) > 0 })
	m := s.Inbox.Messages()[0]
	if !strings.Contains(m.HTML, "The thermal frame of that moment") {
		t.Errorf("the page of the mail has no frame:\n%s", m.HTML)
	}
}

// The forecast of storage counts frames, thinned as they will be.
func TestStorageTellsOfFrames(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("eye")
	for i := range 20 {
		sendFrame(t, d, frame.CSV, warmSpot(50, measure.InstantOf(time.Now().Add(-time.Duration(i)*time.Hour))))
	}
	var out api.Storage
	s.Do(api.GetStorage.At(), nil, &out)
	if len(out.Frames) != 1 || out.Frames[0].Count != 20 || out.Frames[0].PerDay < 15 ||
		out.Frames[0].Year < out.Frames[0].Bytes {
		t.Errorf("frames: %+v", out.Frames)
	}
	var devices []site.Device
	s.Do(api.ListDevices.At(), nil, &devices)
	s.Do(api.RemoveDevice.At("eye"), nil, nil) // its frames go with it
	s.Do(api.GetStorage.At(), nil, &out)
	if len(out.Frames) != 0 {
		t.Errorf("after its device was removed: %+v", out.Frames)
	}
}

// A sender that heard no answer sends the same again, by the same key, and it is one frame.
func TestAFrameSentAgainIsOne(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("eye")
	for _, key := range []string{"one", "one", "two"} {
		if status, text, _ := call(t, "POST", s.URL+api.SendFrame.At().Path, d.Token, frame.CSV,
			string(warmSpot(60, 0)), "Idempotency-Key", key); status != 204 {
			t.Fatalf("%s: %d %s", key, status, text)
		}
		time.Sleep(3 * time.Millisecond) // the next is of another instant
	}
	if l := framesOf(s, "eye", ""); l.All != 2 {
		t.Errorf("%d frames", l.All)
	}
	if status, text, _ := call(t, "POST", s.URL+api.SendFrame.At().Path, d.Token, frame.CSV, string(warmSpot(60, 0)),
		"Idempotency-Key", strings.Repeat("k", 201)); status != 400 {
		t.Errorf("a key of 201 characters: %d %s", status, text)
	}
}
