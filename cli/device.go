package cli

import (
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

func deviceCommand() *cobra.Command {
	return group("device", "Boxes on the network that send readings", deviceAddCommand(), deviceListCommand())
}

// addedDevice is a new device with its key.
type addedDevice struct {
	site.Device
	Key string `json:"key"`
	URL string `json:"url"`
}

func deviceAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add NAME", Short: "Add a device; its key is told once", Args: exactly("NAME"),
		Example: `  jaunty device add greenhouse-door
  jaunty device add greenhouse-door --title 'Greenhouse door' --json`,
	}
	title := c.Flags().String("title", "", "what people call it; made from the name when left out")
	c.RunE = func(c *cobra.Command, args []string) error {
		s, err := service()
		if err != nil {
			return err
		}
		out := addedDevice{URL: s.URL}
		if err := s.Do(c.Context(), http.MethodPost, "/api/v1/devices", map[string]string{"name": args[0], "title": *title}, &out); err != nil {
			return err
		}
		return show(c, out, func(w io.Writer) {
			fmt.Fprintf(w, "Device %s is added. Its key, told once:\n\n  %s\n\nSend its first reading; the signal temp appears by itself:\n\n"+
				"  curl -i %s/api/v1/intake -H 'Authorization: Bearer %s' -H 'Content-Type: application/json' -d '{\"temp\": 21.5}'\n\nThen see it land:\n\n  jaunty follow %s\n",
				out.Name, out.Key, s.URL, out.Key, out.Name)
		})
	}
	return c
}

func deviceListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All devices", Args: exactly(), Example: "  jaunty device list",
		RunE: func(c *cobra.Command, _ []string) error {
			devices, err := fetch[[]site.Device](c, "/api/v1/devices")
			if err != nil {
				return err
			}
			return show(c, devices, func(w io.Writer) {
				rows := [][]string{}
				for _, d := range devices {
					rows = append(rows, []string{d.Name, site.Title(d.Title, d.Name), strconv.Itoa(d.Signals), age(d.HeardAt)})
				}
				table(w, "No devices yet; add one with 'jaunty device add NAME'.", []string{"NAME", "CALLED", "SIGNALS", "HEARD"}, rows)
			})
		},
	}
}

func signalCommand() *cobra.Command {
	return group("signal", "Streams of readings", signalListCommand(), signalSetCommand())
}

func signalListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All signals with their newest readings", Args: exactly(), Example: "  jaunty signal list",
		RunE: func(c *cobra.Command, _ []string) error {
			signals, err := fetch[[]site.Signal](c, "/api/v1/signals")
			if err != nil {
				return err
			}
			return show(c, signals, func(w io.Writer) {
				rows := [][]string{}
				for _, v := range signals {
					rows = append(rows, []string{v.Path(), roster.Thing(v.DeviceTitle, v.Title), reads(v), age(v.At)})
				}
				table(w, "No signals yet; they appear by themselves at the first reading.", []string{"SIGNAL", "CALLED", "READS", "MEASURED"}, rows)
			})
		},
	}
}

// reads writes a signal's newest value for people.
func reads(v site.Signal) string {
	switch {
	case v.Value == nil:
		return "-"
	case v.Kind == site.KindSwitch && *v.Value == 0:
		return "off"
	case v.Kind == site.KindSwitch:
		return "on"
	}
	return measure.Figure(*v.Value, v.Unit)
}

func signalSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set DEVICE/SIGNAL", Short: "Say what a signal is called, and its unit", Args: exactly("DEVICE/SIGNAL"),
		Example: `  jaunty signal set greenhouse-door/temp --title 'Air temperature' --unit Cel`,
	}
	title := c.Flags().String("title", "", "what people call it")
	unit := c.Flags().String("unit", "", "SenML or UCUM code (Cel, %RH, ppm, V …); can be said once")
	c.RunE = func(c *cobra.Command, args []string) error {
		if _, _, err := site.SplitPath(args[0]); err != nil {
			return wrongUse{err}
		}
		change := map[string]string{}
		if c.Flags().Changed("title") {
			change["title"] = *title
		}
		if c.Flags().Changed("unit") {
			change["unit"] = *unit
		}
		if len(change) == 0 {
			return misused("say --title or --unit")
		}
		s, err := service()
		if err != nil {
			return err
		}
		var out site.Signal
		if err := s.Do(c.Context(), http.MethodPatch, "/api/v1/signals/"+args[0], change, &out); err != nil {
			return err
		}
		return show(c, out, func(w io.Writer) {
			fmt.Fprintln(w, strings.TrimSpace(fmt.Sprintf("%s is called %q %s", out.Path(), roster.Thing(out.DeviceTitle, out.Title), out.Unit)))
		})
	}
	return c
}
