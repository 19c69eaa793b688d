package server

import (
	"crypto/rand"
	"io/fs"
	"net/http"
	"path"
	"strings"

	"github.com/labstack/echo/v5"

	"jauntylark/console"
)

// nonceMark stands in index.html where each answer's own nonce goes.
const nonceMark = "__NONCE__"

// serveConsole answers with the console's files, and with its one page for every other path that is
// not the API's.
func (v *Server) serveConsole() {
	files := console.Files()
	page, err := fs.ReadFile(files, "index.html")
	if err != nil {
		page = []byte("<!doctype html><title>Jaunty Lark</title><p>This binary was built without the console; build it with make build.")
	}
	v.echo.Match([]string{http.MethodGet, http.MethodHead}, "/*", func(c *echo.Context) error {
		name := strings.TrimPrefix(path.Clean("/"+c.Param("*")), "/")
		if strings.HasPrefix(name, "api/") || strings.HasPrefix(name, "health/") {
			return echo.ErrNotFound
		}
		if info, err := fs.Stat(files, name); err == nil && !info.IsDir() && name != "index.html" {
			if strings.HasPrefix(name, "assets/") { // their names change with their contents
				c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			http.ServeFileFS(c.Response(), c.Request(), files, name)
			return nil
		}
		if strings.HasPrefix(name, "assets/") {
			return echo.ErrNotFound
		}
		nonce := rand.Text()
		h := c.Response().Header()
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-"+nonce+"'; img-src 'self' data:; font-src 'self'; "+
			"connect-src 'self'; manifest-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
		h.Set("Cache-Control", "no-store")
		return c.HTML(http.StatusOK, strings.ReplaceAll(string(page), nonceMark, nonce))
	})
}
