package cli

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"

	"github.com/spf13/cobra"
)

func deviceExportCommand() *cobra.Command {
	c := &cobra.Command{Use: "export NAME", Short: "All readings of a device as CSV, in the form that intake reads", Args: exactly("NAME"), ValidArgsFunction: deviceNames,
		Example: "  jaunty device export pond > pond.csv"}
	c.RunE = func(c *cobra.Command, args []string) error { return export(c, args[0], c.OutOrStdout()) }
	return c
}

func export(c *cobra.Command, device string, to io.Writer) error {
	s, err := service()
	if err != nil {
		return err
	}
	return s.Download(c.Context(), "/api/v1/export?names=bare&values=raw&zone=UTC&what="+url.QueryEscape(device), to)
}

func deviceDeleteCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "delete NAME", Short: "Delete a device with its readings", Args: exactly("NAME"), ValidArgsFunction: deviceNames,
		Long: `Delete a device with its signals, guards and readings. Say where its readings go first, or that they
may go. Its keys are remembered: when it sends again, it waits as an arrival.`,
		Example: "  jaunty device delete old-pump --export old-pump.csv\n  jaunty device delete old-pump --without-data",
	}
	file := c.Flags().String("export", "", "file that its readings are written to first")
	without := c.Flags().Bool("without-data", false, "its readings may go")
	c.RunE = func(c *cobra.Command, args []string) error {
		if (*file == "") == !*without {
			return misused("say --export FILE to keep its readings, or --without-data to let them go")
		}
		if *file != "" {
			if err := exportTo(c, args[0], *file); err != nil {
				return err
			}
		}
		s, err := service()
		if err != nil {
			return err
		}
		if err := s.Do(c.Context(), http.MethodDelete, devicesPath+"/"+args[0], nil, nil); err != nil {
			return err
		}
		return show(c, map[string]string{"deleted": args[0], "export": *file}, func(w io.Writer) { fmt.Fprintf(w, "Device %s is deleted.\n", args[0]) })
	}
	return c
}

func exportTo(c *cobra.Command, device, file string) error {
	return newFile(file, func(to io.Writer) error { return export(c, device, to) })
}

// newFile writes a new file; one that is there already is not touched, and one that is cut off is taken away.
func newFile(file string, write func(io.Writer) error) error {
	out, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	if err := errors.Join(write(out), out.Sync(), out.Close()); err != nil {
		return errors.Join(err, os.Remove(file))
	}
	return nil
}
