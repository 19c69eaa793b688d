package record

import (
	"fmt"
	"io"
	"os"
	"strconv"

	"github.com/goccy/go-yaml"
	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/act"
	"jauntylark/core/board"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
)

func boardCommand() *cobra.Command {
	return terminal.Group("board", "What people put together to look at", boardListCommand(), boardShowCommand(),
		boardSetCommand(), boardCopyCommand(), boardShareCommand(),
		terminal.Group("version", "What was published of a board", boardVersionsCommand(), boardRestoreCommand()),
		boardStartCommand(), boardRemoveCommand())
}

func boardNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return terminal.Names(c, api.ListBoards.At(), func(b board.Board) string { return b.Name })
}

func boardListCommand() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "All boards that you may look at", Args: terminal.Exactly(),
		Example: "  jaunty board list"}
	c.RunE = func(c *cobra.Command, _ []string) error {
		all, err := terminal.Ask(c, api.ListBoards, api.ListBoardsIn{})
		if err != nil {
			return err
		}
		return terminal.Show(c, all, func(w io.Writer) {
			rows := [][]string{}
			for _, b := range all {
				seen, draft := "its maker", ""
				if b.Shared {
					seen = "everybody"
				}
				if b.Draft != nil {
					draft = "a draft by " + b.Draft.By
				}
				rows = append(rows, []string{b.Name, b.Called(), strconv.Itoa(len(b.Tiling.Tiles)),
					strconv.Itoa(b.Version), seen, draft})
			}
			terminal.Table(w, "No boards; make one in the console, or save one with 'jaunty board set'.",
				[]string{"BOARD", "TITLE", "TILES", "VERSION", "SEEN BY", "DRAFT"}, rows)
		})
	}
	return c
}

func boardShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME", Short: "One board as YAML, which board set reads", Args: terminal.Exactly("NAME"),
		ValidArgsFunction: boardNames, Example: "  jaunty board show water > water.yaml",
		RunE: func(c *cobra.Command, args []string) error {
			b, err := terminal.Ask(c, api.GetBoard, api.BoardPath{Board: args[0]})
			if err != nil {
				return err
			}
			text, err := yaml.MarshalWithOptions(record.BoardFile{Name: b.Name, BoardSaving: act.BoardSaving{Title: b.Title,
				Shared: b.Shared, Tiling: b.Tiling}}, yaml.UseJSONMarshaler())
			if err != nil {
				return err
			}
			return terminal.Show(c, b, func(w io.Writer) { fmt.Fprint(w, string(text)) })
		},
	}
}

func boardSetCommand() *cobra.Command {
	c := &cobra.Command{Use: "set FILE", Short: "Save a board from a YAML file and publish it; - is standard input",
		Args: terminal.Exactly("FILE"),
		Long: `Save a board from a YAML file, new or in place of the one of its name, and publish it. A tile without a place gets
the first one that is free.`,
		Example: `  jaunty board set water.yaml --note 'the new tank'
  printf 'name: heat\nshared: true\ntiling:\n  tiles:\n  - kind: lines\n    series:\n    - signal: bench/canopy\n' | jaunty board set -`}
	note := c.Flags().String("note", "", "what was changed")
	c.RunE = func(c *cobra.Command, args []string) error {
		in := c.InOrStdin()
		if args[0] != "-" {
			f, err := os.Open(args[0])
			if err != nil {
				return err
			}
			defer f.Close()
			in = f
		}
		text, err := io.ReadAll(io.LimitReader(in, 1<<20))
		if err != nil {
			return err
		}
		var file record.BoardFile
		if err := yaml.UnmarshalWithOptions(text, &file, yaml.Strict(), yaml.UseJSONUnmarshaler()); err != nil {
			return terminal.Misused("%s: %s", args[0], yaml.FormatError(err, false, true))
		}
		if err := site.CheckName(file.Name); err != nil {
			return terminal.Misused("%s: name: %v", args[0], err)
		}
		if file.Tiling.Tiles == nil {
			return terminal.Misused("%s: tiling: tiles is missing", args[0])
		}
		if c.Flags().Changed("note") {
			file.Note = *note
		}
		if err := terminal.See(c, api.GetBoard.At(file.Name)); err != nil {
			return err
		}
		return doBoard(c, api.PutBoard.At(file.Name), file.BoardSaving,
			"Version %d of the board %s is published, with %s.\n")
	}
	return c
}

// doBoard does something about a board, and tells its version, its name and its number of tiles.
func doBoard(c *cobra.Command, at api.Place, in any, words string) error {
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	var b board.Board
	if err := s.Call(c.Context(), at, in, &b); err != nil {
		return err
	}
	return terminal.Show(c, b, func(w io.Writer) {
		fmt.Fprintf(w, words, b.Version, b.Name, prose.Count(len(b.Tiling.Tiles), "tile", "tiles"))
	})
}

func boardCopyCommand() *cobra.Command {
	c := &cobra.Command{Use: "copy NAME NEW", Short: "Make a board of your own out of one that is there",
		Args: terminal.Exactly("NAME", "NEW"), ValidArgsFunction: boardNames,
		Example: "  jaunty board copy water my-water --title 'My water'"}
	title := c.Flags().String("title", "", "what people call it")
	c.RunE = func(c *cobra.Command, args []string) error {
		return doBoard(c, api.CopyBoard.At(args[0]), api.BoardCopy{Name: args[1], Title: *title},
			"Version %d of the board %s is there, with %s. You alone see it.\n")
	}
	return c
}

func boardShareCommand() *cobra.Command {
	c := &cobra.Command{Use: "share NAME", Short: "Let everybody see a board, or nobody but who made it",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: boardNames,
		Example: "  jaunty board share my-water\n  jaunty board share my-water --off"}
	off := c.Flags().Bool("off", false, "nobody but who made it sees it")
	c.RunE = func(c *cobra.Command, args []string) error {
		words := "Version %d of the board %s, with %s, is seen by everybody.\n"
		if *off {
			words = "Version %d of the board %s, with %s, is seen by who made it alone.\n"
		}
		shared := !*off
		return doBoard(c, api.ChangeBoard.At(args[0]), act.BoardChange{Shared: &shared}, words)
	}
	return c
}

func boardVersionsCommand() *cobra.Command {
	return &cobra.Command{Use: "list NAME", Short: "What was published of a board, newest first",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: boardNames, Example: "  jaunty board version list water",
		RunE: func(c *cobra.Command, args []string) error {
			all, err := terminal.Ask(c, api.ListBoardVersions, api.BoardPath{Board: args[0]})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, v := range all {
					rows = append(rows, []string{strconv.Itoa(v.Number), terminal.Clock(&v.At), v.By,
						strconv.Itoa(len(v.Tiling.Tiles)), v.Note})
				}
				terminal.Table(w, "Nothing was published yet.", []string{"VERSION", "AT", "BY", "TILES", "NOTE"}, rows)
			})
		}}
}

func boardRestoreCommand() *cobra.Command {
	c := &cobra.Command{Use: "restore NAME VERSION", Short: "Publish an older version of a board anew",
		Args: terminal.Exactly("NAME", "VERSION"), ValidArgsFunction: boardNames,
		Example: "  jaunty board version restore water 3"}
	c.RunE = func(c *cobra.Command, args []string) error {
		number, err := strconv.Atoi(args[1])
		if err != nil || number < 1 {
			return terminal.Misused("VERSION %q is no number like 3", args[1])
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		b, err := client.Do(c.Context(), s, api.TakeBoardVersion,
			api.TakeBoardVersionIn{BoardPath: api.BoardPath{Board: args[0]}, Version: number})
		if err != nil {
			return err
		}
		return doBoard(c, api.PublishBoard.At(args[0]), api.Publishing{Revision: b.Draft.Revision,
			Note: fmt.Sprintf("version %d again", number)}, "Version %d of the board %s is published, with %s.\n")
	}
	return c
}

func boardStartCommand() *cobra.Command {
	c := &cobra.Command{Use: "start [NAME]", Short: "Say which board you see first; without a name, what is wrong now",
		Args: terminal.Between(0, 1), ValidArgsFunction: boardNames,
		Example: "  jaunty board start overview\n  jaunty board start"}
	c.RunE = func(c *cobra.Command, args []string) error {
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		name := ""
		if len(args) > 0 {
			name = args[0]
		}
		var p site.Person
		if err := s.Call(c.Context(), api.SetStart.At(), api.StartOrder{Board: name}, &p); err != nil {
			return err
		}
		return terminal.Show(c, p, func(w io.Writer) {
			if name == "" {
				fmt.Fprintln(w, "You see first what is wrong now.")
			} else {
				fmt.Fprintf(w, "You see the board %s first.\n", name)
			}
		})
	}
	return c
}

func boardRemoveCommand() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove a board; it can be brought back for 30 days",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: boardNames, Example: "  jaunty board remove my-water",
		RunE: func(c *cobra.Command, args []string) error {
			return terminal.Remove(c, "board", args[0], api.RemoveBoard.At(args[0]))
		}}
}
