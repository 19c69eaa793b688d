package place

import (
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/readings"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/core/sketch"
)

func deviceCommand() *cobra.Command {
	return terminal.Group("device", "Boxes on the network that send readings", deviceAddCommand(), deviceListCommand(),
		deviceShowCommand(), deviceSetCommand(),
		deviceCodeCommand(), deviceSettingCommand(), deviceKeyCommand(), deviceExportCommand(),
		readings.DeviceSheetCommand(), readings.DevicePowerOnCommand(), deviceRemoveCommand())
}

func deviceAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add NAME", Short: "Add a device; its key is told once", Args: terminal.Exactly("NAME"),
		Example: `  jaunty device add greenhouse-door
  jaunty device add pond --kit pond-probe --for mqtt --wait
  jaunty device add cellar-node --behind attic-hub --title 'Cellar' --json`,
	}
	f := c.Flags()
	f.String("title", "", "what people call it; made from the name when left out")
	f.String("kit", "", "the kit that it is made from")
	f.String("behind", "", "the gateway that it stands behind")
	kind := f.String("for", "curl", "the ready text to print: "+strings.Join(sketch.Kinds(), ", "))
	wait := f.Bool("wait", false, "wait for the first reading, and say what is wrong with what comes instead")
	terminal.CompleteFrom(c, "for", sketch.Kinds()...)
	terminal.CompleteKits(c, "kit")
	terminal.CompleteDevices(c, "behind")
	c.RunE = func(c *cobra.Command, args []string) error {
		if err := checkKind(*kind); err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		in := api.NewDevice{Name: args[0]}
		for name, into := range map[string]*string{"title": &in.Title, "kit": &in.Kit, "behind": &in.Behind} {
			*into, _ = c.Flags().GetString(name)
		}
		added, err := client.Do(c.Context(), s, api.AddDevice, api.With(in))
		if err != nil {
			return err
		}
		out := struct {
			api.AddedDevice
			URL string `json:"url"`
		}{added, s.URL}
		err = terminal.Show(c, out, func(w io.Writer) {
			fmt.Fprintf(w,
				"Device %s is added. Its key, told once:\n\n  %s\n\nIts first reading; signals appear by "+
					"themselves:\n\n%s\nThen see it land:\n\n  jaunty follow %s\n\n"+
					"The same for other boards: jaunty device code %s --key %s --for %s\n",
				out.Name, out.Key, indented(textFor(out.Code, *kind)), out.Name, out.Name, out.Key,
				strings.Join(sketch.Kinds(), "|"))
		})
		if err != nil || !*wait {
			return err
		}
		return waitForFirst(c, s, out.Name, c.ErrOrStderr())
	}
	return c
}

func checkKind(kind string) error {
	for _, k := range sketch.Kinds() {
		if k == kind {
			return nil
		}
	}
	return terminal.Misused("--for %q is not one of %s%s", kind, strings.Join(sketch.Kinds(), ", "),
		terminal.DidYouMean(kind, sketch.Kinds()))
}

// textFor gives the text of a kind, or why there is none.
func textFor(code []sketch.Text, kind string) string {
	for _, t := range code {
		if t.For == kind {
			return t.Text
		}
	}
	return fmt.Sprintf("(the service does not have %s open)\n", kind)
}

func indented(text string) string {
	var b strings.Builder
	for line := range strings.Lines(text) {
		b.WriteString(strings.TrimRight("  "+line, " "))
	}
	return b.String()
}

func deviceCodeCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "code NAME", Short: "Ready text that connects a device", Args: terminal.Exactly("NAME"),
		Long: `Ready text that connects a device, with this service's address and the device's name filled in. A key
is told only once, when it is made, so say it with --key or in JAUNTY_KEY; without it the text has
` + sketch.KeyMark + ` in its place. --new-key gives the device a new key, whose first use ends the old one.`,
		Example: `  jaunty device code greenhouse-door --for cpp --key 4x5k… > greenhouse-door.ino
  jaunty device code greenhouse-door --for mqtt --new-key`,
	}
	kind := c.Flags().String("for", "curl", "what the text is for: "+strings.Join(sketch.Kinds(), ", "))
	key := c.Flags().String("key", "", "the device's key")
	fresh := c.Flags().Bool("new-key", false, "make a new key and write it into the text")
	terminal.CompleteFrom(c, "for", sketch.Kinds()...)
	c.ValidArgsFunction = terminal.DeviceNames
	c.RunE = func(c *cobra.Command, args []string) error {
		if err := checkKind(*kind); err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var code []sketch.Text
		if *fresh {
			made, failed := client.Do(c.Context(), s, api.RotateKey,
				api.RotateKeyIn{DevicePath: api.DevicePath{Device: args[0]}})
			code, err = made.Code, failed
		} else {
			code, err = client.Do(c.Context(), s, api.GetCode, api.DevicePath{Device: args[0]})
		}
		if err != nil {
			return err
		}
		if *key == "" {
			*key = os.Getenv("JAUNTY_KEY")
		}
		for _, t := range code {
			if t.For != *kind {
				continue
			}
			if *key != "" {
				t.Text = strings.ReplaceAll(t.Text, sketch.KeyMark, *key)
			}
			return terminal.Show(c, t, func(w io.Writer) { fmt.Fprint(w, t.Text) })
		}
		return fmt.Errorf("the service does not have %s open; start it with --%s", *kind,
			map[string]string{"mqtt": "mqtt", "coap": "coaps"}[*kind])
	}
	return c
}

func deviceListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All devices: state, when last heard, firmware, clock, battery", Args: terminal.Exactly(),
		Example: "  jaunty device list\n  jaunty device list --json | jq '.[] | select(.life == \"silent\") | .name'",
		RunE: func(c *cobra.Command, _ []string) error {
			devices, err := terminal.Ask(c, api.ListDevices, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, devices, func(w io.Writer) {
				rows := [][]string{}
				for _, d := range devices {
					rows = append(rows, []string{d.Name, d.Life, terminal.Age(d.HeardAt), d.Protocol, d.Address,
						rateOf(d), orDash(d.Firmware), clockOf(d), batteryOf(d), d.Behind})
				}
				terminal.Table(w, "No devices yet; add one with 'jaunty device add NAME'.",
					[]string{"DEVICE", "STATE", "HEARD", "WAY IN", "FROM", "RATE", "FIRMWARE", "CLOCK", "BATTERY",
						"BEHIND"}, rows)
			})
		},
	}
}

func orDash(text string) string {
	if text == "" {
		return "-"
	}
	return terminal.Clip(text, 16)
}

func rateOf(d site.Device) string {
	switch {
	case d.PerMinute == 0:
		return "-"
	case d.PerMinute < 1:
		return fmt.Sprintf("%.0f/h", d.PerMinute*60)
	}
	return fmt.Sprintf("%.0f/min", d.PerMinute)
}

// clockTolerance is how far a clock may be off without a word.
const clockTolerance = 60

func clockOf(d site.Device) string {
	switch {
	case d.ClockBehind == nil:
		return "-"
	case *d.ClockBehind > clockTolerance:
		return prose.Length(time.Duration(*d.ClockBehind)*time.Second) + " behind"
	case *d.ClockBehind < -clockTolerance:
		return prose.Length(time.Duration(-*d.ClockBehind)*time.Second) + " ahead"
	}
	return "right"
}

func batteryOf(d site.Device) string {
	if d.Battery == nil {
		return "-"
	}
	return measure.Say(*d.Battery, d.BatteryUnit, 0)
}

func deviceShowCommand() *cobra.Command {
	c := &cobra.Command{Use: "show NAME", Short: "One device: state, clock, settings, keys, what was refused",
		Args: terminal.Exactly("NAME"), Example: "  jaunty device show pond", ValidArgsFunction: terminal.DeviceNames}
	c.RunE = func(c *cobra.Command, args []string) error {
		d, err := terminal.Ask(c, api.GetDevice, api.DevicePath{Device: args[0]})
		if err != nil {
			return err
		}
		return terminal.Show(c, d, func(w io.Writer) { tellDevice(w, d) })
	}
	return c
}

func tellDevice(w io.Writer, d api.DeviceStory) {
	line := func(name, format string, args ...any) {
		fmt.Fprintf(w, "%-10s %s\n", name, fmt.Sprintf(format, args...))
	}
	fmt.Fprintf(w, "%s (%s)\n\n", site.Title(d.Title, d.Name), d.Name)
	switch {
	case d.Interval != 0:
		line("state", "%s; heard %s, expected every %v", d.Life, terminal.Age(d.HeardAt), d.Interval)
	case d.Proposed != 0:
		line("state", "%s; heard %s. It seems to send every %v: jaunty device set %s --interval %v", d.Life,
			terminal.Age(d.HeardAt), d.Proposed, d.Name, d.Proposed)
	default:
		line("state", "%s; heard %s", d.Life, terminal.Age(d.HeardAt))
	}
	if d.Protocol != "" {
		line("came", "over %s from %s, %s", d.Protocol, d.Address, terminal.Age(d.SeenAt))
	}
	line("signals", "%d%s", d.Signals, map[bool]string{true: "; closed, no new ones appear"}[d.Closed])
	if d.Behind != "" {
		line("behind", "%s", d.Behind)
	}
	if d.Kit != "" {
		line("kit", "%s", d.Kit)
	}
	if d.ClockBehind != nil {
		line("clock", "%s", clockOf(d.Device))
	}
	if d.ClockOffset != 0 {
		line("corrected", "%v s are added to its times", d.ClockOffset)
	}
	if d.Version != 0 {
		line("settings", "%s", settingsWords(d.Device))
	}
	if d.Enrolled {
		line("enrolled", "sends with the enrolment key; give it one of its own: jaunty device key rotate %s", d.Name)
	}
	if d.RefusedAt != nil {
		line("refused", "%s: %s", terminal.Age(d.RefusedAt), d.Refused)
	}
	for _, k := range d.Knocks {
		line("key", "an unknown key came over %s from %s, %s", k.Protocol, orDash(k.Address), terminal.Age(&k.At))
	}
	fmt.Fprintln(w)
	tellKeys(w, d.Keys)
}

func deviceSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set NAME", Short: "Change a device: interval, gateway, clock, faults, whether it is closed",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: terminal.DeviceNames,
		Example: `  jaunty device set pond --interval 2s
  jaunty device set gate-node --clock-offset -3600
  jaunty device set cellar-node --behind attic-hub --closed
  jaunty device set pond --fault-severity advisory --fault-tell tadhg
  jaunty device set compost --silence-alarm=false`,
	}
	f := c.Flags()
	f.String("title", "", "what people call it")
	f.String("interval", "", "how often something is expected of it; after three of them it is silent. 0s: nobody says")
	f.String("behind", "", "the gateway that it stands behind; '' for none")
	f.String("uptime", "", "its signal that counts the seconds since power-on; '' for none")
	f.Bool("closed", false, "no new signals appear")
	f.Bool("silence-alarm", true, "its silence raises an alarm")
	f.Float64("clock-offset", 0, "seconds that are added to the times it sends")
	addFaultFlags(c)
	terminal.CompleteDevices(c, "behind")
	c.RunE = func(c *cobra.Command, args []string) error {
		change := map[string]any{}
		readFaultFlags(c, change)
		for flag, field := range map[string]string{"title": "title", "interval": "interval", "behind": "behind",
			"uptime": "uptime"} {
			if f.Changed(flag) {
				change[field], _ = f.GetString(flag)
			}
		}
		for flag, field := range map[string]string{"closed": "closed", "silence-alarm": "silence_alarm"} {
			if f.Changed(flag) {
				change[field], _ = f.GetBool(flag)
			}
		}
		if f.Changed("clock-offset") {
			change["clock_offset"], _ = f.GetFloat64("clock-offset")
		}
		if len(change) == 0 {
			return terminal.Misused("say what is to change, for instance --interval 15s")
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var out site.Device
		if err := s.Call(c.Context(), api.SetDevice.At(args[0]), change, &out); err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) { fmt.Fprintf(w, "Device %s is set.\n", out.Name) })
	}
	return c
}
