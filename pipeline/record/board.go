package record

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/act"
	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// BoardFile is a board as its file has it.
type BoardFile struct {
	Name            string `json:"name"`
	act.BoardSaving `yaml:",inline"`
}

// SaveBoard stores a board, new or in place of the one of that name, and publishes it.
func SaveBoard(ctx context.Context, p *pipeline.Pipeline, name string, s act.BoardSaving, who *site.Person) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := site.CheckName(name); err != nil {
			return &measure.Fault{Field: "name", Reason: err.Error()}
		}
		boards, err := config.BoardsInUse(t.Ctx, t.Tx)
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
		known, err := known(t, append(boards, b))
		if err != nil {
			return err
		}
		return publish(t, &b, s.Tiling, known, s.Note, kind, who)
	})
}

// publish makes a tiling what a board shows.
func publish(t *reading.Turn, b *board.Board, tiling board.Tiling, known *board.Known, note, kind string,
	who *site.Person) error {
	tiling.Settle()
	if err := tiling.Check(known); err != nil {
		return err
	}
	b.Tiling, b.Draft, b.Version = tiling, nil, b.Version+1
	if err := config.SaveBoard(t.Ctx, t.Tx, b); err != nil {
		return err
	}
	version := board.Edition{Number: b.Version, Tiling: tiling, By: who.Called(), At: t.Now,
		Note: strings.TrimSpace(note)}
	if err := config.AddBoardVersion(t.Ctx, t.Tx, b, &version); err != nil {
		return err
	}
	text := fmt.Sprintf("Version %d of the board %s, with %s, is published", b.Version, b.Called(),
		prose.Count(len(tiling.Tiles), "tile", "tiles"))
	if version.Note != "" {
		text += ": " + version.Note
	}
	if err := t.Enter(kind, b.Name, who.Called(), text); err != nil {
		return err
	}
	t.ConfigChanged(store.Change{Scope: store.OfPages})
	return nil
}

// known gathers what tilings may point at.
func known(t *reading.Turn, boards []board.Board) (*board.Known, error) {
	k := &board.Known{Signal: func(path string) (measure.Unit, string, bool) {
		s, err := t.Site.FindSignal(path)
		if err != nil {
			return "", "", false
		}
		return s.Unit, s.Kind, true
	}}
	for _, d := range t.Site.Devices {
		for name := range d.Signals {
			k.Signals = append(k.Signals, d.Name+"/"+name)
		}
		for name := range d.Outputs {
			k.Outputs = append(k.Outputs, d.Name+"/"+name)
		}
		if t.Site.Eyes[d.ID] != nil {
			k.Eyes = append(k.Eyes, d.Name)
		}
	}
	slices.Sort(k.Signals)
	slices.Sort(k.Outputs)
	slices.Sort(k.Eyes)
	totals, err := timeseries.Totals(t.Ctx, t.Store)
	if err != nil {
		return nil, err
	}
	for i := range totals {
		k.Totals = append(k.Totals, totals[i].Name)
	}
	for i := range boards {
		k.Boards = append(k.Boards, boards[i].Name)
	}
	pictures, err := config.PictureIDs(t.Ctx, t.Tx)
	k.Picture = func(id int64) bool { return slices.Contains(pictures, id) }
	return k, err
}

// onBoard lets act change one board that a person sees, with all boards beside it.
func onBoard(ctx context.Context, p *pipeline.Pipeline, name string, who *site.Person,
	act func(t *reading.Turn, b *board.Board, boards []board.Board) error) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		boards, err := config.BoardsInUse(t.Ctx, t.Tx)
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

// SaveDraft keeps a changed tiling of a board without showing it to anybody else. Revision is that of the draft that
// was changed, 0 for the published tiling; when another one is there by now, nothing is changed: commit.ErrNotNow.
func SaveDraft(ctx context.Context, p *pipeline.Pipeline, name string, tiling board.Tiling, revision int,
	who *site.Person) error {
	return onBoard(ctx, p, name, who, func(t *reading.Turn, b *board.Board, boards []board.Board) error {
		if err := sameDraft(b, revision); err != nil {
			return err
		}
		known, err := known(t, boards)
		if err != nil {
			return err
		}
		tiling.Settle()
		if err := tiling.Check(known); err != nil {
			return err
		}
		b.Draft = &board.Draft{Tiling: tiling, Revision: revision + 1, By: who.Called(), At: t.Now}
		return config.SaveBoard(t.Ctx, t.Tx, b)
	})
}

func sameDraft(b *board.Board, revision int) error {
	switch {
	case b.Draft == nil && revision != 0:
		return fmt.Errorf("the draft of %s was published or dropped meanwhile: %w", b.Called(), commit.ErrNotNow)
	case b.Draft != nil && b.Draft.Revision != revision:
		return fmt.Errorf("%s has changed the draft of %s meanwhile: %w", b.Draft.By, b.Called(), commit.ErrNotNow)
	}
	return nil
}

// DropDraft forgets what was changed of a board and not published.
func DropDraft(ctx context.Context, p *pipeline.Pipeline, name string, who *site.Person) error {
	return onBoard(ctx, p, name, who, func(t *reading.Turn, b *board.Board, _ []board.Board) error {
		b.Draft = nil
		return config.SaveBoard(t.Ctx, t.Tx, b)
	})
}

// PublishDraft makes the draft of a board, of a revision, what it shows.
func PublishDraft(ctx context.Context, p *pipeline.Pipeline, name string, revision int, note string,
	who *site.Person) error {
	return onBoard(ctx, p, name, who, func(t *reading.Turn, b *board.Board, boards []board.Board) error {
		if b.Draft == nil {
			return fmt.Errorf("there is no draft of %s to publish: %w", b.Called(), commit.ErrNotNow)
		}
		if err := sameDraft(b, revision); err != nil {
			return err
		}
		known, err := known(t, boards)
		if err != nil {
			return err
		}
		return publish(t, b, b.Draft.Tiling, known, note, "board published", who)
	})
}

// TakeVersion makes an older version of a board its draft.
func TakeVersion(ctx context.Context, p *pipeline.Pipeline, name string, number int, who *site.Person) error {
	return onBoard(ctx, p, name, who, func(t *reading.Turn, b *board.Board, _ []board.Board) error {
		v, err := config.BoardVersion(t.Ctx, t.Tx, b.ID, number)
		if err != nil {
			return fmt.Errorf("there is no version %d of the board %s: %w", number, name, err)
		}
		revision := 1
		if b.Draft != nil {
			revision = b.Draft.Revision + 1
		}
		b.Draft = &board.Draft{Tiling: v.Tiling, Revision: revision, By: who.Called(), At: t.Now}
		return config.SaveBoard(t.Ctx, t.Tx, b)
	})
}

// CopyBoard makes a board of a person's own out of one that is there.
func CopyBoard(ctx context.Context, p *pipeline.Pipeline, name, newName, title string, who *site.Person) error {
	return onBoard(ctx, p, name, who, func(t *reading.Turn, b *board.Board, boards []board.Board) error {
		if err := site.CheckName(newName); err != nil {
			return &measure.Fault{Field: "name", Reason: err.Error()}
		}
		fresh := board.Board{Name: newName, Title: strings.TrimSpace(title), Maker: who.Email, MakerID: &who.ID}
		known, err := known(t, boards)
		if err != nil {
			return err
		}
		return publish(t, &fresh, b.Tiling, known, "a copy of "+b.Called(), "board added", who)
	})
}

// ChangeBoard changes what a board is called and who sees it.
func ChangeBoard(ctx context.Context, p *pipeline.Pipeline, name string, c act.BoardChange, who *site.Person) error {
	return onBoard(ctx, p, name, who, func(t *reading.Turn, b *board.Board, _ []board.Board) error {
		if c.Title != nil {
			b.Title = strings.TrimSpace(*c.Title)
		}
		if c.Shared != nil {
			b.Shared = *c.Shared
		}
		if err := config.SaveBoard(t.Ctx, t.Tx, b); err != nil {
			return err
		}
		seen := "who made it"
		if b.Shared {
			seen = "everybody"
		}
		if err := t.Enter("board changed", b.Name, who.Called(), fmt.Sprintf("The board %s is seen by %s", b.Called(),
			seen)); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPages})
		return nil
	})
}

// RemoveBoard removes a board; it can be brought back for 30 days.
func RemoveBoard(ctx context.Context, p *pipeline.Pipeline, name string, who *site.Person) error {
	return onBoard(ctx, p, name, who, func(t *reading.Turn, b *board.Board, boards []board.Board) error {
		for i := range boards {
			if pinned(&boards[i], name) && boards[i].Name != name {
				return fmt.Errorf("the board %s %w: it is pinned to a picture of the board %s", name,
					timeseries.ErrInUse, boards[i].Called())
			}
		}
		if err := config.DropBoards(t.Ctx, t.Tx, t.Now.Add(-site.BringBackFor)); err != nil {
			return err
		}
		b.RemovedAt = &t.Now
		if err := config.SaveBoard(t.Ctx, t.Tx, b); err != nil {
			return err
		}
		if err := t.Enter("board removed", b.Name, who.Called(),
			fmt.Sprintf("The board %s was removed; it can be brought back for 30 days", b.Called())); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPages})
		return nil
	})
}

// pinned tells whether a board is pinned to a picture of another one.
func pinned(on *board.Board, name string) bool {
	return slices.ContainsFunc(on.Tiling.Tiles, func(t board.Tile) bool {
		return slices.ContainsFunc(t.Pins, func(p board.Pin) bool { return p.Board == name })
	})
}

// BringBoardBack brings back a board that was removed.
func BringBoardBack(ctx context.Context, p *pipeline.Pipeline, name string, who *site.Person) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		b, err := config.RemovedBoard(t.Ctx, t.Tx, name)
		if err == nil && (!b.SeenBy(who) || *b.RemovedAt < t.Now.Add(-site.BringBackFor)) {
			err = store.ErrNotFound
		}
		if err != nil {
			return fmt.Errorf("no board %s was removed in the last 30 days: %w", name, err)
		}
		b.RemovedAt = nil
		if err := config.SaveBoard(t.Ctx, t.Tx, &b); err != nil {
			return err
		}
		if err := t.Enter("board brought back", b.Name, who.Called(), fmt.Sprintf("The board %s was brought back",
			b.Called())); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPages})
		return nil
	})
}

// SetStart says which board a person sees first; an empty name: what is wrong now.
func SetStart(ctx context.Context, p *pipeline.Pipeline, name string, who *site.Person) error {
	if name == "" {
		return p.Do(ctx, func(t *reading.Turn) error { return config.SetStart(t.Ctx, t.Tx, who.ID, 0) })
	}
	return onBoard(ctx, p, name, who, func(t *reading.Turn, b *board.Board, _ []board.Board) error {
		return config.SetStart(t.Ctx, t.Tx, who.ID, b.ID)
	})
}

// AddPicture stores a picture for boards.
func AddPicture(ctx context.Context, p *pipeline.Pipeline, picture *board.Picture, who *site.Person) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		picture.By, picture.At = who.Called(), t.Now
		if err := config.AddPicture(t.Ctx, t.Tx, picture); err != nil {
			return err
		}
		return t.Enter("picture added", fmt.Sprint(picture.ID), who.Called(),
			fmt.Sprintf("Picture %d, %s, %d × %d", picture.ID, picture.Name, picture.Width, picture.Height))
	})
}

// RemovePicture removes a picture that no board shows.
func RemovePicture(ctx context.Context, p *pipeline.Pipeline, id int64, who *site.Person) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		boards, err := config.BoardsInUse(t.Ctx, t.Tx)
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
					return fmt.Errorf("picture %d %w: the board %s shows it", id, timeseries.ErrInUse,
						boards[i].Called())
				}
			}
		}
		if err := configure.KeepRemoved(t, "picture", fmt.Sprint(id), "", who.Called(), "picture", "id",
			id); err != nil {
			return err
		}
		if err := config.RemovePicture(t.Ctx, t.Tx, id); err != nil {
			return fmt.Errorf("there is no picture %d: %w", id, err)
		}
		return t.Enter("picture removed", fmt.Sprint(id), who.Called(), fmt.Sprintf("Picture %d was removed", id))
	})
}
