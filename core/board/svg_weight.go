package board

import (
	"encoding/xml"
	"errors"
	"fmt"
	"strings"
)

// mostDrawn is how many parts a picture may have when all that it draws again is counted as often as it is drawn: parts
// of parts multiply (`use` of `use`, patterns in patterns, a marker at each corner of a line).
const mostDrawn = 200_000

// part is one element of an SVG, with what it draws besides itself.
type part struct {
	name     string
	children []*part
	again    string   // what a use draws
	refs     []string // what it is filled, marked, masked or clipped with; its children inherit them
	corners  int      // where markers come
	weight   *weight  // once it is known
	visiting bool
}

// weight is how many parts are drawn for one: own, and for each part of cost with which something around it is filled
// or marked perPart more.
type weight struct{ own, perPart int }

// newPart reads what an element draws, of the attributes that it may keep.
func newPart(name string, attributes []xml.Attr) *part {
	p := &part{name: name, corners: 1}
	for _, a := range attributes {
		switch {
		case a.Name.Local == "href" && name == "use":
			p.again = strings.TrimPrefix(a.Value, "#")
		case a.Name.Local == "href": // a gradient or pattern made of another
			p.refs = append(p.refs, strings.TrimPrefix(a.Value, "#"))
		case a.Name.Local == "d" || a.Name.Local == "points":
			p.corners = 1 + len(a.Value)/4
		case inside.MatchString(strings.TrimSpace(a.Value)):
			p.refs = append(p.refs, strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(a.Value), "url(#"), ")"))
		}
	}
	return p
}

// weigh counts what a part draws, among the parts by their ids. The error says that parts draw themselves, or that
// there are too many.
func (p *part) weigh(byID map[string]*part) (weight, error) {
	if p.weight != nil {
		return *p.weight, nil
	}
	if p.visiting {
		return weight{}, errors.New("its parts draw themselves")
	}
	p.visiting = true
	defer func() { p.visiting = false }()
	w, inner := weight{own: 1, perPart: p.corners}, weight{}
	for _, c := range p.children {
		of, err := c.weigh(byID)
		if err != nil {
			return w, err
		}
		inner.own, inner.perPart = bounded(inner.own+of.own), bounded(inner.perPart+of.perPart)
	}
	if target := byID[p.again]; p.again != "" && target != nil {
		of, err := target.weigh(byID)
		if err != nil {
			return w, err
		}
		inner.own, inner.perPart = bounded(inner.own+of.own), bounded(inner.perPart+of.perPart)
	}
	for _, ref := range p.refs {
		target := byID[ref]
		if target == nil {
			continue
		}
		of, err := target.weigh(byID)
		if err != nil {
			return w, err
		}
		w.own = bounded(w.own + of.own*(p.corners+inner.perPart))
	}
	w.own, w.perPart = bounded(w.own+inner.own), bounded(w.perPart+inner.perPart)
	if w.own > mostDrawn {
		return w, fmt.Errorf("it is too large: with what it draws again it has more than %d thousand parts",
			mostDrawn/1000)
	}
	p.weight = &w
	return w, nil
}

// bounded keeps counts from running over.
func bounded(n int) int { return min(n, 1<<30) }
