package board

import (
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Board is a tiling with a name.
type Board struct {
	ID        int64            `json:"-" db:"id"`
	Name      string           `json:"name" db:"name" maxLength:"63" readOnly:"true"`
	Title     string           `json:"title" db:"title" maxLength:"80" doc:"what people call it; its name made readable when empty"`
	Shared    bool             `json:"shared" db:"shared" doc:"everybody who can sign in sees it; else who made it alone"`
	Maker     string           `json:"maker" db:"maker" readOnly:"true" doc:"e-mail address of who made it"`
	MakerID   *int64           `json:"-" db:"maker_id"`
	Version   int              `json:"version" db:"version" readOnly:"true" doc:"number of the version that is published; 0: none is yet"`
	Tiling    Tiling           `json:"tiling" db:"tiling" doc:"as published"`
	Draft     *Draft           `json:"draft" db:"draft" doc:"what is being changed; null: nothing"`
	RemovedAt *measure.Instant `json:"removed_at" db:"removed_at" format:"date-time" doc:"when it was removed; it can be brought back for 30 days"`
}

// Called is what people call the board.
func (b *Board) Called() string { return site.Title(b.Title, b.Name) }

// SeenBy tells whether a person may look at the board.
func (b *Board) SeenBy(p *site.Person) bool {
	return b.Shared || b.MakerID != nil && *b.MakerID == p.ID || b.MakerID == nil && p.Role == site.Owner
}

// Draft is a tiling that is being changed.
type Draft struct {
	Tiling   Tiling          `json:"tiling"`
	Revision int             `json:"revision" doc:"one more with each saving; who saves says which one was changed"`
	By       string          `json:"by"`
	At       measure.Instant `json:"at" format:"date-time"`
}

// Edition is a tiling that was published.
type Edition struct {
	Number int             `json:"number" db:"number"`
	Tiling Tiling          `json:"tiling" db:"tiling"`
	By     string          `json:"by" db:"published_by"`
	At     measure.Instant `json:"at" db:"published_at" format:"date-time"`
	Note   string          `json:"note" db:"note" doc:"what was changed, in the words of who did"`
}

// Tiling is tiles on a grid, and the stretch of time that they show.
type Tiling struct {
	Range   measure.Duration `json:"range" required:"false" doc:"how far back tiles look that do not say otherwise; a day when left out" example:"86400"`
	Compare measure.Duration `json:"compare" required:"false" doc:"lines are laid over those of so long ago; 0: over none" example:"604800"`
	Tiles   []Tile           `json:"tiles" nullable:"false" maxItems:"60"`
}

// Limits of a tiling.
const (
	Columns   = 12  // the width of the grid
	MostRows  = 400 // the height that a tiling may have
	MostTiles = 60
	mostRange = measure.Duration(3 * 366 * 24 * 3600e9)
)

// Settle gives a tiling its order and its numbers: tiles without a place get the size of their kind and the first place
// that is free, tiles without an ID get one, and the list is put into reading order.
func (s *Tiling) Settle() {
	if s.Tiles == nil {
		s.Tiles = []Tile{}
	}
	if s.Range == 0 {
		s.Range = measure.Duration(24 * 3600e9)
	}
	ids := map[string]bool{}
	for _, t := range s.Tiles {
		ids[t.ID] = true
	}
	for i := range s.Tiles {
		t := &s.Tiles[i]
		t.settle()
		if t.W == 0 && t.H == 0 {
			w, h := t.size()
			x, y := s.free(w, h)
			t.X, t.Y, t.W, t.H = x, y, w, h
		}
		for n := len(s.Tiles); t.ID == ""; n++ {
			if id := fmt.Sprintf("t%d", n); !ids[id] {
				t.ID, ids[id] = id, true
			}
		}
	}
	slices.SortStableFunc(s.Tiles, func(a, b Tile) int {
		if a.Y != b.Y {
			return a.Y - b.Y
		}
		return a.X - b.X
	})
}

// free gives the first place where a tile of a size touches no other.
func (s *Tiling) free(w, h int) (x, y int) {
	for y = 0; ; y++ {
		for x = 0; x+w <= Columns; x++ {
			t := Tile{X: x, Y: y, W: w, H: h}
			if !slices.ContainsFunc(s.Tiles, func(o Tile) bool { return t.touches(&o) }) {
				return x, y
			}
		}
	}
}

// Known tells what a tiling may point at. Each function gives whether there is such a thing, and the names of all.
type Known struct {
	Signal  func(path string) (unit measure.Unit, kind string, known bool)
	Signals []string
	Outputs []string
	Totals  []string
	Boards  []string
	Eyes    []string // devices that send frames
	Picture func(id int64) bool
}

// Check tells what is wrong with a settled tiling: nil or a *measure.Fault that names the tile.
func (s *Tiling) Check(k *Known) error {
	if s.Range < measure.Duration(60e9) || s.Range > mostRange {
		return &measure.Fault{Field: "range", Reason: fmt.Sprintf("%s is not 1m to 1098d", s.Range)}
	}
	if s.Compare != 0 && (s.Compare < measure.Duration(60e9) || s.Compare > mostRange) {
		return &measure.Fault{Field: "compare", Reason: fmt.Sprintf("%s is neither 0s nor 1m to 1098d", s.Compare)}
	}
	if len(s.Tiles) > MostTiles {
		return &measure.Fault{Field: "tiles", Reason: fmt.Sprintf("there are %d; a board holds %d at most",
			len(s.Tiles), MostTiles)}
	}
	ids := map[string]bool{}
	for i := range s.Tiles {
		t := &s.Tiles[i]
		if field, reason := t.wrong(k); reason != "" {
			return &measure.Fault{Field: strings.TrimSuffix(fmt.Sprintf("tiles[%d].%s", i, field), "."), Reason: reason}
		}
		if ids[t.ID] {
			return &measure.Fault{Field: fmt.Sprintf("tiles[%d].id", i),
				Reason: fmt.Sprintf("%q is the id of another tile", t.ID)}
		}
		ids[t.ID] = true
		for j := range s.Tiles[:i] {
			if t.touches(&s.Tiles[j]) {
				return &measure.Fault{Field: fmt.Sprintf("tiles[%d]", i),
					Reason: fmt.Sprintf("the tile %q lies over the tile %q", t.called(), s.Tiles[j].called())}
			}
		}
	}
	return nil
}
