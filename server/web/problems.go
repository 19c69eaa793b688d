package web

import (
	"bytes"
	"html/template"
	"net/http"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
)

// problemsPage tells what kinds of problems the API answers with: all of them, or one.
var problemsPage = template.Must(template.New("problems").Parse(`<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>{{if .One}}{{.One.Title}}{{else}}Problems{{end}}</title>
<style>
:root { color-scheme: light dark; --paper: #fffdf8; --ink: #1f2a37; --soft: #52606d; --accent: #1d5f8a; }
@media (prefers-color-scheme: dark) { :root { --paper: #11161c; --ink: #e6e9ec; --soft: #a3adb8; --accent: #8cc4ea; } }
body { font: 17px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--paper); margin: 0 auto; max-width: 680px; padding: 32px 20px; }
h1 { font-size: 26px; line-height: 1.25; margin: 0 0 12px; text-wrap: balance; }
dl { display: grid; grid-template-columns: auto 1fr; gap: 8px 20px; }
dt { color: var(--soft); }
dd { margin: 0; }
ul { padding: 0; list-style: none; }
li { margin: 14px 0; }
a { color: var(--accent); }
code { font: 15px/1.5 ui-monospace, monospace; }
</style>
</head>
<body>
<main>
{{with .One}}<h1>{{.Title}}</h1>
<p>{{.When}}</p>
<dl>
<dt>What to do</dt><dd>{{.Do}}</dd>
<dt>Code</dt><dd>{{.Status}}</dd>
<dt>Type</dt><dd><code>{{.Type}}</code></dd>
</dl>
<p><a href="{{$.All}}">All problems</a></p>
{{else}}<h1>Problems that the API answers with</h1>
<ul>
{{range .Faults}}<li><a href="{{.Type}}">{{.Title}}</a> ({{.Status}})<br>{{.When}}</li>
{{end}}</ul>
{{end}}</main>
</body>
</html>
`))

// serveProblems answers with the page about a kind of problem, which its type refers to, or with the list of all.
func (v *Server) serveProblems(c *echo.Context) error {
	view := struct {
		One    *api.Fault
		Faults []api.Fault
		All    string
	}{Faults: api.Faults, All: api.ProblemsPath}
	if name := c.Param("name"); name != "" {
		for i := range api.Faults {
			if api.Faults[i].Name == name {
				view.One = &api.Faults[i]
			}
		}
		if view.One == nil {
			return echo.ErrNotFound
		}
	}
	var page bytes.Buffer
	if err := problemsPage.Execute(&page, view); err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Security-Policy",
		"default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'")
	return c.HTMLBlob(http.StatusOK, page.Bytes())
}
