package readings

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strconv"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/exchange"
	"jauntylark/history"
	"jauntylark/pipeline/reading"
	"jauntylark/server/place"
	"jauntylark/server/web"
	"jauntylark/store"
	"jauntylark/store/archive"
	"jauntylark/store/config"
)

// receiveArchive fills an empty service from an archive.
func (u *imports) receiveArchive(v *web.Server, c *echo.Context) error {
	person := web.PersonOf(c.Request().Context())
	if err := u.reserve(person.ID); err != nil {
		return err
	}
	defer u.unreserve(person.ID)
	// It arrives in full first: the service stands still while it is filled.
	file, _, err := receiveUpload(c, "jaunty-archive-")
	if err != nil {
		return err
	}
	defer file.Close()
	m, err := loadArchive(v, c, file)
	if errors.Is(err, archive.ErrNotEmpty) {
		err = huma.Error409Conflict(
			"The service is not empty: it has devices already. An archive goes into an empty one.")
	}
	if err != nil {
		return err
	}
	v.Log.Info("an archive was taken in", "site", m.Site, "readings", m.Stamp.Readings, "by", person.Email)
	place.LearnDevice(c.Request().Context(), v)
	return c.JSON(http.StatusOK, api.Restored{Site: m.Site, Readings: strconv.Itoa(m.Stamp.Readings)})
}

// importsOperations has the operations of this file answered.
func importsOperations(v *web.Server) {
	m := &imports{jobs: map[string]*importJob{}, open: map[int64]int{}}
	web.Answer(v, api.GetImport, m.getImport)
	web.Answer(v, api.RunImport, m.runImport)
	web.Carry(v, api.EndImport, m.endImport)
	web.AnswerFile(v, api.BringImport.Operation, m.serveImport)
	web.AnswerFile(v, api.GetArchive.Operation, serveArchive)
	web.AnswerFile(v, api.PutArchive.Operation, m.receiveArchive)
}

const (
	importsAtMost  = 8 // that are open at once, those that are on their way included
	importsOfOne   = 3 // the same of one person
	importLargest  = 8 << 30
	importForgotAt = time.Hour // after nobody has asked for so long
	guessFrom      = 256 << 10
)

// imports are the files that wait or are under way in this process.
type imports struct {
	mu   sync.Mutex
	jobs map[string]*importJob
	open map[int64]int // by person, those that are on their way included
}

type importJob struct {
	api.ImportJob
	file   *os.File
	person int64
	asked  time.Time
}

// reserve makes room for an import of a person before it is brought.
func (m *imports) reserve(person int64) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.tidy()
	all := 0
	for _, n := range m.open {
		all += n
	}
	switch {
	case m.open[person] >= importsOfOne:
		return huma.Error429TooManyRequests(fmt.Sprintf("You have %d imports open already; end one, or wait an hour.",
			importsOfOne))
	case all >= importsAtMost:
		return huma.Error429TooManyRequests(fmt.Sprintf("%d imports are open already; end one, or wait an hour.",
			importsAtMost))
	}
	m.open[person]++
	return nil
}

func (m *imports) unreserve(person int64) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.left(person)
}

// left gives room back. It must be locked.
func (m *imports) left(person int64) {
	if m.open[person]--; m.open[person] <= 0 {
		delete(m.open, person)
	}
}

// find gives the job of an id.
func (m *imports) find(id string) (*importJob, error) {
	j := m.jobs[id]
	if j == nil {
		return nil, huma.Error404NotFound(
			fmt.Sprintf(
				"There is no import %q here; it is forgotten an hour after the last look. Bring the file again.", id))
	}
	j.asked = time.Now()
	return j, nil
}

// tidy forgets what nobody has asked for.
func (m *imports) tidy() {
	for id, j := range m.jobs {
		if busy := j.State == "trying" || j.State == "running"; !busy && time.Since(j.asked) > importForgotAt {
			j.file.Close()
			delete(m.jobs, id)
			m.left(j.person)
		}
	}
}

// serveImport takes a file in: the body, named by the parameter name, of the device named by device.
func (m *imports) serveImport(v *web.Server, c *echo.Context) error {
	person := web.PersonOf(c.Request().Context())
	if err := m.reserve(person.ID); err != nil {
		return err
	}
	j, err := m.receiveFile(v, c, person.ID)
	if err != nil {
		m.unreserve(person.ID)
		return err
	}
	return c.JSON(http.StatusCreated, j)
}

func (m *imports) receiveFile(v *web.Server, c *echo.Context, person int64) (*api.ImportJob, error) {
	file, size, err := receiveUpload(c, "jaunty-import-")
	if err != nil {
		return nil, err
	}
	id, _ := web.NewSecret(10)
	j := &importJob{file: file, person: person, asked: time.Now(),
		ImportJob: api.ImportJob{ID: id, Name: c.QueryParam("name"), Size: size, State: "guessed", First: [][]string{}}}
	keep := false
	defer func() {
		if !keep {
			file.Close()
		}
	}()
	start := make([]byte, min(j.Size, guessFrom))
	if _, err := file.ReadAt(start, 0); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	signals, err := config.Signals(c.Request().Context(), v.Store)
	if err != nil {
		return nil, err
	}
	layout, first, err := exchange.Guess(start, j.Name, c.QueryParam("device"), signals)
	if err != nil {
		return nil, err
	}
	j.Layout, j.Zoned = layout, layout.Zoned()
	if len(first) > 6 {
		first = first[:6]
	}
	if first != nil {
		j.First = first
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	m.jobs[j.ID], keep = j, true
	job := j.ImportJob
	return &job, nil
}

func (m *imports) getImport(_ context.Context, v *web.Server, in *api.ImportPath) (api.ImportJob, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	j, err := m.find(in.ID)
	if err != nil {
		return api.ImportJob{}, err
	}
	return j.ImportJob, nil
}

func (m *imports) runImport(ctx context.Context, v *web.Server, in *api.RunImportIn) (api.ImportJob, error) {
	if in.Body.Layout.Zone == "site" {
		here, err := config.Site(ctx, v.Store)
		if err != nil {
			return api.ImportJob{}, err
		}
		in.Body.Layout.Zone = here.Zone
	}
	if err := in.Body.Layout.Check(); err != nil {
		return api.ImportJob{}, err
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	j, err := m.find(in.ID)
	if err != nil {
		return api.ImportJob{}, err
	}
	if j.State == "trying" || j.State == "running" {
		return api.ImportJob{}, huma.Error409Conflict("This import is under way already.")
	}
	if j.Layout, j.State = in.Body.Layout, "running"; in.Body.Try {
		j.State = "trying"
	}
	j.Outcome, j.Error, j.Read = nil, "", 0
	called := web.Who(ctx).Called
	v.Working.Go(func() { m.carryOut(store.For(v.Work, store.Background), v, j, in.Body, called) })
	return j.ImportJob, nil
}

// carryOut runs an import to its end.
func (m *imports) carryOut(ctx context.Context, v *web.Server, j *importJob, o api.ImportOrder, called string) {
	counting := &countingFile{File: j.file}
	run := history.Import{Upkeep: v.Upkeep, Layout: o.Layout, Try: o.Try, Replace: o.Replace,
		Told: func(so exchange.Imported) {
			so = so.Copy()
			m.mu.Lock()
			defer m.mu.Unlock()
			j.Outcome, j.asked = &so, time.Now()
			j.Read = min(1, float64(counting.read)/float64(max(1, j.Size)))
		}}
	outcome, err := run.Run(ctx, counting, j.Size)
	if err == nil && !o.Try && outcome.Added+outcome.Replaced > 0 {
		err = enterImport(ctx, v, j.Name, outcome, called)
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	var fault *measure.Fault
	switch {
	case errors.As(err, &fault):
		j.State, j.Error = "failed", fault.Field+": "+fault.Reason
	case err != nil:
		v.Log.Warn("an import failed", "error", err)
		j.State, j.Error = "failed",
			"The service could not go on; its log says why. What is stored stays, and is not stored twice when you "+
				"begin again."
	case o.Try:
		j.State = "tried"
	default:
		j.State = "done"
	}
	j.Read = 1
}

func (m *imports) endImport(_ context.Context, v *web.Server, in *api.ImportPath) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	j, err := m.find(in.ID)
	if err != nil {
		return err
	}
	if j.State == "trying" || j.State == "running" {
		return huma.Error409Conflict("This import is under way.")
	}
	delete(m.jobs, in.ID)
	m.left(j.person)
	return j.file.Close()
}

// countingFile counts what is read in order.
type countingFile struct {
	*os.File
	read int64
}

func (f *countingFile) Read(p []byte) (int, error) {
	n, err := f.File.Read(p)
	f.read += int64(n)
	return n, err
}

// enterImport enters an import into the journal.
func enterImport(ctx context.Context, v *web.Server, name string, got exchange.Imported, called string) error {
	return v.Pipeline.Do(ctx, func(t *reading.Turn) error {
		return t.Enter("readings imported", name, called, fmt.Sprintf("Imported from %s: %s of %s", name,
			prose.Count(got.Added+got.Replaced, "reading", "readings"),
			prose.Count(len(got.Signals), "signal", "signals")))
	})
}
