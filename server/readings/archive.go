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
	"jauntylark/store/archive"
	"jauntylark/store/config"
)

// serveArchive streams the whole site, without secrets.
func serveArchive(v *web.Server, c *echo.Context) error {
	ctx := c.Request().Context()
	here, err := config.Site(ctx, v.Store)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", api.ArchiveType)
	h.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", site.NameFrom(here.Name)+".site.gz"))
	c.Response().WriteHeader(http.StatusOK)
	packed, err := gzip.NewWriterLevel(c.Response(), gzip.BestSpeed)
	if err == nil {
		_, err = archive.Archive(ctx, v.Store, packed, false, v.Pipeline.Now(), func(string, int64) {})
	}
	if err = errors.Join(err, packed.Close()); err != nil {
		v.Log.Warn("an archive was cut off", "error", err)
		panic(http.ErrAbortHandler)
	}
	return nil
}

func loadArchive(v *web.Server, c *echo.Context, file io.Reader) (archive.Manifest, error) {
	packed, err := gzip.NewReader(file)
	if err != nil {
		return archive.Manifest{}, web.Wrong("file", "is no archive of a site: "+err.Error())
	}
	return archive.Load(c.Request().Context(), v.Store, packed, func(string, int64) {})
}
