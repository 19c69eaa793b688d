package place

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/site"
)

func siteCommand() *cobra.Command {
	return terminal.Group("site", "The place being looked after: name, time zone, currency, holidays",
		siteShowCommand(), siteSetCommand(), siteReachCommand())
}

func printSite(w io.Writer, here site.Site) {
	fmt.Fprintf(w, "%s, %s, %s.\n", here.Name, here.Zone, here.Currency)
	if len(here.Holidays) > 0 {
		fmt.Fprintf(w, "Holidays: %s.\n", strings.Join(here.Holidays, ", "))
	}
}

func siteShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show", Short: "Name, time zone, currency, holidays and units of the site", Args: terminal.Exactly(),
		Example: "  jaunty site show",
		RunE: func(c *cobra.Command, _ []string) error {
			here, err := terminal.Ask(c, api.GetSite, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, here, func(w io.Writer) { printSite(w, here) })
		},
	}
}

func siteSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set", Short: "Change the site: name, time zone, currency, holidays", Args: terminal.Exactly(),
		Example: "  jaunty site set --zone Europe/Dublin --currency EUR\n  jaunty site set --holiday 2026-12-25 " +
			"--holiday 2026-12-26",
	}
	f := c.Flags()
	f.String("name", "", "what it is called")
	f.String("zone", "", "time zone, like Europe/Dublin")
	f.String("currency", "", "ISO 4217 code, like EUR")
	f.StringSlice("holiday", nil,
		"a date that counts as a holiday in armed hours; may be repeated, replaces those there are; '' for none")
	c.RunE = func(c *cobra.Command, _ []string) error {
		here, err := terminal.Ask(c, api.GetSite, api.None{})
		if err != nil {
			return err
		}
		for name, into := range map[string]*string{"name": &here.Name, "zone": &here.Zone, "currency": &here.Currency} {
			if f.Changed(name) {
				*into, _ = f.GetString(name)
			}
		}
		if f.Changed("holiday") {
			days, _ := f.GetStringSlice("holiday")
			here.Holidays = site.Days{}
			for _, day := range days {
				if day != "" {
					here.Holidays = append(here.Holidays, day)
				}
			}
			if err := here.Holidays.Check(); err != nil {
				return terminal.Wrong(err)
			}
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if err := s.Call(c.Context(), api.PutSite.At(), here, &here); err != nil {
			return err
		}
		return terminal.Show(c, here, func(w io.Writer) { printSite(w, here) })
	}
	return c
}
