package server

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/exchange"
	"jauntylark/history"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
)

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
		return huma.Error429TooManyRequests(fmt.Sprintf("You have %d imports open already; end one, or wait an hour.", importsOfOne))
	case all >= importsAtMost:
		return huma.Error429TooManyRequests(fmt.Sprintf("%d imports are open already; end one, or wait an hour.", importsAtMost))
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

// place gives the job of an id.
func (m *imports) find(id string) (*importJob, error) {
	j := m.jobs[id]
	if j == nil {
		return nil, huma.Error404NotFound(fmt.Sprintf("There is no import %q here; it is forgotten an hour after the last look. Bring the file again.", id))
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
func (v *Server) serveImport(c *echo.Context) error {
	person := personOf(c.Request().Context())
	if err := v.imports.reserve(person.ID); err != nil {
		return err
	}
	j, err := v.takeFile(c, person.ID)
	if err != nil {
		v.imports.unreserve(person.ID)
		return err
	}
	return c.JSON(http.StatusCreated, j)
}

func (v *Server) takeFile(c *echo.Context, person int64) (*api.ImportJob, error) {
	file, size, err := takeUpload(c, "jaunty-import-")
	if err != nil {
		return nil, err
	}
	id, _ := secret(10)
	j := &importJob{file: file, person: person, asked: time.Now(), ImportJob: api.ImportJob{ID: id, Name: c.QueryParam("name"), Size: size, State: "guessed", First: [][]string{}}}
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
	signals, err := v.store.Signals(c.Request().Context())
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
	v.imports.mu.Lock()
	defer v.imports.mu.Unlock()
	v.imports.jobs[j.ID], keep = j, true
	job := j.ImportJob
	return &job, nil
}

func (v *Server) getImport(_ context.Context, in *api.ImportPath) (api.ImportJob, error) {
	v.imports.mu.Lock()
	defer v.imports.mu.Unlock()
	j, err := v.imports.find(in.ID)
	if err != nil {
		return api.ImportJob{}, err
	}
	return j.ImportJob, nil
}

func (v *Server) runImport(ctx context.Context, in *api.RunImportIn) (api.ImportJob, error) {
	if in.Body.Layout.Zone == "site" {
		here, err := v.store.Site(ctx)
		if err != nil {
			return api.ImportJob{}, err
		}
		in.Body.Layout.Zone = here.Zone
	}
	if err := in.Body.Layout.Check(); err != nil {
		return api.ImportJob{}, err
	}
	v.imports.mu.Lock()
	defer v.imports.mu.Unlock()
	j, err := v.imports.find(in.ID)
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
	called := who(ctx).Called
	v.working.Go(func() { v.carryOut(store.For(v.work, store.Background), j, in.Body, called) })
	return j.ImportJob, nil
}

// carryOut runs an import to its end.
func (v *Server) carryOut(ctx context.Context, j *importJob, o api.ImportOrder, called string) {
	counting := &countingFile{File: j.file}
	run := history.Import{Keeper: v.keeper, Layout: o.Layout, Try: o.Try, Replace: o.Replace, Told: func(so exchange.Imported) {
		so = so.Copy()
		v.imports.mu.Lock()
		defer v.imports.mu.Unlock()
		j.Outcome, j.asked = &so, time.Now()
		j.Read = min(1, float64(counting.read)/float64(max(1, j.Size)))
	}}
	outcome, err := run.Run(ctx, counting, j.Size)
	if err == nil && !o.Try && outcome.Added+outcome.Replaced > 0 {
		err = v.enterImport(ctx, j.Name, outcome, called)
	}
	v.imports.mu.Lock()
	defer v.imports.mu.Unlock()
	var fault *measure.Fault
	switch {
	case errors.As(err, &fault):
		j.State, j.Error = "failed", fault.Field+": "+fault.Reason
	case err != nil:
		v.Log.Warn("an import failed", "error", err)
		j.State, j.Error = "failed", "The service could not go on; its log says why. What is stored stays, and is not stored twice when you begin again."
	case o.Try:
		j.State = "tried"
	default:
		j.State = "done"
	}
	j.Read = 1
}

func (v *Server) endImport(_ context.Context, in *api.ImportPath) error {
	v.imports.mu.Lock()
	defer v.imports.mu.Unlock()
	j, err := v.imports.find(in.ID)
	if err != nil {
		return err
	}
	if j.State == "trying" || j.State == "running" {
		return huma.Error409Conflict("This import is under way.")
	}
	delete(v.imports.jobs, in.ID)
	v.imports.left(j.person)
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
func (v *Server) enterImport(ctx context.Context, name string, got exchange.Imported, called string) error {
	return v.pipeline.Do(ctx, func(t *reading.Turn) error {
		return t.Enter("readings imported", name, called, fmt.Sprintf("Imported from %s: %s of %s", name, measure.Count(got.Added+got.Replaced, "reading", "readings"), measure.Count(len(got.Signals), "signal", "signals")))
	})
}
