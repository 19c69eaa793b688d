package place

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func deviceSettingCommand() *cobra.Command {
	return terminal.Group("setting", "What a device is ordered to do, and what it runs", deviceSettingShowCommand(),
		deviceSettingSetCommand())
}

func deviceSettingShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME", Short: "What is ordered of a device, and what it runs", Args: terminal.Exactly("NAME"),
		ValidArgsFunction: terminal.DeviceNames, Example: "  jaunty device setting show compost",
		RunE: func(c *cobra.Command, args []string) error {
			d, err := terminal.Fetch[site.Device](c, api.GetDevice.At(args[0]))
			if err != nil {
				return err
			}
			return terminal.Show(c, d, func(w io.Writer) { fmt.Fprintln(w, settingsWords(d)) })
		},
	}
}

func deviceSettingSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set NAME", Short: "Order a device's settings; what is not said stays", Args: terminal.Exactly("NAME"),
		ValidArgsFunction: terminal.DeviceNames,
		Long: `Order a device's settings: how often it measures, how often when its battery is low, and free keys and
values. They are delivered over the way in that the device uses, and it says back which version it
runs. What is not named stays as it was ordered.`,
		Example: `  jaunty device setting set gate-node --interval 5m --sparing-interval 1h
  jaunty device setting set compost --set lamp=off --unset tune`,
	}
	f := c.Flags()
	f.String("interval", "", "how often to measure, 1s to 1d")
	f.String("sparing-interval", "", "how often when the battery is low")
	set := f.StringArray("set", nil, "KEY=VALUE; may be repeated")
	unset := f.StringArray("unset", nil, "KEY; may be repeated")
	c.MarkFlagsOneRequired("interval", "sparing-interval", "set", "unset")
	c.RunE = func(c *cobra.Command, args []string) error {
		d, err := terminal.Fetch[site.Device](c, api.GetDevice.At(args[0]))
		if err != nil {
			return err
		}
		order, err := changedSettings(c, d.Settings, *set, *unset)
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		d = site.Device{} // JSON would merge the maps
		if err := s.Call(c.Context(), api.OrderSettings.At(args[0]), order, &d); err != nil {
			return err
		}
		return terminal.Show(c, d, func(w io.Writer) { fmt.Fprintln(w, settingsWords(d)) })
	}
	return c
}

func changedSettings(c *cobra.Command, s site.Settings, set, unset []string) (site.Settings, error) {
	for flag, into := range map[string]*measure.Duration{"interval": &s.Interval, "sparing-interval": &s.Sparing} {
		if !c.Flags().Changed(flag) {
			continue
		}
		text, _ := c.Flags().GetString(flag)
		d, err := measure.ParseDuration(text)
		if err != nil {
			return s, terminal.Misused("--%s: %v", flag, err)
		}
		*into = d
	}
	values := map[string]string{}
	for k, v := range s.Values {
		values[k] = v
	}
	for _, pair := range set {
		key, value, found := strings.Cut(pair, "=")
		if !found {
			return s, terminal.Misused("--set %q is not KEY=VALUE", pair)
		}
		values[key] = value
	}
	for _, key := range unset {
		delete(values, key)
	}
	s.Values = values
	return s, nil
}

// settingsWords says what was ordered and what runs.
func settingsWords(d site.Device) string {
	switch {
	case d.Version == 0:
		return "Nothing is ordered."
	case d.RunningNo == d.Version && d.Running.Equal(d.Settings):
		return fmt.Sprintf("%s (version %d, which it runs)", d.Settings.Words(), d.Version)
	case d.RunningAt == nil:
		return fmt.Sprintf("ordered %s (version %d); the device has not said what it runs", d.Settings.Words(),
			d.Version)
	}
	return fmt.Sprintf("ordered %s (version %d); the device runs %s (version %d)", d.Settings.Words(), d.Version,
		d.Running.Words(), d.RunningNo)
}
