package cli_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// logger writes a logger's file of n lines, a minute apart, that ended an hour ago.
func (p *person) logger(n int) string {
	p.t.Helper()
	var file bytes.Buffer
	file.WriteString("Time,T1 (°C),Door\n")
	from := time.Now().UTC().Truncate(time.Minute).Add(-time.Duration(n+60) * time.Minute)
	for i := range n {
		fmt.Fprintf(&file, "%s,%.1f,%s\n", from.Add(time.Duration(i)*time.Minute).Format("2006-01-02 15:04:05"),
			20+float64(i%50)/10, []string{"open", "closed"}[i%2])
	}
	name := filepath.Join(p.home, "logger.csv")
	if err := os.WriteFile(name, file.Bytes(), 0o600); err != nil {
		p.t.Fatal(err)
	}
	return name
}

// The life of a history by hand: in from a logger, looked at, out, cleared, put back, backed up, restored.
func TestAHistoryByHand(t *testing.T) {
	storetest.Long(t)
	p, database := newPerson(t), storetest.URL(t)
	d := p.start([]string{"JAUNTY_PASSWORD=a long secret"}, "serve", "--database", database, "--http", "127.0.0.1:0",
		"--owner", "o@b.example", "--seal-file", filepath.Join(p.home, "seal"))
	p.login(d.URL, "o@b.example", "a long secret")
	p.must("device", "add", "cellar")
	file := p.logger(7000)
	p.refused(2, "--zone", "import", file, "--device", "cellar", "--yes")
	p.refused(2, "no column", "import", file, "--device", "cellar", "--zone", "UTC", "--column", "T2=x")
	if out := p.must("import", file, "--device", "cellar", "--zone", "UTC", "--column", "T1 (°C)=air:Cel",
		"--try"); !strings.Contains(out, "14000 would be added") || !strings.Contains(out, "cellar/air") {
		t.Error(out)
	}
	if out := p.must("import", file, "--device", "cellar", "--zone", "UTC", "--column", "T1 (°C)=air:Cel",
		"--yes"); !strings.Contains(out, "14000 were added") {
		t.Error(out)
	}
	figures := get[[]api.PeriodFigures](p, "reading", "list", "cellar/air", "--since", "10d", "--every", "1d")
	n := 0
	for _, f := range figures {
		n += f.Count
	}
	if n != 7000 || len(figures) < 5 {
		t.Errorf("%d readings in %d days", n, len(figures))
	}
	if out := p.must("reading", "list", "cellar/air", "--since", "10d", "--every", "1d", "--show",
		"mean,high"); !strings.HasPrefix(out, "FROM                 MEAN") || !strings.Contains(out, "24.9") {
		t.Error(out)
	}
	p.refused(2, "did you mean mean?", "reading", "list", "cellar/air", "--every", "1d", "--show", "maen")
	if out := p.must("chart", "cellar/air", "cellar/door", "--since", "3d", "--width", "80"); strings.Count(out, "⠒")+
		strings.Count(out, "⣿")+strings.Count(out, "⡇") == 0 || !strings.Contains(out, "Cellar air: last") ||
		!strings.Contains(out, "Cellar door: now") {
		t.Error(out)
	}
	for suffix, magic := range map[string]string{"png": "\x89PNG", "svg": "<?xml"} {
		picture := filepath.Join(p.home, "c."+suffix)
		p.must("chart", "cellar/air", "--since", "3d", "--"+suffix, picture)
		if got, err := os.ReadFile(picture); err != nil || !bytes.HasPrefix(got, []byte(magic)) {
			t.Errorf("%s: %.20q %v", suffix, got, err)
		}
	}
	if s := get[api.Storage](p, "storage", "show"); s.Readings != 14_000 {
		t.Errorf("%+v", s)
	}
	if out := p.must("storage", "show"); !strings.Contains(out, "At this rate a year adds") ||
		!strings.Contains(out, "cellar/air") {
		t.Error(out)
	}
	if out := p.must("storage", "set", "--keep-readings", "365d"); !strings.Contains(out,
		"Readings are kept for 365d, figures for ever; alarms for 3653d, the journal for 1826d.") {
		t.Error(out)
	}
	before := filepath.Join(p.home, "before.csv")
	p.must("export", "cellar", "--file", before)
	p.refused(1, "is there already", "export", "cellar", "--file", before)
	p.refused(2, "says no format", "export", "cellar", "--file", filepath.Join(p.home, "x.txt"))
	p.refused(2, `--confirm "cellar"`, "reading", "remove", "cellar", "--without-data")
	p.refused(2, "--without-data", "reading", "remove", "cellar")
	cleared := get[site.Clearing](p, "reading", "remove", "cellar", "--export", filepath.Join(p.home, "kept.parquet"),
		"--confirm", "cellar")
	if cleared.Readings != 14_000 || cleared.State != site.ClearingCleared {
		t.Errorf("%+v", cleared)
	}
	if out := p.must("reading", "list", "cellar/air", "--since", "10d"); !strings.Contains(out, "No readings") {
		t.Error(out)
	}
	if out := p.must("removed", "list", "--kind", "readings"); !strings.Contains(out, "14000") {
		t.Error(out)
	}
	p.must("reading", "bring-back", fmt.Sprint(cleared.ID))
	p.sameAs(before, "cellar")

	p.backupAndRestore(database, before)
}

// sameAs compares an export with what was exported before.
func (p *person) sameAs(before string, what ...string) {
	p.t.Helper()
	after := before + ".after.csv"
	defer os.Remove(after)
	p.must(append([]string{"export", "--file", after}, what...)...)
	a, errA := os.ReadFile(before)
	b, errB := os.ReadFile(after)
	if errA != nil || errB != nil || !bytes.Equal(a, b) {
		p.t.Errorf("%d bytes, %d before: %v %v", len(b), len(a), errA, errB)
	}
}

// backupAndRestore makes a service of a backup that was taken while the first one ran.
func (p *person) backupAndRestore(database, before string) {
	t := p.t
	file, second := filepath.Join(p.home, "all.backup"), storetest.Bare(t)
	if out := p.must("backup", file, "--database", database, "--seal-file",
		filepath.Join(p.home, "seal")); !strings.Contains(out, "14000 readings") {
		t.Error(out)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", info, err)
	}
	whole, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	broken := filepath.Join(p.home, "broken.backup")
	whole[len(whole)/2] ^= 0x40
	if err := os.WriteFile(broken, whole, 0o600); err != nil {
		t.Fatal(err)
	}
	p.refused(1, "", "restore", broken, "--database", second, "--seal-file", filepath.Join(p.home, "seal2"))
	if left := ofOurs(t, second); left != 0 {
		t.Errorf("a refused restore left %d things in an empty database", left)
	}
	if out := p.must("restore", file, "--database", second, "--seal-file",
		filepath.Join(p.home, "seal2")); !strings.Contains(out, "14000 readings, each verified") {
		t.Error(out)
	}
	p.refused(1, "not empty", "restore", file, "--database", second)
	a, errA := os.ReadFile(filepath.Join(p.home, "seal"))
	b, errB := os.ReadFile(filepath.Join(p.home, "seal2"))
	if errA != nil || errB != nil || !bytes.Equal(a, b) {
		t.Error("the key file did not come with it:", errA, errB)
	}
	d := p.start(nil, "serve", "--database", second, "--http", "127.0.0.1:0")
	p.login(d.URL, "o@b.example", "a long secret") // the same password
	p.sameAs(before, "cellar")
}

// A connection that breaks is taken up again; a command that was killed goes on with --resume.
func TestAnExportOverABadLine(t *testing.T) {
	storetest.Long(t)
	s := servertest.Start(t)
	p := newPerson(t)
	target, err := url.Parse(s.URL)
	if err != nil {
		t.Fatal(err)
	}
	var budget atomic.Int64 // bytes that an export may bring before the line breaks
	budget.Store(1 << 50)
	proxy := httputil.NewSingleHostReverseProxy(target)
	proxy.ModifyResponse = func(r *http.Response) error {
		if r.Request.URL.Path == api.ExportReadings.At().Path && r.StatusCode == http.StatusOK {
			r.Body = &cutBody{r.Body, budget.Load()}
		}
		return nil
	}
	line := httptest.NewServer(proxy)
	defer line.Close()
	p.login(line.URL, servertest.Owner, servertest.Password)
	p.must("device", "add", "cellar")
	p.must("import", p.logger(20_000), "--device", "cellar", "--zone", "UTC", "--yes")
	whole := filepath.Join(p.home, "whole.csv")
	until := time.Now().UTC().Format(time.RFC3339)
	p.must("export", "cellar", "--file", whole, "--until", until)
	want, err := os.ReadFile(whole)
	if err != nil {
		t.Fatal(err)
	}
	budget.Store(int64(len(want)/3 + 7))
	parts := filepath.Join(p.home, "parts.csv")
	p.must("export", "cellar", "--file", parts, "--until", until)
	if got, err := os.ReadFile(parts); err != nil || !bytes.Equal(got, want) {
		t.Errorf("%d bytes over a line that broke, want %d: %v", len(got), len(want), err)
	}
	budget.Store(0) // nothing comes at all: it gives up, and tells how to go on
	other := filepath.Join(p.home, "other.csv")
	budget.Store(5000)
	ctx, stop := context.WithTimeout(context.Background(), 2*time.Second)
	defer stop()
	_ = p.command(ctx, "export", "cellar", "--file", other, "--until", until).Run()
	if part, err := os.ReadFile(other + ".part"); err != nil || len(part) == 0 || len(part) >= len(want) {
		t.Fatalf("%d bytes of a part: %v", len(part), err)
	}
	budget.Store(1 << 50)
	p.must("export", "cellar", "--file", other, "--resume")
	if got, err := os.ReadFile(other); err != nil || !bytes.Equal(got, want) {
		t.Errorf("%d bytes gone on with, want %d: %v", len(got), len(want), err)
	}
	p.refused(1, "nothing to go on with", "export", "cellar", "--file", filepath.Join(p.home, "never.csv"), "--resume")

	wrong := filepath.Join(p.home, "wrong.csv")
	if _, errs, code := p.run("export", "nowhere", "--file", wrong); code != 2 ||
		!strings.Contains(errs, "there is no device or signal nowhere") || strings.Contains(errs, "goes on with it") {
		t.Errorf("%d: %s", code, errs)
	}
	if left, err := filepath.Glob(wrong + "*"); err != nil || len(left) != 0 {
		t.Errorf("an export that never began leaves %v behind (%v)", left, err)
	}
}

// cutBody breaks off after some bytes.
type cutBody struct {
	body interface {
		Read([]byte) (int, error)
		Close() error
	}
	left int64
}

func (c *cutBody) Read(p []byte) (int, error) {
	if c.left <= 0 {
		return 0, fmt.Errorf("the line broke")
	}
	n, err := c.body.Read(p[:min(int64(len(p)), c.left)])
	c.left -= int64(n)
	return n, err
}

func (c *cutBody) Close() error { return c.body.Close() }

func TestHistoryCommandsThatAreWrong(t *testing.T) {
	s := servertest.Start(t)
	p := newPerson(t)
	p.login(s.URL, servertest.Owner, servertest.Password)
	p.must("device", "add", "cellar")
	p.must("send", "cellar/air=21.5", "cellar/open=true")
	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{2, "say which signals", []string{"chart"}},
		{2, "cellar", []string{"chart", "cellar"}},
		{1, "Did you mean cellar/air?", []string{"chart", "cellar/iar"}},
		{2, "not both", []string{"chart", "cellar/air", "--png", "x.png", "--svg", "x.svg"}},
		{2, "not after", []string{"chart", "cellar/air", "--since", "1h", "--until", "2h"}},
		{2, "neither a time", []string{"chart", "cellar/air", "--since", "yesterday"}},
		{2, "200 to 10000", []string{"chart", "cellar/air", "--png", "x.png", "--width", "10"}},
		{2, "did you mean cellar", []string{"export", "celar"}},
		{2, "7h", []string{"export", "cellar", "--every", "7h"}},
		{2, "--site takes", []string{"export", "cellar", "--site", "x.gz"}},
		{2, "SenML has readings", []string{"export", "cellar", "--every", "1h", "--format", "senml"}},
		{1, "no such file", []string{"import", "nothing.csv"}},
		{2, "takes FILE", []string{"import"}},
		{2, "not NAME=SIGNAL", []string{"import", p.logger(3), "--device", "cellar", "--zone", "UTC", "--column",
			"Door"}},
		{2, "one DEVICE", []string{"reading", "remove"}},
		{2, "one DEVICE", []string{"reading", "remove", "cellar", "--all"}},
		{2, "nothing to clear", []string{"reading", "remove", "cellar", "--until", "2020-01-01T00:00:00Z",
			"--without-data"}},
		{1, "no clearing 7", []string{"reading", "bring-back", "7"}},
		{2, "not a duration", []string{"storage", "set", "--keep-readings", "long"}},
		{2, "a day (1d) or more", []string{"storage", "set", "--keep-readings", "5m"}},
		{2, "a day (1d) or more", []string{"signal", "set", "cellar/air", "--keep-readings", "1h"}},
		{1, "no service runs", []string{"backup", "x.backup", "--data", p.home}},
		{1, "no service runs", []string{"sql", "--data", p.home}},
		{1, "is no backup", []string{"restore", p.logger(3), "--database", storetest.Bare(t)}},
		{2, "did you mean low", []string{"reading", "list", "cellar/air", "--every", "1h", "--show", "lo"}},
	} {
		p.refused(c.code, c.says, c.args...)
	}
	if out := p.must("reading", "remove", "cellar", "--try"); !strings.Contains(out,
		"2 readings of 2 signals would go") {
		t.Error(out)
	}
	if out := p.must("removed", "list", "--kind", "readings"); !strings.Contains(out, "Nothing was removed") {
		t.Error(out)
	}
	if out := p.must("export", "cellar/air", "--zone", "UTC"); strings.Count(out, "\n") != 2 ||
		!strings.Contains(out, "Z,cellar/air,21.5,,,") {
		t.Error(out)
	}
	if out := p.must("export", "--every", "1d"); !strings.HasPrefix(out,
		"at,signal,count,left_out,low,high,mean,held_mean,first,last,unit,until,cut\n") || strings.Count(out, "\n") != 3 {
		t.Error(out)
	}
}

// ofOurs counts what a database has that is not PostgreSQL's own.
func ofOurs(t *testing.T, database string) (n int) {
	t.Helper()
	db := sqlx.MustConnect("pgx", database)
	defer db.Close()
	if err := db.Get(&n, `select (select count(*) from pg_class
		where relnamespace = 'public'::regnamespace) + (select count(*) from pg_proc
		where pronamespace = 'public'::regnamespace)
		+ (select count(*) from pg_type where typnamespace = 'public'::regnamespace) + (select count(*)
		    from pg_namespace where nspname = 'analysis')`); err != nil {
		t.Fatal(err)
	}
	return n
}

// A restore that is refused leaves nothing behind, whether the folder was there before or not.
func TestARefusedRestoreLeavesNoFolder(t *testing.T) {
	storetest.Long(t)
	p := newPerson(t)
	broken := filepath.Join(p.home, "broken.backup")
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	_, _ = io.WriteString(w, "#{\"manifest\":{\"format\":1}}\nnonsense\n")
	w.Close()
	if err := os.WriteFile(broken, packed.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	parent := filepath.Join(p.home, "parent")
	if err := os.Mkdir(parent, 0o711); err != nil {
		t.Fatal(err)
	}
	for name, there := range map[string]bool{"a/b/data": false, "there": true} {
		data := filepath.Join(parent, name)
		if there {
			if err := os.Mkdir(data, 0o711); err != nil {
				t.Fatal(err)
			}
		}
		p.refused(1, "is no archive of a site", "restore", broken, "--data", data)
		left, err := os.ReadDir(data)
		if _, gone := os.Stat(filepath.Join(parent, "a")); there && (err != nil || len(left) > 0) || !there &&
			!os.IsNotExist(gone) {
			t.Errorf("%s: left %v %v", name, left, err)
		}
	}
}
