package pipeline

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/act"
	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// BoardFile is a board as its file has it.
type BoardFile struct {
	Name            string `json:"name"`
	act.BoardSaving `yaml:",inline"`
}

// SaveBoard stores a board, new or in place of the one of that name, and publishes it.
func (p *Pipeline) SaveBoard(ctx context.Context, name string, s act.BoardSaving, who *site.Person) error {
	return p.Do(ctx, func(t *Turn) error {
		if err := site.CheckName(name); err != nil {
			return &measure.Fault{Field: "name", Reason: err.Error()}
		}
		boards, err := t.Tx.Boards(t.ctx)
		if err != nil {
			return err
		}
		b, kind := board.Board{Name: name, Maker: who.Email, MakerID: &who.ID}, "board added"
		if i := slices.IndexFunc(boards, func(o board.Board) bool { return o.Name == name }); i >= 0 {
			if b, kind = boards[i], "board published"; !b.SeenBy(who) {
				return fmt.Errorf("board %s %w", name, store.ErrTaken)
			}
		}
		b.Title, b.Shared = strings.TrimSpace(s.Title), s.Shared
		known, err := t.known(append(boards, b))
		if err != nil {
			return err
		}
		return t.publish(&b, s.Tiling, known, s.Note, kind, who)
	})
}

// publish makes a tiling what a board shows.
func (t *Turn) publish(b *board.Board, tiling board.Tiling, known *board.Known, note, kind string, who *site.Person) error {
	tiling.Settle()
	if err := tiling.Check(known); err != nil {
		return err
	}
	b.Tiling, b.Draft, b.Version = tiling, nil, b.Version+1
	if err := t.Tx.SaveBoard(t.ctx, b); err != nil {
		return err
	}
	version := board.Edition{Number: b.Version, Tiling: tiling, By: who.Called(), At: t.Now, Note: strings.TrimSpace(note)}
	if err := t.Tx.AddBoardVersion(t.ctx, b, &version); err != nil {
		return err
	}
	text := fmt.Sprintf("Version %d of the board %s, with %s, is published", b.Version, b.Called(), measure.Count(len(tiling.Tiles), "tile", "tiles"))
	if version.Note != "" {
		text += ": " + version.Note
	}
	if err := t.Enter(kind, b.Name, who.Called(), text); err != nil {
		return err
	}
	return t.ConfigChanged()
}

// known gathers what tilings may point at.
func (t *Turn) known(boards []board.Board) (*board.Known, error) {
	k := &board.Known{Signal: func(path string) (measure.Unit, string, bool) {
		s, err := t.live.find(path)
		if err != nil {
			return "", "", false
		}
		return s.Unit, s.Kind, true
	}}
	for _, d := range t.live.devices {
		for name := range d.signals {
			k.Signals = append(k.Signals, d.Name+"/"+name)
		}
		for name := range d.outputs {
			k.Outputs = append(k.Outputs, d.Name+"/"+name)
		}
		if t.live.Eyes[d.ID] != nil {
			k.Eyes = append(k.Eyes, d.Name)
		}
	}
	slices.Sort(k.Signals)
	slices.Sort(k.Outputs)
	slices.Sort(k.Eyes)
	totals, err := t.p.store.Totals(t.ctx)
	if err != nil {
		return nil, err
	}
	for i := range totals {
		k.Totals = append(k.Totals, totals[i].Name)
	}
	for i := range boards {
		k.Boards = append(k.Boards, boards[i].Name)
	}
	pictures, err := t.Tx.PictureIDs(t.ctx)
	k.Picture = func(id int64) bool { return slices.Contains(pictures, id) }
	return k, err
}

// onBoard lets act change one board that a person sees, with all boards beside it.
func (p *Pipeline) onBoard(ctx context.Context, name string, who *site.Person, act func(t *Turn, b *board.Board, boards []board.Board) error) error {
	return p.Do(ctx, func(t *Turn) error {
		boards, err := t.Tx.Boards(t.ctx)
		if err != nil {
			return err
		}
		boards = slices.DeleteFunc(boards, func(b board.Board) bool { return !b.SeenBy(who) })
		i := slices.IndexFunc(boards, func(b board.Board) bool { return b.Name == name })
		if i < 0 {
			names := make([]string, len(boards))
			for j := range boards {
				names[j] = boards[j].Name
			}
			return fmt.Errorf("%s: %w", site.Unknown("board", name, names), store.ErrNotFound)
		}
		return act(t, &boards[i], boards)
	})
}

// SaveDraft keeps a changed tiling of a board without showing it to anybody else. Revision is that of the draft that was
// changed, 0 for the published tiling; when another one is there by now, nothing is changed: ErrNotNow.
func (p *Pipeline) SaveDraft(ctx context.Context, name string, tiling board.Tiling, revision int, who *site.Person) error {
	return p.onBoard(ctx, name, who, func(t *Turn, b *board.Board, boards []board.Board) error {
		if err := sameDraft(b, revision); err != nil {
			return err
		}
		known, err := t.known(boards)
		if err != nil {
			return err
		}
		tiling.Settle()
		if err := tiling.Check(known); err != nil {
			return err
		}
		b.Draft = &board.Draft{Tiling: tiling, Revision: revision + 1, By: who.Called(), At: t.Now}
		return t.Tx.SaveBoard(t.ctx, b)
	})
}

func sameDraft(b *board.Board, revision int) error {
	switch {
	case b.Draft == nil && revision != 0:
		return fmt.Errorf("the draft of %s was published or dropped meanwhile: %w", b.Called(), ErrNotNow)
	case b.Draft != nil && b.Draft.Revision != revision:
		return fmt.Errorf("%s has changed the draft of %s meanwhile: %w", b.Draft.By, b.Called(), ErrNotNow)
	}
	return nil
}

// DropDraft forgets what was changed of a board and not published.
func (p *Pipeline) DropDraft(ctx context.Context, name string, who *site.Person) error {
	return p.onBoard(ctx, name, who, func(t *Turn, b *board.Board, _ []board.Board) error {
		b.Draft = nil
		return t.Tx.SaveBoard(t.ctx, b)
	})
}

// PublishDraft makes the draft of a board, of a revision, what it shows.
func (p *Pipeline) PublishDraft(ctx context.Context, name string, revision int, note string, who *site.Person) error {
	return p.onBoard(ctx, name, who, func(t *Turn, b *board.Board, boards []board.Board) error {
		if b.Draft == nil {
			return fmt.Errorf("there is no draft of %s to publish: %w", b.Called(), ErrNotNow)
		}
		if err := sameDraft(b, revision); err != nil {
			return err
		}
		known, err := t.known(boards)
		if err != nil {
			return err
		}
		return t.publish(b, b.Draft.Tiling, known, note, "board published", who)
	})
}

// TakeVersion makes an older version of a board its draft.
func (p *Pipeline) TakeVersion(ctx context.Context, name string, number int, who *site.Person) error {
	return p.onBoard(ctx, name, who, func(t *Turn, b *board.Board, _ []board.Board) error {
		v, err := t.Tx.BoardVersion(t.ctx, b.ID, number)
		if err != nil {
			return fmt.Errorf("there is no version %d of the board %s: %w", number, name, err)
		}
		revision := 1
		if b.Draft != nil {
			revision = b.Draft.Revision + 1
		}
		b.Draft = &board.Draft{Tiling: v.Tiling, Revision: revision, By: who.Called(), At: t.Now}
		return t.Tx.SaveBoard(t.ctx, b)
	})
}

// CopyBoard makes a board of a person's own out of one that is there.
func (p *Pipeline) CopyBoard(ctx context.Context, name, newName, title string, who *site.Person) error {
	return p.onBoard(ctx, name, who, func(t *Turn, b *board.Board, boards []board.Board) error {
		if err := site.CheckName(newName); err != nil {
			return &measure.Fault{Field: "name", Reason: err.Error()}
		}
		fresh := board.Board{Name: newName, Title: strings.TrimSpace(title), Maker: who.Email, MakerID: &who.ID}
		known, err := t.known(boards)
		if err != nil {
			return err
		}
		return t.publish(&fresh, b.Tiling, known, "a copy of "+b.Called(), "board added", who)
	})
}

// ChangeBoard changes what a board is called and who sees it.
func (p *Pipeline) ChangeBoard(ctx context.Context, name string, c act.BoardChange, who *site.Person) error {
	return p.onBoard(ctx, name, who, func(t *Turn, b *board.Board, _ []board.Board) error {
		if c.Title != nil {
			b.Title = strings.TrimSpace(*c.Title)
		}
		if c.Shared != nil {
			b.Shared = *c.Shared
		}
		if err := t.Tx.SaveBoard(t.ctx, b); err != nil {
			return err
		}
		seen := "who made it"
		if b.Shared {
			seen = "everybody"
		}
		if err := t.Enter("board changed", b.Name, who.Called(), fmt.Sprintf("The board %s is seen by %s", b.Called(), seen)); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// RemoveBoard removes a board; it can be brought back for 30 days.
func (p *Pipeline) RemoveBoard(ctx context.Context, name string, who *site.Person) error {
	return p.onBoard(ctx, name, who, func(t *Turn, b *board.Board, boards []board.Board) error {
		for i := range boards {
			if pinned(&boards[i], name) && boards[i].Name != name {
				return fmt.Errorf("the board %s %w: it is pinned to a picture of the board %s", name, store.ErrInUse, boards[i].Called())
			}
		}
		if err := t.Tx.DropBoards(t.ctx, t.Now.Add(-site.BringBackFor)); err != nil {
			return err
		}
		b.RemovedAt = &t.Now
		if err := t.Tx.SaveBoard(t.ctx, b); err != nil {
			return err
		}
		if err := t.Enter("board removed", b.Name, who.Called(), fmt.Sprintf("The board %s was removed; it can be brought back for 30 days", b.Called())); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// pinned tells whether a board is pinned to a picture of another one.
func pinned(on *board.Board, name string) bool {
	return slices.ContainsFunc(on.Tiling.Tiles, func(t board.Tile) bool {
		return slices.ContainsFunc(t.Pins, func(p board.Pin) bool { return p.Board == name })
	})
}

// BringBoardBack brings back a board that was removed.
func (p *Pipeline) BringBoardBack(ctx context.Context, name string, who *site.Person) error {
	return p.Do(ctx, func(t *Turn) error {
		b, err := t.Tx.RemovedBoard(t.ctx, name)
		if err == nil && (!b.SeenBy(who) || *b.RemovedAt < t.Now.Add(-site.BringBackFor)) {
			err = store.ErrNotFound
		}
		if err != nil {
			return fmt.Errorf("no board %s was removed in the last 30 days: %w", name, err)
		}
		b.RemovedAt = nil
		if err := t.Tx.SaveBoard(t.ctx, &b); err != nil {
			return err
		}
		if err := t.Enter("board brought back", b.Name, who.Called(), fmt.Sprintf("The board %s was brought back", b.Called())); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// SetStart says which board a person sees first; an empty name: what is wrong now.
func (p *Pipeline) SetStart(ctx context.Context, name string, who *site.Person) error {
	if name == "" {
		return p.Do(ctx, func(t *Turn) error { return t.Tx.SetStart(t.ctx, who.ID, 0) })
	}
	return p.onBoard(ctx, name, who, func(t *Turn, b *board.Board, _ []board.Board) error {
		return t.Tx.SetStart(t.ctx, who.ID, b.ID)
	})
}

// AddPicture stores a picture for boards.
func (p *Pipeline) AddPicture(ctx context.Context, picture *board.Picture, who *site.Person) error {
	return p.Do(ctx, func(t *Turn) error {
		picture.By, picture.At = who.Called(), t.Now
		if err := t.Tx.AddPicture(t.ctx, picture); err != nil {
			return err
		}
		return t.Enter("picture added", fmt.Sprint(picture.ID), who.Called(), fmt.Sprintf("Picture %d, %s, %d × %d", picture.ID, picture.Name, picture.Width, picture.Height))
	})
}

// RemovePicture removes a picture that no board shows.
func (p *Pipeline) RemovePicture(ctx context.Context, id int64, who *site.Person) error {
	return p.Do(ctx, func(t *Turn) error {
		boards, err := t.Tx.Boards(t.ctx)
		if err != nil {
			return err
		}
		for i := range boards {
			tilings := []board.Tiling{boards[i].Tiling}
			if d := boards[i].Draft; d != nil {
				tilings = append(tilings, d.Tiling)
			}
			for _, s := range tilings {
				if slices.ContainsFunc(s.Tiles, func(t board.Tile) bool { return t.Picture == id }) {
					return fmt.Errorf("picture %d %w: the board %s shows it", id, store.ErrInUse, boards[i].Called())
				}
			}
		}
		if err := t.KeepRemoved("picture", fmt.Sprint(id), "", who.Called(), "picture", "id", id); err != nil {
			return err
		}
		if err := t.Tx.RemovePicture(t.ctx, id); err != nil {
			return fmt.Errorf("there is no picture %d: %w", id, err)
		}
		return t.Enter("picture removed", fmt.Sprint(id), who.Called(), fmt.Sprintf("Picture %d was removed", id))
	})
}
