package board

import (
	"bytes"
	"cmp"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// What an SVG (W3C SVG 1.1) may hold here: shapes, text, gradients and what groups them. Everything else, scripts,
// style sheets, foreign content, links, animation and references to anywhere else, is left out.
var (
	svgElements = words(`svg g defs symbol use title desc path rect circle ellipse line polyline polygon text tspan
		linearGradient radialGradient stop clipPath mask pattern marker`)
	svgAttributes = words(`id class transform viewBox preserveAspectRatio width height x y x1 y1 x2 y2 cx cy r rx ry dx dy d points
		fx fy offset gradientUnits gradientTransform spreadMethod patternUnits patternContentUnits patternTransform
		clipPathUnits maskUnits markerWidth markerHeight markerUnits refX refY orient pathLength textLength lengthAdjust rotate
		fill fill-opacity fill-rule stroke stroke-width stroke-opacity stroke-linecap stroke-linejoin stroke-miterlimit
		stroke-dasharray stroke-dashoffset opacity color stop-color stop-opacity clip-path clip-rule mask marker-start marker-mid marker-end
		font-family font-size font-weight font-style letter-spacing text-anchor dominant-baseline vector-effect paint-order visibility display overflow`)
	// Inside of the picture alone: url(#name).
	inside = regexp.MustCompile(`^url\(#[\w-]+\)$`)
)

const (
	svgSpace      = "http://www.w3.org/2000/svg"
	xlinkSpace    = "http://www.w3.org/1999/xlink"
	mostElements  = 20_000
	mostUses      = 200 // a picture may draw its parts again so often
	mostDepth     = 100
	svgWithoutBox = 300 // the size of an SVG that tells none
)

func words(text string) map[string]bool {
	all := map[string]bool{}
	for _, w := range strings.Fields(text) {
		all[w] = true
	}
	return all
}

func looksLikeSVG(body []byte) bool {
	start := bytes.TrimLeft(bytes.TrimPrefix(body[:min(len(body), 4096)], []byte("\xef\xbb\xbf")), " \t\r\n")
	return bytes.HasPrefix(start, []byte("<")) && bytes.Contains(start, []byte("<svg"))
}

// safeSVG writes an SVG anew with what is allowed alone, and tells its size.
func safeSVG(body []byte) (safe []byte, width, height int, err error) {
	in := xml.NewDecoder(bytes.NewReader(body))
	in.Entity = map[string]string{} // none but XML's own: they cannot multiply
	var out bytes.Buffer
	w := svgWriter{out: &out, byID: map[string]*part{}}
	for {
		token, err := in.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, 0, 0, fmt.Errorf("it is no SVG that can be read here: %w", err)
		}
		if err := w.write(token); err != nil {
			return nil, 0, 0, err
		}
	}
	if w.count == 0 {
		return nil, 0, 0, errors.New("it holds no picture")
	}
	if _, err := w.root.weigh(w.byID); err != nil {
		return nil, 0, 0, err
	}
	return out.Bytes(), w.width, w.height, nil
}

// svgWriter writes the allowed part of what it takes.
type svgWriter struct {
	out           *bytes.Buffer
	open          []string
	left          int // depth inside of something that is left out
	count, uses   int
	width, height int
	root          *part
	parts         []*part // that are open
	byID          map[string]*part
}

func (w *svgWriter) write(token xml.Token) error {
	switch t := token.(type) {
	case xml.StartElement:
		if w.left > 0 || !w.allows(&t) {
			w.left++
			return nil
		}
		return w.start(&t)
	case xml.EndElement:
		if w.left > 0 {
			w.left--
			return nil
		}
		last := len(w.open) - 1
		fmt.Fprintf(w.out, "</%s>", w.open[last])
		w.open, w.parts = w.open[:last], w.parts[:last]
	case xml.CharData:
		if w.left == 0 && len(w.open) > 0 && slices.Contains([]string{"text", "tspan", "title", "desc"},
			w.open[len(w.open)-1]) {
			return xml.EscapeText(w.out, t)
		}
	}
	return nil
}

func (w *svgWriter) allows(t *xml.StartElement) bool {
	return svgElements[t.Name.Local] && (t.Name.Space == svgSpace || t.Name.Space == "") &&
		(len(w.open) > 0 || t.Name.Local == "svg")
}

func (w *svgWriter) start(t *xml.StartElement) error {
	w.count++
	if t.Name.Local == "use" {
		w.uses++
	}
	if w.count > mostElements || w.uses > mostUses || len(w.open) > mostDepth {
		return fmt.Errorf(
			"it is too large: a picture has %d parts, %d of them drawn again, %d inside of each other at most",
			mostElements, mostUses, mostDepth)
	}
	fmt.Fprintf(w.out, "<%s", t.Name.Local)
	if len(w.open) == 0 {
		w.measure(t.Attr)
		fmt.Fprintf(w.out, ` xmlns=%q width="%d" height="%d"`, svgSpace, w.width, w.height)
	}
	var all []xml.Attr
	for _, a := range t.Attr {
		if len(w.open) == 0 && (a.Name.Local == "width" || a.Name.Local == "height") {
			continue
		}
		for _, kept := range safeAttributes(a, t.Name.Local) {
			fmt.Fprintf(w.out, ` %s="`, kept.Name.Local)
			if err := xml.EscapeText(w.out, []byte(kept.Value)); err != nil {
				return err
			}
			w.out.WriteByte('"')
			all = append(all, kept)
		}
	}
	w.out.WriteByte('>')
	w.grow(newPart(t.Name.Local, all), all)
	w.open = append(w.open, t.Name.Local)
	return nil
}

// grow puts a part into the tree.
func (w *svgWriter) grow(p *part, attributes []xml.Attr) {
	if last := len(w.parts) - 1; last >= 0 {
		w.parts[last].children = append(w.parts[last].children, p)
	} else if w.root == nil {
		w.root = p
	}
	w.parts = append(w.parts, p)
	for _, a := range attributes {
		if a.Name.Local == "id" && w.byID[a.Value] == nil {
			w.byID[a.Value] = p
		}
	}
}

// safeAttributes gives what may stay of an attribute; a style becomes the attributes that it sets.
func safeAttributes(a xml.Attr, element string) (kept []xml.Attr) {
	name := a.Name.Local
	switch {
	case name == "href" && (a.Name.Space == "" || a.Name.Space == xlinkSpace):
		if (element == "use" || strings.HasSuffix(element, "Gradient") || element == "pattern") &&
			strings.HasPrefix(a.Value, "#") {
			return []xml.Attr{{Name: xml.Name{Local: "href"}, Value: a.Value}}
		}
	case a.Name.Space != "":
	case name == "style":
		for _, rule := range strings.Split(a.Value, ";") {
			property, value, _ := strings.Cut(rule, ":")
			kept = append(kept, safeAttributes(xml.Attr{Name: xml.Name{Local: strings.TrimSpace(property)},
				Value: strings.TrimSpace(value)}, element)...)
		}
	case svgAttributes[name] && harmless(a.Value):
		return []xml.Attr{{Name: xml.Name{Local: name}, Value: a.Value}}
	}
	return kept
}

// harmless tells whether a value points nowhere outside of the picture.
func harmless(value string) bool {
	lower := strings.ToLower(value)
	if strings.Contains(lower, "url") {
		return inside.MatchString(strings.TrimSpace(value))
	}
	return !strings.Contains(lower, "script:") && !strings.Contains(lower, "\\")
}

// measure reads the size of the whole: of its viewBox, else of its width and height.
func (w *svgWriter) measure(attributes []xml.Attr) {
	number := func(text string) float64 {
		v, err := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(text), "px"), 64)
		if err != nil || !(v > 0) || v > 1e6 {
			return 0
		}
		return v
	}
	wide, tall := 0.0, 0.0
	for _, a := range attributes {
		switch a.Name.Local {
		case "width":
			wide = cmp.Or(wide, number(a.Value))
		case "height":
			tall = cmp.Or(tall, number(a.Value))
		case "viewBox":
			if box := strings.FieldsFunc(a.Value, func(r rune) bool { return r == ' ' || r == ',' }); len(box) == 4 &&
				number(box[2]) > 0 && number(box[3]) > 0 {
				wide, tall = number(box[2]), number(box[3])
			}
		}
	}
	if wide == 0 || tall == 0 {
		wide, tall = svgWithoutBox, svgWithoutBox/2
	}
	// Shown as wide as there is room, so it is the shape that counts.
	scale := min(1, mostSide/max(wide, tall))
	w.width, w.height = int(math.Max(1, math.Round(wide*scale))), int(math.Max(1, math.Round(tall*scale)))
}
