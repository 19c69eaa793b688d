package record

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/board"
)

func pictureCommand() *cobra.Command {
	return terminal.Group("picture", "Pictures that boards show values on", pictureListCommand(), pictureAddCommand(),
		pictureRemoveCommand())
}

func pictureListCommand() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "All pictures, newest first", Args: terminal.Exactly(),
		Example: "  jaunty picture list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListPictures, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, p := range all {
					rows = append(rows, []string{strconv.FormatInt(p.ID, 10), p.Name, p.Type,
						fmt.Sprintf("%d × %d", p.Width, p.Height), strconv.Itoa(p.Size), p.By})
				}
				terminal.Table(w, "No pictures yet; 'jaunty picture add FILE' stores one.",
					[]string{"PICTURE", "NAME", "TYPE", "PIXELS", "BYTES", "BY"}, rows)
			})
		}}
}

func pictureAddCommand() *cobra.Command {
	c := &cobra.Command{Use: "add FILE", Short: "Store a picture: PNG, JPEG, WebP or SVG",
		Args: terminal.Exactly("FILE"),
		Long: "Store a picture for boards: PNG, JPEG, WebP or SVG. It is drawn anew: places, cameras and scripts " +
			"in the file are not kept.",
		Example: "  jaunty picture add glasshouse.svg"}
	title := c.Flags().String("title", "", "what people call it; the file's name when left out")
	c.RunE = func(c *cobra.Command, args []string) error {
		f, err := os.Open(args[0])
		if err != nil {
			return err
		}
		defer f.Close()
		if *title == "" {
			*title = filepath.Base(args[0])
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var p board.Picture
		if err := s.Upload(c.Context(), api.AddPicture.At().Asking("name", *title), "application/octet-stream", f,
			&p); err != nil {
			return err
		}
		return terminal.Show(c, p, func(w io.Writer) {
			fmt.Fprintf(w, "Picture %d is stored: %d × %d, %d bytes.\n", p.ID, p.Width, p.Height, p.Size)
		})
	}
	return c
}

func pictureRemoveCommand() *cobra.Command {
	return &cobra.Command{Use: "remove PICTURE", Short: "Remove a picture that no board shows",
		Args: terminal.Exactly("PICTURE"), Example: "  jaunty picture remove 3",
		RunE: func(c *cobra.Command, args []string) error {
			if _, err := strconv.ParseInt(args[0], 10, 64); err != nil {
				return terminal.Misused("PICTURE %q is no number like 3", args[0])
			}
			return terminal.Remove(c, "picture", args[0], api.RemovePicture.At(args[0]))
		}}
}
