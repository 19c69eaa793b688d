package cli_test

import (
	"bytes"
	"fmt"
	"image"
	"image/gif"
	"image/jpeg"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/core/asset"
	"jauntylark/core/run"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// asked is a person at a fresh service, who asks for things and reads what comes back.
type asked struct {
	*person
	t *testing.T
}

func (a asked) says(want string, args ...string) {
	a.t.Helper()
	if got := a.must(args...); !strings.Contains(got, want) {
		a.t.Errorf("jaunty %s: %q is not in\n%s", strings.Join(args, " "), want, got)
	}
}

func (a asked) file(name string, body []byte) string {
	a.t.Helper()
	path := filepath.Join(a.t.TempDir(), name)
	if err := os.WriteFile(path, body, 0o600); err != nil {
		a.t.Fatal(err)
	}
	return path
}

func ask(t *testing.T) asked {
	s := servertest.Start(t)
	p := newPerson(t)
	p.login(s.URL, servertest.Owner, servertest.Password)
	return asked{p, t}
}

// What people do with assets on the command line, and what it says when that is wrong.
func TestAssetsOnTheCommandLine(t *testing.T) {
	storetest.Long(t)
	a := ask(t)
	a.must("device", "add", "fog-pump")
	a.must("send", "fog-pump/power=40", "fog-pump/cycles=3")
	a.says("No assets", "asset", "list")
	a.must("asset", "add", "house", "--kind", "house")
	a.must("asset", "add", "pump", "--title", "Fog pump", "--kind", "pump", "--in", "house", "--signal",
		"fog-pump/power", "--note", "**Oil** it.")
	a.says("  pump", "asset", "list")
	a.says("**Oil** it.", "asset", "show", "pump")
	a.refused(2, "perhaps \"bad-name\"", "asset", "add", "Bad Name")
	a.refused(1, "Did you mean pump?", "asset", "show", "pmp")
	a.refused(2, "in: there is no asset huose; did you mean house?", "asset", "set", "pump", "--in", "huose")
	a.refused(2, "fog-pump/powr", "asset", "set", "pump", "--signal", "fog-pump/powr")
	a.refused(2, "in", "asset", "set", "house", "--in", "pump")
	a.says("Asset pump is attention.", "asset", "set", "pump", "--condition", "attention", "--why", "the valve sticks")
	a.refused(2, "attention", "asset", "set", "pump", "--condition", "brokn")
	a.must("calibration", "verify", "fog-pump/power", "--reference", "40", "--tolerance", "1")
	a.says("verified  fog-pump/power passed", "asset", "show", "pump")
	a.must("journal", "add", "new seal fitted", "--asset", "pump")
	a.says("the valve sticks", "asset", "show", "pump")
	a.says("new seal fitted", "journal", "list", "--asset", "pump")

	var photo bytes.Buffer
	if err := jpeg.Encode(&photo, image.NewGray(image.Rect(0, 0, 60, 40)), nil); err != nil {
		t.Fatal(err)
	}
	a.must("asset", "file", "add", "pump", a.file("pump.jpg", photo.Bytes()))
	a.must("asset", "file", "add", "pump", a.file("manual.pdf", []byte("%PDF-1.4\nmade up\n%%EOF\n")))
	a.says("manual.pdf", "asset", "show", "pump")
	a.refused(2, "is no picture", "asset", "file", "add", "pump", a.file("text.jpg", []byte("not a picture")))
	a.refused(2, "PDF", "asset", "file", "add", "pump", a.file("text.pdf", []byte("not a document")))
	page := get[api.AssetPage](a.person, "asset", "show", "pump")
	if len(page.Attachments) != 2 {
		t.Fatalf("%d attachments", len(page.Attachments))
	}
	photoID := fmt.Sprint(page.Attachments[0].ID)
	a.says("pump.jpg", "asset", "file", "list", "pump")
	if files := get[[]asset.Attachment](a.person, "asset", "file", "list", "pump"); len(files) != 2 {
		t.Errorf("%+v", files)
	}
	a.refused(2, "did you mean attention?", "asset", "set", "pump", "--condition", "atention", "--title", "Another")
	if p := get[api.AssetPage](a.person, "asset", "show", "pump"); p.Asset.Title == "Another" {
		t.Error("the title was changed by what was refused")
	}
	a.says("'jaunty asset file bring-back "+photoID+"'", "asset", "file", "remove", "pump", photoID)
	a.must("asset", "file", "bring-back", photoID)
	a.must("asset", "file", "remove", "pump", photoID)

	a.says("Nothing was changed", "asset", "guard", "pump", "fog-pump/cycles", "--when", "above 10", "--interval", "5m",
		"--try")
	a.says("is at work", "asset", "guard", "pump", "fog-pump/cycles", "--when", "above 10", "--interval", "5m")
	a.refused(2, "interval", "asset", "guard", "pump", "fog-pump/cycles", "--when", "above 10", "--interval",
		"5 minuts")
	page = get[api.AssetPage](a.person, "asset", "show", "pump")
	if len(page.Guards) != 1 || len(page.Signals) != 2 || len(page.Attachments) != 1 {
		t.Errorf("%d guards, %d signals, %d attachments", len(page.Guards), len(page.Signals), len(page.Attachments))
	}

	for ending, begins := range map[string]string{".svg": "<svg", ".png": "\x89PNG", ".pdf": "%PDF-"} {
		path := filepath.Join(t.TempDir(), "label"+ending)
		a.must("asset", "label", path, "pump")
		if text, err := os.ReadFile(path); err != nil || !strings.Contains(string(text[:200]), begins) {
			t.Errorf("%s: %v, begins with %q", ending, err, text[:20])
		}
	}
	a.refused(2, ".pdf", "asset", "label", "label.doc", "pump")
	a.refused(1, "house", "asset", "remove", "house")
	a.must("asset", "remove", "pump")
	a.refused(1, "pump", "asset", "show", "pump")
	a.must("asset", "bring-back", "pump")
	a.says("manual.pdf", "asset", "show", "pump")
}

// What people do with thermal frames.
func TestFramesOnTheCommandLine(t *testing.T) {
	a, folder := ask(t), t.TempDir()
	a.must("device", "add", "eye")
	a.says("has sent no frame yet", "frame", "show", "eye")
	first := a.file("first.csv", []byte("20,21,22\n23,24,25\n"))
	a.must("frame", "send", "eye", first, "--at", "10m")
	a.must("frame", "send", "eye", a.file("second.csv", []byte("20,21,22\n23,24,95\n")))
	a.says("Frames of eye are 3 × 2.", "frame", "show", "eye")
	back := filepath.Join(folder, "back.csv")
	a.must("frame", "export", "eye", back, "--at", "10m")
	if text, err := os.ReadFile(back); err != nil || !strings.Contains(string(text), "20,21,22\n23,24,25") {
		t.Errorf("%v:\n%s", err, text)
	}
	a.says("eye/right-highest", "frame", "set", "eye", "--region", "right rectangle 2,0 3,2", "--region",
		"left rectangle 0,0 2,2", "--difference", "step right less left", "--emissivity", "0.95", "--reflected", "20")
	a.refused(2, "outside", "frame", "set", "eye", "--region", "far rectangle 2,0 9,2")
	a.refused(2, "did you mean right?", "frame", "set", "eye", "--remove", "rigt")
	a.refused(2, "emissivity", "frame", "set", "eye", "--emissivity", "1.5")
	a.refused(2, "the first row has 2", "frame", "send", "eye", a.file("odd.csv", []byte("1,2\n3,4,5\n")))
	if rows := strings.Count(a.must("frame", "list", "eye"), "°C   "); rows != 4 { // lowest and highest of two
		t.Errorf("%d figures", rows)
	}

	for name, begins := range map[string]string{"a.png": "\x89PNG", "a.json": "{", "a.pgm": "P5", "a.gif": "GIF89a"} {
		path := filepath.Join(folder, name)
		a.must("frame", "export", "eye", path, "--since", "1h")
		text, err := os.ReadFile(path)
		if err != nil || !strings.HasPrefix(string(text), begins) {
			t.Errorf("%s: %v, begins with %q", name, err, text[:min(8, len(text))])
		}
		if moving, err := gif.DecodeAll(bytes.NewReader(text)); name == "a.gif" &&
			(err != nil || len(moving.Image) != 2) {
			t.Errorf("the moving picture: %v, %+v", err, moving)
		}
	}
	a.refused(2, "FILE does not end in", "frame", "export", "eye", filepath.Join(folder, "a.doc"))
}

// What people do with runs.
func TestRunsOnTheCommandLine(t *testing.T) {
	a := ask(t)
	a.must("device", "add", "heap")
	now := time.Now()
	var lines strings.Builder
	lines.WriteString("time,core\n")
	for i := range 60 {
		fmt.Fprintf(&lines, "%s,%d\n", now.Add(time.Duration(i-60)*time.Minute).Format(time.RFC3339), 20+i/2)
	}
	a.must("import", a.file("core.csv", []byte(lines.String())), "--device", "heap", "--yes")
	a.must("asset", "add", "compost", "--signal", "heap/core")
	a.says("No runs", "run", "list")
	a.refused(2, "is not after its start", "run", "start", "compost", "Wrong", "--at", "10m", "--until", "20m")
	a.refused(2, "goal", "run", "start", "compost", "Wrong", "--goal", "heap/core sometimes 60")
	a.must("run", "start", "compost", "First", "--at", "60m", "--until", "31m", "--goal", "heap/core reaches 30")
	a.must("run", "start", "compost", "Second", "--at", "30m", "--goal", "heap/core reaches 60")
	a.refused(1, "Second", "run", "start", "compost", "Third")
	a.says("Heap core reaches 60: at about", "run", "show", "compost")
	a.must("run", "phase", "compost", "turned", "--at", "5m")
	a.must("run", "set", "2", "--title", "Second heap")
	a.says("Second heap", "run", "stop", "compost")
	runs := get[[]run.Run](a.person, "run", "list", "compost")
	if len(runs) != 2 || runs[0].EndedAt == nil || len(runs[0].Phases) != 1 {
		t.Fatalf("%+v", runs)
	}
	a.refused(2, "jaunty run compare takes RUN RUN...; 1 given", "run", "compare", "1")
	a.refused(2, "0 given", "run", "start")
	a.refused(1, "heap/core", "run", "compare", "1", "2", "--signal", "heap/cor")
	a.says("FIRST", "run", "compare", "1", "2", "--signal", "heap/core")
	for ending, begins := range map[string]string{".html": "<!", ".pdf": "%PDF-", ".csv": ""} {
		path := filepath.Join(t.TempDir(), "report"+ending)
		a.must("run", "report", "1", path)
		if text, err := os.ReadFile(path); err != nil || !strings.HasPrefix(string(text), begins) || len(text) < 100 {
			t.Errorf("%s: %v, %q", ending, err, text[:min(20, len(text))])
		}
	}
	a.must("run", "plan", "add", "night", "--asset", "compost", "--hours", "daily 22:00-06:00")
	a.says("daily 22:00-06:00", "run", "plan", "list")
	a.refused(2, "start", "run", "plan", "add", "firing", "--asset", "compost", "--signal", "heap/core", "--start",
		"abov 40")
	a.says("'jaunty run plan bring-back night'", "run", "plan", "remove", "night")
	a.must("run", "plan", "bring-back", "night")
	a.says("Plan night starts and ends runs of compost", "run", "plan", "set", "night", "--hours", "daily 21:00-06:00")
	a.refused(1, "did you mean night?", "run", "plan", "set", "nigt", "--hours", "daily 21:00-06:00")
	a.refused(1, "there is a plan night already", "run", "plan", "add", "night", "--asset", "compost")
	a.must("run", "plan", "remove", "night")
	a.must("run", "remove", "1")
	a.refused(1, "1", "run", "show", "1")
}

// A backup has the assets, their photos, the frames and the runs; what is restored is told in the same words.
func TestABackupHasAssetsFramesAndRuns(t *testing.T) {
	storetest.Long(t)
	p, database, second := newPerson(t), storetest.URL(t), storetest.Bare(t)
	d := p.start([]string{"JAUNTY_PASSWORD=a long secret", "JAUNTY_OWNER=o@b.example"}, "serve", "--database", database,
		"--http", "127.0.0.1:0")
	p.login(d.URL, "o@b.example", "a long secret")
	a := asked{p, t}
	p.must("device", "add", "eye")
	p.must("frame", "send", "eye", a.file("one.csv", []byte("20,21,22\n23,24,25\n")), "--at", "10m")
	p.must("frame", "set", "eye", "--region", "right rectangle 2,0 3,2 over 21", "--emissivity", "0.9")
	p.must("asset", "add", "kiln", "--signal", "eye", "--note", "Hot.")
	var photo bytes.Buffer
	if err := jpeg.Encode(&photo, image.NewGray(image.Rect(0, 0, 60, 40)), nil); err != nil {
		t.Fatal(err)
	}
	p.must("asset", "file", "add", "kiln", a.file("kiln.jpg", photo.Bytes()))
	p.must("run", "start", "kiln", "First", "--at", "20m", "--until", "5m", "--goal", "eye/highest reaches 25")
	p.must("run", "plan", "add", "firing", "--asset", "kiln", "--signal", "eye/highest", "--start", "above 40")
	told := func() (all []string) {
		csv := filepath.Join(t.TempDir(), "back.csv")
		p.must("frame", "export", "eye", csv, "--as-sent")
		text, err := os.ReadFile(csv)
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, string(text))
		for _, line := range []string{"frame list eye", "frame show eye", "asset list", "asset show kiln", "run show 1",
			"run plan list"} {
			all = append(all, p.must(strings.Fields(line)...))
		}
		return all
	}
	before := told()
	file := filepath.Join(p.home, "all.backup")
	p.must("backup", file, "--database", database)
	p.must("restore", file, "--database", second)
	d = p.start(nil, "serve", "--database", second, "--http", "127.0.0.1:0")
	p.login(d.URL, "o@b.example", "a long secret")
	for i, text := range told() {
		if text != before[i] {
			t.Errorf("restored it is\n%s\nnot\n%s", text, before[i])
		}
	}
	p.must("asset", "add", "next") // numbers go on after those that were restored
	p.must("run", "start", "next", "Second")
}
