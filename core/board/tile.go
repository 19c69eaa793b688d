package board

import (
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Tile is one thing on a tiling.
type Tile struct {
	ID      string           `json:"id,omitempty" required:"false" maxLength:"40" doc:"its own on the tiling; one is given when left out"`
	Kind    string           `json:"kind" enum:"value,bar,dial,lines,states,spread,table,total,journal,switch,frames,note,mimic"`
	Title   string           `json:"title,omitempty" required:"false" maxLength:"80" doc:"what it shows is told when left out"`
	X       int              `json:"x" required:"false" doc:"column of its left edge, from 0"`
	Y       int              `json:"y" required:"false" doc:"row of its upper edge, from 0"`
	W       int              `json:"w" required:"false" doc:"columns that it covers, of 12; with w and h left out it gets a place"`
	H       int              `json:"h" required:"false" doc:"rows that it covers"`
	Range   measure.Duration `json:"range,omitempty" required:"false" doc:"how far back it looks; as the board says when left out"`
	Series  []Series         `json:"series,omitempty" required:"false" nullable:"false" maxItems:"20" doc:"the signals that it shows"`
	Figure  string           `json:"figure,omitempty" required:"false" enum:",raw,mean,stretch" doc:"lines: all readings, the mean of each period, or its lowest to its highest; all readings when left out"`
	Every   measure.Duration `json:"every,omitempty" required:"false" doc:"lines: the period of mean and stretch: 1m, 1h or 1d" example:"3600"`
	Filled  bool             `json:"filled,omitempty" required:"false" doc:"lines: the area below is filled"`
	Profile bool             `json:"profile,omitempty" required:"false" doc:"spread: by the hour of the day, instead of how often each value comes"`
	Outputs []string         `json:"outputs,omitempty" required:"false" nullable:"false" maxItems:"12" doc:"switch: DEVICE/OUTPUT of each"`
	Total   string           `json:"total,omitempty" required:"false" doc:"total: its name"`
	By      string           `json:"by,omitempty" required:"false" enum:",day,week,month" doc:"total: the period that is shown against the one before; month when left out"`
	Device  string           `json:"device,omitempty" required:"false" doc:"frames: the device that sends them"`
	Text    string           `json:"text,omitempty" required:"false" maxLength:"20000" doc:"note: Markdown"`
	Picture int64            `json:"picture,omitempty" required:"false" doc:"mimic: number of the picture"`
	Pins    []Pin            `json:"pins,omitempty" required:"false" nullable:"false" maxItems:"120" doc:"mimic: what is pinned to the picture"`
}

// Series is one signal on a tile.
type Series struct {
	Signal string `json:"signal" doc:"DEVICE/SIGNAL"`
	Title  string `json:"title,omitempty" required:"false" maxLength:"80" doc:"what it is called here"`
	Colour int    `json:"colour,omitempty" required:"false" minimum:"0" maximum:"8" doc:"one of the eight colours for lines; 0: the next"`
}

// Pin is one thing at a place of a picture.
type Pin struct {
	X      float64 `json:"x" minimum:"0" maximum:"1" doc:"place from the left edge of the picture, as a part of its width"`
	Y      float64 `json:"y" minimum:"0" maximum:"1" doc:"place from its upper edge, as a part of its height"`
	Kind   string  `json:"kind" enum:"value,lamp,bar,label,board"`
	Signal string  `json:"signal,omitempty" required:"false" doc:"DEVICE/SIGNAL whose state it shows"`
	Output string  `json:"output,omitempty" required:"false" doc:"lamp: DEVICE/OUTPUT whose state it shows, in place of a signal"`
	Board  string  `json:"board,omitempty" required:"false" doc:"board: the one that it opens, whose worst alarm it shows"`
	Text   string  `json:"text,omitempty" required:"false" maxLength:"80"`
	Shape  string  `json:"shape,omitempty" required:"false" enum:",round,square,diamond,triangle,pill" doc:"lamp: round when left out"`
	Size   string  `json:"size,omitempty" required:"false" enum:",small,medium,large" doc:"medium when left out"`
	States []Look  `json:"states,omitempty" required:"false" nullable:"false" maxItems:"12" doc:"how it looks in some states; the first that fits"`
}

// Look is how a pin looks in one state.
type Look struct {
	When  string `json:"when" maxLength:"80" doc:"on, off, the name of a band, advisory, warning, critical, silent"`
	Text  string `json:"text,omitempty" required:"false" maxLength:"80"`
	Shape string `json:"shape,omitempty" required:"false" enum:",round,square,diamond,triangle,pill"`
	Size  string `json:"size,omitempty" required:"false" enum:",small,medium,large"`
}

// Kinds of tiles.
const (
	Value   = "value"
	Bar     = "bar"
	Dial    = "dial"
	Lines   = "lines"
	States  = "states"
	Spread  = "spread"
	Table   = "table"
	Total   = "total"
	Journal = "journal"
	Switch  = "switch"
	Frames  = "frames"
	Note    = "note"
	Mimic   = "mimic"
)

// Kind says of a kind of tiles the size that one gets without one, the smallest that it may have, and how many signals
// it shows.
type Kind struct{ W, H, LeastW, LeastH, Least, Most int }

// Kinds has a line for each kind. The console has its own, with what draws it (src/tile/kinds.tsx).
var Kinds = map[string]Kind{
	Value:   {3, 3, 2, 2, 1, 1},
	Bar:     {4, 3, 2, 2, 1, 8},
	Dial:    {3, 4, 2, 3, 1, 1},
	Lines:   {8, 6, 3, 4, 1, 12},
	States:  {8, 4, 3, 2, 1, 20},
	Spread:  {4, 5, 3, 4, 1, 1},
	Table:   {4, 5, 2, 3, 1, 20},
	Total:   {3, 4, 2, 3, 0, 0},
	Journal: {4, 6, 3, 3, 0, 20},
	Switch:  {4, 3, 2, 2, 0, 0},
	Frames:  {5, 7, 3, 4, 0, 0},
	Note:    {4, 3, 2, 1, 0, 0},
	Mimic:   {8, 9, 3, 4, 0, 0},
}

func (t *Tile) size() (w, h int) { k := Kinds[t.Kind]; return k.W, k.H }

// settle fills in what was left out.
func (t *Tile) settle() {
	if t.Kind == Lines && t.Figure != "" && t.Figure != "raw" && t.Every == 0 {
		t.Every = measure.Duration(3600e9)
	}
	if t.Kind == Total && t.By == "" {
		t.By = "month"
	}
}

func (t *Tile) touches(o *Tile) bool {
	return t.X < o.X+o.W && o.X < t.X+t.W && t.Y < o.Y+o.H && o.Y < t.Y+t.H
}

// called names the tile in a message.
func (t *Tile) called() string {
	switch {
	case t.Title != "":
		return t.Title
	case len(t.Series) > 0:
		return t.Kind + " of " + t.Series[0].Signal
	}
	return t.Kind
}

var periods = []measure.Duration{60e9, 3600e9, 24 * 3600e9}

// wrong tells which field of the tile is wrong, and why; both empty: none.
func (t *Tile) wrong(k *Known) (field, reason string) {
	kind, known := Kinds[t.Kind]
	switch {
	case !known:
		return "kind", site.Unknown("kind of tile", t.Kind, kindNames())
	case t.W < kind.LeastW || t.H < kind.LeastH:
		return "", fmt.Sprintf("%d × %d is too small for %s; the least is %d × %d", t.W, t.H, t.Kind, kind.LeastW,
			kind.LeastH)
	case t.X < 0 || t.Y < 0 || t.X+t.W > Columns || t.Y+t.H > MostRows:
		return "", fmt.Sprintf("columns %d to %d, rows %d to %d are not all within %d columns and %d rows", t.X, t.X+
			t.W, t.Y, t.Y+t.H, Columns, MostRows)
	case len(t.Series) < kind.Least:
		return "series", t.Kind + " needs a signal"
	case len(t.Series) > kind.Most:
		return "series", fmt.Sprintf("there are %d signals; %s shows %d at most", len(t.Series), t.Kind, kind.Most)
	case t.Range != 0 && (t.Range < measure.Duration(60e9) || t.Range > mostRange):
		return "range", fmt.Sprintf("%s is not 1m to 1098d", t.Range)
	case t.Every != 0 && !slices.Contains(periods, t.Every):
		return "every", fmt.Sprintf("%s is none of 1m, 1h, 24h", t.Every)
	}
	for i := range t.Series {
		if _, _, known := k.Signal(t.Series[i].Signal); !known {
			return fmt.Sprintf("series[%d].signal", i), site.Unknown("signal", t.Series[i].Signal, k.Signals)
		}
	}
	return t.wrongOfKind(k)
}

func (t *Tile) wrongOfKind(k *Known) (field, reason string) {
	switch t.Kind {
	case Lines:
		return t.wrongAxes(k)
	case Bar, Dial, Spread:
		for i := range t.Series {
			if _, kind, _ := k.Signal(t.Series[i].Signal); kind != site.KindNumber {
				return fmt.Sprintf("series[%d].signal", i), fmt.Sprintf("%s holds %s; %s shows numbers",
					t.Series[i].Signal, kind, t.Kind)
			}
		}
	case Total:
		if !slices.Contains(k.Totals, t.Total) {
			return "total", site.Unknown("total", t.Total, k.Totals)
		}
	case Switch:
		if len(t.Outputs) == 0 {
			return "outputs", "switch needs an output"
		}
		for i, o := range t.Outputs {
			if !slices.Contains(k.Outputs, o) {
				return fmt.Sprintf("outputs[%d]", i), site.Unknown("output", o, k.Outputs)
			}
		}
	case Frames:
		if !slices.Contains(k.Eyes, t.Device) {
			return "device", site.Unknown("device that sends frames", t.Device, k.Eyes)
		}
	case Note:
		if strings.TrimSpace(t.Text) == "" {
			return "text", "a note needs some"
		}
	case Mimic:
		return t.wrongPins(k)
	}
	return "", ""
}

// wrongAxes: values of one unit share an axis, and a chart has two at most.
func (t *Tile) wrongAxes(k *Known) (field, reason string) {
	var units []string
	for i := range t.Series {
		unit, kind, _ := k.Signal(t.Series[i].Signal)
		if kind != site.KindNumber && kind != site.KindSwitch {
			return fmt.Sprintf("series[%d].signal", i), fmt.Sprintf("%s holds %s, which has no line",
				t.Series[i].Signal, kind)
		}
		if !slices.Contains(units, string(unit)) {
			units = append(units, string(unit))
		}
		if len(units) > 2 {
			return fmt.Sprintf("series[%d].signal", i),
				fmt.Sprintf("%s is in %q, beside %q and %q; lines have two axes at most: put it on a tile of its own",
					t.Series[i].Signal, units[2], units[0], units[1])
		}
	}
	return "", ""
}

func (t *Tile) wrongPins(k *Known) (field, reason string) {
	if !k.Picture(t.Picture) {
		return "picture", fmt.Sprintf("there is no picture %d", t.Picture)
	}
	for i := range t.Pins {
		if field, reason := t.Pins[i].wrong(k); reason != "" {
			return fmt.Sprintf("pins[%d].%s", i, field), reason
		}
	}
	return "", ""
}

// plainState gives the name of a state that is written as a test: 'is "flame"' is flame.
func plainState(when string) string {
	if state, test := strings.CutPrefix(strings.TrimSpace(when), "is "); test {
		return strings.Trim(strings.TrimSpace(state), `"`)
	}
	return when
}

func (p *Pin) wrong(k *Known) (field, reason string) {
	for i := range p.States {
		p.States[i].When = plainState(p.States[i].When)
	}
	switch {
	case !(p.X >= 0 && p.X <= 1):
		return "x", fmt.Sprintf("%v is not 0 to 1", p.X)
	case !(p.Y >= 0 && p.Y <= 1):
		return "y", fmt.Sprintf("%v is not 0 to 1", p.Y)
	case !slices.Contains([]string{"value", "lamp", "bar", "label", "board"}, p.Kind):
		return "kind", site.Unknown("kind of pin", p.Kind, []string{"value", "lamp", "bar", "label", "board"})
	case p.Kind == "board" && !slices.Contains(k.Boards, p.Board):
		return "board", site.Unknown("board", p.Board, k.Boards)
	case p.Kind == "lamp" && p.Output != "" && !slices.Contains(k.Outputs, p.Output):
		return "output", site.Unknown("output", p.Output, k.Outputs)
	case p.Kind == "label" && p.Text == "":
		return "text", "a label needs some"
	}
	needs := p.Kind == "value" || p.Kind == "bar" || p.Kind == "lamp" && p.Output == ""
	if needs || p.Signal != "" {
		if _, _, known := k.Signal(p.Signal); !known {
			return "signal", site.Unknown("signal", p.Signal, k.Signals)
		}
	}
	return "", ""
}

// Signals gives the signals that a tiling shows, each once, in order.
func (s *Tiling) Signals() (paths []string) {
	add := func(path string) {
		if path != "" && !slices.Contains(paths, path) {
			paths = append(paths, path)
		}
	}
	for i := range s.Tiles {
		for _, v := range s.Tiles[i].Series {
			add(v.Signal)
		}
		for _, p := range s.Tiles[i].Pins {
			add(p.Signal)
		}
	}
	return paths
}

func kindNames() (names []string) {
	for name := range Kinds {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}
