package place

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
)

func arrivalCommand() *cobra.Command {
	return terminal.Group("arrival", "Devices that announced themselves and wait to be let in", arrivalListCommand(),
		letInCommand(), turnAwayCommand(), enrolmentCommand())
}

func arrivalListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "Devices that wait to be let in, and what they send", Args: terminal.Exactly(),
		Example: "  jaunty arrival list",
		RunE: func(c *cobra.Command, _ []string) error {
			arrivals, err := terminal.Ask(c, api.ListArrivals, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, arrivals, func(w io.Writer) {
				rows := [][]string{}
				for _, a := range arrivals {
					var sends []string
					for _, s := range a.Signals {
						if s.Text != "" {
							sends = append(sends, s.Name+" "+terminal.Clip(s.Text, 20))
							continue
						}
						sends = append(sends, s.Name+" "+measure.Say(s.Value, s.Unit, 0))
					}
					state := a.State
					if a.Former {
						state += ", was removed"
					}
					rows = append(rows, []string{a.Name, state, terminal.Age(&a.LastAt), a.Protocol, a.Address,
						strconv.Itoa(a.Readings), terminal.Clip(strings.Join(sends, ", "), 60)})
				}
				terminal.Table(w, "Nobody waits. Devices with the enrolment key do: 'jaunty arrival enrolment start'.",
					[]string{"DEVICE", "STATE", "HEARD", "WAY IN", "FROM", "READINGS KEPT", "SENDS"}, rows)
			})
		},
	}
}

func letInCommand() *cobra.Command {
	c := &cobra.Command{Use: "let-in NAME", Short: "Make an arrival a device, with what it has sent so far",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: terminal.ArrivalNames,
		Example: "  jaunty arrival let-in stranger\n  jaunty arrival let-in stranger --kit pond-probe --title " +
			"'Second pond'"}
	f := c.Flags()
	f.String("kit", "", "the kit that it is made from")
	f.String("title", "", "what people call it")
	f.String("behind", "", "the gateway that it stands behind")
	terminal.CompleteKits(c, "kit")
	terminal.CompleteDevices(c, "behind")
	c.RunE = func(c *cobra.Command, args []string) error {
		in := api.LetInIn{ArrivalPath: api.ArrivalPath{Name: args[0]}}
		in.Body.Kit, _ = f.GetString("kit")
		in.Body.Title, _ = f.GetString("title")
		in.Body.Behind, _ = f.GetString("behind")
		out, err := terminal.Ask(c, api.LetIn, in)
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) {
			fmt.Fprintf(w, "Device %s is let in with %s.\n", out.Name, prose.Count(out.Signals, "signal", "signals"))
			if out.Enrolled {
				fmt.Fprintf(w, "It sends with the enrolment key; give it one of its own: jaunty device key rotate %s\n",
					out.Name)
			}
		})
	}
	return c
}

func turnAwayCommand() *cobra.Command {
	c := &cobra.Command{Use: "turn-away NAME", Short: "Refuse what an arrival sends; it can still be let in later",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: terminal.ArrivalNames,
		Example: "  jaunty arrival turn-away stranger"}
	c.RunE = func(c *cobra.Command, args []string) error {
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if _, err := client.Do(c.Context(), s, api.TurnAway, api.ArrivalPath{Name: args[0]}); err != nil {
			return err
		}
		return terminal.Show(c, map[string]string{"turned_away": args[0]},
			func(w io.Writer) { fmt.Fprintf(w, "%s is turned away.\n", args[0]) })
	}
	return c
}

func enrolmentCommand() *cobra.Command {
	c := terminal.Group("enrolment", "The key that lets unknown devices announce themselves",
		enrolmentAct("show", "Whether there is an enrolment key", api.GetEnrolment.At()),
		enrolmentAct("start", "Make an enrolment key; it is told once, and the old one ends", api.NewEnrolment.At()),
		enrolmentAct("end", "End enrolment", api.EndEnrolment.At()))
	c.Long = "The enrolment key lets devices that nobody knows announce themselves under a name of their own; they " +
		"wait as arrivals."
	return c
}

func enrolmentAct(verb, short string, at api.Place) *cobra.Command {
	c := &cobra.Command{Use: verb, Short: short, Args: terminal.Exactly(), Example: "  jaunty arrival enrolment " +
		verb}
	c.RunE = func(c *cobra.Command, _ []string) error {
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var out api.Enrolment
		if err := s.Call(c.Context(), at, nil, &out); err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) {
			switch {
			case out.Key != "":
				fmt.Fprintf(w,
					"The enrolment key, told once:\n\n  %s\n\nA device announces itself with it and a name of its "+
						"own, for instance:\n\n"+
						"  curl -i %s%s -H 'Authorization: Bearer %s' -H '%s: my-device' -H 'Content-Type: "+
						"application/json' -d '{\"temp\": 21.5}'\n", out.Key, s.URL, api.SendReadings.At().Path,
					out.Key, api.DeviceHeader)
			case out.On:
				fmt.Fprintln(w, "There is an enrolment key.")
			default:
				fmt.Fprintln(w, "There is no enrolment key; devices must be added by name.")
			}
		})
	}
	return c
}
