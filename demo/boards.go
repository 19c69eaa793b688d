package demo

import (
	"context"
	"embed"
	"fmt"
	"io/fs"
	"strings"

	"github.com/goccy/go-yaml"

	"jauntylark/api"
	"jauntylark/core/act"
	"jauntylark/core/board"
	"jauntylark/pipeline/record"
)

//go:embed boards
var boardFiles embed.FS

// boards puts the site's boards up: those that are not there yet. Overview comes last, since the others are pinned to
// it.
func (s *Site) boards(ctx context.Context) error {
	var there []board.Board
	if err := s.Owner.Call(ctx, api.ListBoards.At(), nil, &there); err != nil {
		return err
	}
	known := map[string]bool{}
	for _, b := range there {
		known[b.Name] = true
	}
	for _, name := range []string{"climate", "energy", "boiler", "water", "overview"} {
		if known[name] {
			continue
		}
		saving, err := boardOf(name)
		if err != nil {
			return err
		}
		if err := s.hangPicture(ctx, saving.Tiling.Tiles); err != nil {
			return err
		}
		if err := s.Owner.Call(ctx, api.PutBoard.At(name), saving, nil); err != nil {
			return fmt.Errorf("board %s: %w", name, err)
		}
	}
	return nil
}

// boardOf reads a board from its file, which 'jaunty board set' reads too.
func boardOf(name string) (act.BoardSaving, error) {
	var file record.BoardFile
	text, err := fs.ReadFile(boardFiles, "boards/"+name+".yaml")
	if err == nil {
		err = yaml.UnmarshalWithOptions(text, &file, yaml.Strict(), yaml.UseJSONUnmarshaler())
	}
	return file.BoardSaving, err
}

// hangPicture gives the tiles that want a picture the drawing of the glasshouse.
func (s *Site) hangPicture(ctx context.Context, tiles []board.Tile) error {
	var picture board.Picture
	for i := range tiles {
		if tiles[i].Kind != board.Mimic {
			continue
		}
		if picture.ID == 0 {
			svg, err := boardFiles.ReadFile("boards/glasshouse.svg")
			if err == nil {
				err = s.Owner.Upload(ctx, api.AddPicture.At().Asking("name", "glasshouse"), "application/octet-stream",
					strings.NewReader(string(svg)), &picture)
			}
			if err != nil {
				return err
			}
		}
		tiles[i].Picture = picture.ID
	}
	return nil
}
