package place

import (
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/server/place"
)

func kitCommand() *cobra.Command {
	return terminal.Group("kit", "Reusable descriptions of one sort of device", kitListCommand(), kitShowCommand(),
		kitAddCommand(), kitSetCommand(), kitApplyCommand(), terminal.RemoveCommand("kit", api.RemoveKit.Operation,
			terminal.KitNames), kitSchemaCommand())
}

func kitListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All kits", Args: terminal.Exactly(), Example: "  jaunty kit list",
		RunE: func(c *cobra.Command, _ []string) error {
			kits, err := terminal.Ask(c, api.ListKits, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, kits, func(w io.Writer) {
				rows := [][]string{}
				for _, k := range kits {
					rows = append(rows, []string{k.Name, orDash(k.Title), strconv.Itoa(len(k.Signals)),
						strconv.Itoa(len(k.Guards)), k.Interval.String()})
				}
				terminal.Table(w, "No kits yet; make one of a device with 'jaunty kit add NAME --device DEVICE'.",
					[]string{"KIT", "TITLE", "SIGNALS", "GUARDS", "INTERVAL"}, rows)
			})
		},
	}
}

func kitShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME", Short: "One kit as YAML, which kit set reads", Args: terminal.Exactly("NAME"),
		ValidArgsFunction: terminal.KitNames, Example: "  jaunty kit show pond-probe > pond-probe.yaml",
		RunE: func(c *cobra.Command, args []string) error {
			k, err := terminal.Ask(c, api.GetKit, api.KitPath{Kit: args[0]})
			if err != nil {
				return err
			}
			text, err := kitYAML(k)
			if err != nil {
				return err
			}
			return terminal.Show(c, k, func(w io.Writer) { fmt.Fprint(w, text) })
		},
	}
}

// kitYAML writes a kit as YAML, in the order of its fields, without those that are left open.
func kitYAML(k site.Kit) (string, error) {
	text, err := yaml.MarshalWithOptions(k, yaml.UseJSONMarshaler())
	return string(text), err
}

func kitAddCommand() *cobra.Command {
	c := &cobra.Command{Use: "add NAME", Short: "Make a kit of a device as it is", Args: terminal.Exactly("NAME"),
		Example: "  jaunty kit add pond-probe --device pond"}
	device := c.Flags().String("device", "", "the device that it is to describe")
	_ = c.MarkFlagRequired("device")
	terminal.CompleteDevices(c, "device")
	c.RunE = func(c *cobra.Command, args []string) error {
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		out, err := client.Do(c.Context(), s, api.KitFromDevice, api.KitFromDeviceIn{KitPath: api.KitPath{Kit: args[0]},
			Body: api.KitSource{Device: *device}})
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) { tellSaved(w, out) })
	}
	return c
}

func tellSaved(w io.Writer, out api.SavedKit) {
	fmt.Fprintf(w, "Kit %s is saved: %s, %s, %s.\n", out.Kit.Name, prose.Count(len(out.Kit.Signals), "signal",
		"signals"), prose.Count(len(out.Kit.Guards), "guard", "guards"), prose.Count(len(out.Kit.Outputs), "output",
		"outputs"))
	if len(out.Offers) == 0 {
		return
	}
	fmt.Fprintf(w, "\nNothing has changed yet. 'jaunty kit apply %s' would change:\n\n", out.Kit.Name)
	tellChanges(w, out.Offers)
}

func tellChanges(w io.Writer, changes []site.KitChange) {
	rows := [][]string{}
	for _, c := range changes {
		to := orNothing(c.To)
		if c.Kept != "" {
			to = "stays: " + c.Kept
		}
		rows = append(rows, []string{c.Device, strings.TrimSpace(c.What + " " + c.Field),
			terminal.Clip(orNothing(c.From), 50), terminal.Clip(to, 70)})
	}
	terminal.Table(w, "Nothing changes.", []string{"DEVICE", "WHAT", "FROM", "TO"}, rows)
}

func orNothing(text string) string {
	if text == "" {
		return "-"
	}
	return text
}

func kitSetCommand() *cobra.Command {
	c := &cobra.Command{Use: "set FILE", Short: "Save a kit from a YAML file; - is standard input",
		Args: terminal.Exactly("FILE"),
		Long: `Save a kit from a YAML file, in place of one of the same name. What it would change of the devices that
were made from it is shown and not done; 'jaunty kit apply' does it. 'jaunty kit schema' prints the JSON
Schema of the file.`,
		Example: "  jaunty kit set pond-probe.yaml\n  jaunty kit show pond-probe | sed 's/2s/5s/' | jaunty kit set -"}
	c.RunE = func(c *cobra.Command, args []string) error {
		k, err := readKit(c, args[0])
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if err := terminal.See(c, api.GetKit.At(k.Name)); err != nil {
			return err
		}
		out, err := client.Do(c.Context(), s, api.PutKit, api.PutKitIn{KitPath: api.KitPath{Kit: k.Name}, Body: k})
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) { tellSaved(w, out) })
	}
	return c
}

func readKit(c *cobra.Command, file string) (k site.Kit, err error) {
	in := c.InOrStdin()
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return k, err
		}
		defer f.Close()
		in = f
	}
	text, err := io.ReadAll(io.LimitReader(in, 1<<20))
	if err != nil {
		return k, err
	}
	if err := yaml.UnmarshalWithOptions(text, &k, yaml.Strict(), yaml.UseJSONUnmarshaler()); err != nil {
		return k, terminal.Misused("%s: %s", file, yaml.FormatError(err, false, true))
	}
	if err := k.Check(); err != nil {
		var fault *measure.Fault = err.(*measure.Fault)
		return k, terminal.Misused("%s: %s: %s", file, fault.Field, fault.Reason)
	}
	return k, nil
}

func kitApplyCommand() *cobra.Command {
	c := &cobra.Command{Use: "apply NAME [DEVICE …]", Short: "Make devices what their kit says",
		Args: terminal.Between(1, 0), ValidArgsFunction: terminal.KitNames,
		Long: "Make devices what their kit says: those named, or all that were made from it. --try shows what " +
			"would change.",
		Example: "  jaunty kit apply pond-probe --try\n  jaunty kit apply pond-probe\n  jaunty kit apply pond-probe " +
			"second-pond"}
	try := c.Flags().Bool("try", false, "show what would change, and change nothing")
	c.RunE = func(c *cobra.Command, args []string) error {
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var changes []site.KitChange
		if *try {
			changes, err = client.Do(c.Context(), s, api.KitChanges,
				api.KitChangesIn{KitPath: api.KitPath{Kit: args[0]}, Devices: args[1:]})
		} else {
			changes, err = client.Do(c.Context(), s, api.ApplyKit, api.ApplyKitIn{KitPath: api.KitPath{Kit: args[0]},
				Body: api.KitApplication{Devices: args[1:]}})
		}
		if err != nil {
			return err
		}
		return terminal.Show(c, changes, func(w io.Writer) { tellChanges(w, changes) })
	}
	return c
}

func kitSchemaCommand() *cobra.Command {
	return &cobra.Command{Use: "schema", Short: "The JSON Schema of a kit's YAML file", Args: terminal.Exactly(),
		Example: "  jaunty kit schema > kit.schema.json",
		RunE: func(c *cobra.Command, _ []string) error {
			schema, err := place.KitSchema()
			if err != nil {
				return err
			}
			_, err = c.OutOrStdout().Write(schema)
			return err
		}}
}
