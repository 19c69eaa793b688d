package place

import (
	"io"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
)

func deviceExportCommand() *cobra.Command {
	c := &cobra.Command{Use: "export NAME", Short: "All readings of a device as CSV, in the form that intake reads",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: terminal.DeviceNames,
		Example: "  jaunty device export pond > pond.csv"}
	c.RunE = func(c *cobra.Command, args []string) error { return export(c, args[0], c.OutOrStdout()) }
	return c
}

func export(c *cobra.Command, device string, to io.Writer) error {
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	return s.Download(c.Context(), api.ExportReadings.At().Asking("names", "bare", "values", "raw", "zone", "UTC",
		"what", device), to)
}

func deviceRemoveCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "remove NAME", Short: "Remove a device with its readings; it can be brought back for 30 days",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: terminal.DeviceNames,
		Long: `Remove a device with its signals, guards and readings. For 30 days it can be brought back with all of them. Its
keys are remembered: when it sends again, it waits as an arrival.`,
		Example: "  jaunty device remove old-pump\n  jaunty device remove old-pump --export old-pump.csv",
	}
	file := c.Flags().String("export", "", "file that its readings are written to first")
	c.RunE = func(c *cobra.Command, args []string) error {
		if *file != "" {
			if err := exportTo(c, args[0], *file); err != nil {
				return err
			}
		}
		return terminal.Remove(c, "device", args[0], api.RemoveDevice.At(args[0]))
	}
	return c
}

func exportTo(c *cobra.Command, device, file string) error {
	return terminal.NewFile(file, func(to io.Writer) error { return export(c, device, to) })
}
