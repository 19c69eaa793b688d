package place

import (
	"fmt"
	"io"
	"strconv"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func deviceKeyCommand() *cobra.Command {
	return terminal.Group("key", "A device's keys", keyListCommand(), keyRotateCommand(), keyRevokeCommand())
}

func keyListCommand() *cobra.Command {
	c := &cobra.Command{Use: "list NAME", Short: "A device's keys, and when and from where they were last used",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: terminal.DeviceNames,
		Example: "  jaunty device key list pond"}
	c.RunE = func(c *cobra.Command, args []string) error {
		keys, err := terminal.Ask(c, api.ListKeys, api.DevicePath{Device: args[0]})
		if err != nil {
			return err
		}
		return terminal.Show(c, keys, func(w io.Writer) { tellKeys(w, keys) })
	}
	return c
}

func tellKeys(w io.Writer, keys []site.Key) {
	rows := [][]string{}
	for _, k := range keys {
		ends := "-"
		switch {
		case k.ExpiresAt != nil:
			ends = terminal.Clock(k.ExpiresAt)
		case k.UntilUsed:
			ends = "when the new one is used"
		}
		rows = append(rows, []string{strconv.FormatInt(k.ID, 10), k.Identity, terminal.Clock(&k.CreatedAt),
			terminal.Age(k.LastUsedAt), orDash(k.LastUsedFrom), orDash(k.LastUsedBy), ends})
	}
	terminal.Table(w, "It has no key; make one with 'jaunty device key rotate NAME'.",
		[]string{"KEY", "DTLS IDENTITY", "ADDED", "LAST USED", "FROM", "WAY IN", "ENDS"}, rows)
}

func keyRotateCommand() *cobra.Command {
	c := &cobra.Command{Use: "rotate NAME",
		Short: "Give a device a new key, told once; the old one stays good for a while", Args: terminal.Exactly("NAME"),
		ValidArgsFunction: terminal.DeviceNames,
		Example: "  jaunty device key rotate pond                  # the old one ends when the new one is " +
			"first used\n  jaunty device key rotate pond --overlap 24h"}
	overlap := c.Flags().String("overlap", "",
		"the old key ends after so long, instead of when the new one is first used")
	c.RunE = func(c *cobra.Command, args []string) error {
		in := api.RotateKeyIn{DevicePath: api.DevicePath{Device: args[0]}}
		if *overlap != "" {
			long, err := measure.ParseDuration(*overlap)
			if err != nil {
				return terminal.Misused("--overlap: %v", err)
			}
			in.Body.Overlap = &long
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		out, err := client.Do(c.Context(), s, api.RotateKey, in)
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) {
			fmt.Fprintf(w, "The new key of %s, told once (DTLS identity %s):\n\n  %s\n", args[0], out.Identity, out.Key)
		})
	}
	return c
}

func keyRevokeCommand() *cobra.Command {
	c := &cobra.Command{Use: "revoke NAME KEY", Short: "End a key at once; connections that it opened are closed",
		Args: terminal.Exactly("NAME", "KEY"),
		Example: "  jaunty device key list pond\n  jaunty device key revoke pond 7\n  jaunty device key revoke pond " +
			"pond.2", ValidArgsFunction: terminal.DeviceNames}
	c.RunE = func(c *cobra.Command, args []string) error {
		number, err := keyNumber(c, args[0], args[1])
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if _, err := client.Do(c.Context(), s, api.RevokeKey,
			api.RevokeKeyIn{DevicePath: api.DevicePath{Device: args[0]}, Key: number}); err != nil {
			return err
		}
		return terminal.Show(c, map[string]string{"revoked": args[1]},
			func(w io.Writer) { fmt.Fprintf(w, "Key %s of %s has ended.\n", args[1], args[0]) })
	}
	return c
}

// keyNumber finds a key of a device: by its number, or by its DTLS identity.
func keyNumber(c *cobra.Command, device, key string) (int64, error) {
	if n, err := strconv.ParseInt(key, 10, 64); err == nil {
		return n, nil
	}
	keys, err := terminal.Ask(c, api.ListKeys, api.DevicePath{Device: device})
	if err != nil {
		return 0, err
	}
	var known []string
	for _, k := range keys {
		if known = append(known, k.Identity); k.Identity == key {
			return k.ID, nil
		}
	}
	return 0, terminal.Misused("%s; 'jaunty device key list %s' lists them", site.Unknown("key", key, known), device)
}
