package web

import (
	"bytes"
	"compress/gzip"
	"crypto/rand"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
	"sync"

	"github.com/labstack/echo/v5"

	"jauntylark/console"
)

// nonceMark stands in index.html where each answer's own nonce goes.
const nonceMark = "__NONCE__"

// packs are the console's scripts and styles, packed when they are first asked for.
type packs struct {
	files fs.FS
	kept  sync.Map // by name: []byte, nil when packing gains nothing
}

func (p *packs) of(name string) []byte {
	if kept, found := p.kept.Load(name); found {
		return kept.([]byte)
	}
	var packed []byte
	if body, err := fs.ReadFile(p.files, name); err == nil && (path.Ext(name) == ".js" || path.Ext(name) == ".css") {
		var out bytes.Buffer
		w := gzip.NewWriter(&out)
		_, _ = w.Write(body)
		_ = w.Close()
		packed = out.Bytes()
	}
	p.kept.Store(name, packed)
	return packed
}

// serveConsole answers with the console's files, and with its one page for every other path that is
// not the API's.
func (v *Server) serveConsole() {
	files := console.Files()
	packs := &packs{files: files}
	page, err := fs.ReadFile(files, "index.html")
	if err != nil {
		page = []byte("<!doctype html><title>Jaunty Lark</title><p>This binary was built without the console; build " +
			"it with make build.")
	}
	v.Echo.Match([]string{http.MethodGet, http.MethodHead}, "/*", func(c *echo.Context) error {
		name := strings.TrimPrefix(path.Clean("/"+c.Param("*")), "/")
		if strings.HasPrefix(name, "api/") || strings.HasPrefix(name, "health/") {
			return echo.ErrNotFound
		}
		if info, err := fs.Stat(files, name); err == nil && !info.IsDir() && name != "index.html" {
			if strings.HasPrefix(name, "files/") { // their names change with their contents
				c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
				if body := packs.of(name); body != nil && strings.Contains(c.Request().Header.Get("Accept-Encoding"),
					"gzip") {
					c.Response().Header().Set("Content-Encoding", "gzip")
					return c.Blob(http.StatusOK, mime.TypeByExtension(path.Ext(name)), body)
				}
			}
			http.ServeFileFS(c.Response(), c.Request(), files, name)
			return nil
		}
		if strings.HasPrefix(name, "files/") {
			return echo.ErrNotFound
		}
		nonce := rand.Text()
		h := c.Response().Header()
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-"+nonce+
			"'; img-src 'self' data:; font-src 'self'; "+
			"connect-src 'self'; manifest-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
		h.Set("Cache-Control", "no-store")
		return c.HTML(http.StatusOK, strings.ReplaceAll(string(page), nonceMark, nonce))
	})
}
