package server

import (
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/store"
)

// serveArchive streams the whole site, without secrets.
func (v *Server) serveArchive(c *echo.Context) error {
	ctx := c.Request().Context()
	here, err := v.store.Site(ctx)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", api.ArchiveType)
	h.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", site.NameFrom(here.Name)+".site.gz"))
	c.Response().WriteHeader(http.StatusOK)
	packed, err := gzip.NewWriterLevel(c.Response(), gzip.BestSpeed)
	if err == nil {
		_, err = v.store.Archive(ctx, packed, false, v.pipeline.Now(), func(string, int64) {})
	}
	if err = errors.Join(err, packed.Close()); err != nil {
		v.Log.Warn("an archive was cut off", "error", err)
		panic(http.ErrAbortHandler)
	}
	return nil
}

// takeArchive fills an empty service from an archive.
func (v *Server) takeArchive(c *echo.Context) error {
	person := personOf(c.Request().Context())
	if err := v.imports.reserve(person.ID); err != nil {
		return err
	}
	defer v.imports.unreserve(person.ID)
	// It arrives in full first: the service stands still while it is filled.
	file, _, err := takeUpload(c, "jaunty-archive-")
	if err != nil {
		return err
	}
	defer file.Close()
	m, err := v.loadArchive(c, file)
	if errors.Is(err, store.ErrNotEmpty) {
		err = huma.Error409Conflict("The service is not empty: it has devices already. An archive goes into an empty one.")
	}
	if err != nil {
		return err
	}
	v.Log.Info("an archive was taken in", "site", m.Site, "readings", m.Stamp.Readings, "by", person.Email)
	v.learn(c.Request().Context())
	return c.JSON(http.StatusOK, api.Restored{Site: m.Site, Readings: strconv.Itoa(m.Stamp.Readings)})
}

func (v *Server) loadArchive(c *echo.Context, file io.Reader) (store.Manifest, error) {
	packed, err := gzip.NewReader(file)
	if err != nil {
		return store.Manifest{}, wrong("file", "is no archive of a site: "+err.Error())
	}
	return v.store.Load(c.Request().Context(), packed, func(string, int64) {})
}
