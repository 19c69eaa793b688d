package record

import (
	"fmt"
	"io"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/asset"
	"jauntylark/core/prose"
)

// assetFileCommand holds what is done with photos and papers.
func assetFileCommand() *cobra.Command {
	return terminal.Group("file", "Photos and papers of an asset", assetFileListCommand(), assetFileAddCommand(),
		assetFileRemoveCommand())
}

func assetFileListCommand() *cobra.Command {
	return &cobra.Command{Use: "list NAME", Short: "Photos and papers of an asset, the newest first",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: assetNames, Example: "  jaunty asset file list fog-pump",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := terminal.Ask(c, api.GetAsset, api.AssetPath{Asset: args[0]})
			if err != nil {
				return err
			}
			return terminal.Show(c, p.Attachments, func(w io.Writer) {
				rows := [][]string{}
				for _, a := range p.Attachments {
					rows = append(rows, []string{strconv.FormatInt(a.ID, 10), string(a.Kind), a.Name,
						prose.Bytes(int64(a.Size)), a.By, terminal.Clock(&a.At)})
				}
				terminal.Table(w, "No photos or papers yet; 'jaunty asset file add NAME FILE' stores one.",
					[]string{"FILE", "KIND", "TITLE", "SIZE", "BY", "ADDED"}, rows)
			})
		}}
}

func assetFileAddCommand() *cobra.Command {
	c := &cobra.Command{Use: "add NAME FILE", Short: "Store a photo of an asset (PNG, JPEG, WebP), or a paper (PDF)",
		Args: terminal.Exactly("NAME", "FILE"), ValidArgsFunction: assetNames,
		Long: "Store a photo of an asset (PNG, JPEG, WebP), or a paper (PDF). A photo is drawn anew: turned " +
			"upright, scaled to 2560 pixels, and without the place where it was taken.",
		Example: "  jaunty asset file add fog-pump pump.jpg --title 'Name plate'\n  jaunty asset file add fog-pump " +
			"manual.pdf"}
	title := c.Flags().String("title", "", "what people call it; the file's name when left out")
	c.RunE = func(c *cobra.Command, args []string) error {
		op := api.AddPhoto
		if strings.EqualFold(filepath.Ext(args[1]), ".pdf") {
			op = api.AddPaper
		}
		var a asset.Attachment
		if err := terminal.Upload(c, op.At(args[0]), args[1], *title, &a); err != nil {
			return err
		}
		return terminal.Show(c, a, func(w io.Writer) {
			size := prose.Bytes(int64(a.Size))
			if a.Width > 0 {
				size = fmt.Sprintf("%d × %d, %s", a.Width, a.Height, size)
			}
			fmt.Fprintf(w, "%s has the %s %s (%d): %s.\n", args[0], a.Kind, a.Name, a.ID, size)
		})
	}
	return c
}

func assetFileRemoveCommand() *cobra.Command {
	return &cobra.Command{Use: "remove NAME ID", Short: "Remove a photo or a paper of an asset",
		Args: terminal.Exactly("NAME", "ID"), ValidArgsFunction: assetNames,
		Example: "  jaunty asset file remove fog-pump 3",
		RunE: func(c *cobra.Command, args []string) error {
			if _, err := strconv.ParseInt(args[1], 10, 64); err != nil {
				return terminal.Misused("ID %q is no number like 3", args[1])
			}
			return terminal.Remove(c, "attachment", args[1], api.RemoveAttachment.At(args[0], args[1]))
		}}
}
