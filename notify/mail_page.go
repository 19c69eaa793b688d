package notify

import (
	"html/template"
	"regexp"
	"strings"

	"jauntylark/core/roster"
)

// chartID names the chart inside of a mail (RFC 2392).
const chartID = "last-hour"

// frameID names the thermal frame.
const frameID = "frame"

// tints are the colours that stand for severities, beside the word.
var tints = map[string]template.CSS{"critical": "#a61b1b", "warning": "#b4460e", "advisory": "#1d5f8a"}

var mailPage = template.Must(template.New("mail").Parse(`<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><title>{{.Subject}}</title></head>
<body style="margin:0;padding:20px 12px;background:#fffdf8;color:#1f2a37;font:16px/1.5 system-ui,sans-serif">
<div style="max-width:640px;margin:0 auto">
<h1 style="font-size:22px;line-height:1.25;margin:0 0 12px;padding-left:12px;border-left:5px solid {{.Tint}}">{{.Heading}}</h1>
{{range .Paragraphs}}<p style="margin:10px 0">{{range $i, $line := .}}{{if $i}}<br>{{end}}{{$line}}{{end}}</p>
{{end}}{{if .Button}}<p style="margin:20px 0"><a href="{{.Link}}" style="display:inline-block;background:#1d5f8a;color:#ffffff;text-decoration:none;font-weight:600;padding:12px 20px;border-radius:4px">{{.Button}}</a></p>
{{end}}{{if .Chart}}<p style="margin:16px 0"><img src="cid:last-hour" width="640" alt="The last hour, with the limit" style="max-width:100%;height:auto;border:1px solid #dde2e7"></p>
{{end}}{{if .Frame}}<p style="margin:16px 0"><img src="cid:frame" alt="The thermal frame of that moment" style="max-width:100%;height:auto;border:1px solid #dde2e7"></p>
{{end}}{{if .Foot}}<p style="margin:16px 0 0;color:#52606d">{{.Foot}}</p>
{{end}}</div>
</body>
</html>
`))

// figures finds figures with their units, which stay on one line.
var figures = regexp.MustCompile(`(\d) (\S)`)

// pageOf is a notice as a page.
func pageOf(n roster.Notice, chart, frame bool) (string, error) {
	said := struct {
		Subject, Heading, Link, Button, Foot string
		Tint                                 template.CSS
		Paragraphs                           [][]string
		Chart, Frame                         bool
	}{Subject: n.Subject, Heading: figures.ReplaceAllString(n.Subject, "$1\u00a0$2"), Link: n.Route.Link,
		Tint: "#8a9097", Chart: chart, Frame: frame}
	if tint, known := tints[string(n.Severity)]; known && n.Kind != roster.Return && n.Kind != roster.Taken {
		said.Tint = tint
	}
	if said.Link != "" {
		said.Button = "Look at it"
		if n.Kind == roster.Raise || n.Kind == roster.Worsen || n.Kind == roster.Hand {
			said.Button = "I have it"
		}
	}
	for part := range strings.SplitSeq(strings.TrimSpace(n.Text), "\n\n") {
		if said.Link != "" && strings.Contains(part, said.Link) { // the button says it
			continue
		}
		said.Paragraphs = append(said.Paragraphs, strings.Split(strings.TrimSpace(part), "\n"))
	}
	if last := len(said.Paragraphs) - 1; last > 0 && strings.HasSuffix(n.Text, ", watched by Jaunty Lark\n") {
		said.Foot, said.Paragraphs = said.Paragraphs[last][0], said.Paragraphs[:last]
	}
	var b strings.Builder
	err := mailPage.Execute(&b, said)
	return b.String(), err
}
