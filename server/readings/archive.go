package readings

import (
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"net/http"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/server/web"
	"jauntylark/store"
)

// serveArchive streams the whole site, without secrets.
func serveArchive(v *web.Server, c *echo.Context) error {
	ctx := c.Request().Context()
	here, err := v.Store.Site(ctx)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", api.ArchiveType)
	h.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", site.NameFrom(here.Name)+".site.gz"))
	c.Response().WriteHeader(http.StatusOK)
	packed, err := gzip.NewWriterLevel(c.Response(), gzip.BestSpeed)
	if err == nil {
		_, err = v.Store.Archive(ctx, packed, false, v.Pipeline.Now(), func(string, int64) {})
	}
	if err = errors.Join(err, packed.Close()); err != nil {
		v.Log.Warn("an archive was cut off", "error", err)
		panic(http.ErrAbortHandler)
	}
	return nil
}

func loadArchive(v *web.Server, c *echo.Context, file io.Reader) (store.Manifest, error) {
	packed, err := gzip.NewReader(file)
	if err != nil {
		return store.Manifest{}, web.Wrong("file", "is no archive of a site: "+err.Error())
	}
	return v.Store.Load(c.Request().Context(), packed, func(string, int64) {})
}
