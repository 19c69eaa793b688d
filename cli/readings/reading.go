package readings

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

func sendCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "send DEVICE/SIGNAL=VALUE…", Short: "Send readings by hand",
		Long: `Send readings as the person who is logged in (role keeper), or with --key as a device. A value is a
number, or true or false for a signal that is on or off. Without --at it is measured now.`,
		Example: `  jaunty send greenhouse-door/temp=31.5
  jaunty send greenhouse-door/temp=31.5 greenhouse-door/open=true --at 2026-03-01T14:05:00Z
  jaunty send temp=31.5 --key KEY`,
		Args: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				return terminal.Misused("say what to send, like greenhouse-door/temp=31.5")
			}
			return nil
		},
	}
	at := c.Flags().String("at", "", "when it was measured: "+terminal.TimeHelp+"; now when left out")
	key := c.Flags().String("key", os.Getenv("JAUNTY_KEY"), "a device's key, to send as that device")
	c.Flags().Lookup("key").DefValue = ""
	c.RunE = func(c *cobra.Command, args []string) error {
		body, err := readingsBody(args, *at)
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if *key != "" {
			s.Token = *key
		}
		refused, err := s.SendReadings(c.Context(), "application/json", body)
		if err != nil {
			return err
		}
		for _, r := range refused {
			fmt.Fprintf(c.ErrOrStderr(), "jaunty: %s was refused: %s %s\n", r.Signal, r.Field, r.Reason)
		}
		out := api.Accepted{Accepted: len(args) - len(refused), Refused: refused}
		if err := terminal.Show(c, out, func(w io.Writer) {
			fmt.Fprintf(w, "%d taken and committed.\n", out.Accepted)
		}); err != nil {
			return err
		}
		if len(refused) > 0 {
			return fmt.Errorf("%d of %s refused", len(refused), prose.Count(len(args), "reading was", "readings were"))
		}
		return nil
	}
	return c
}

// readingsBody makes the flat JSON body of NAME=VALUE arguments.
func readingsBody(args []string, at string) ([]byte, error) {
	body := map[string]any{}
	if at != "" {
		var i measure.Instant
		if err := i.UnmarshalText([]byte(at)); err != nil {
			return nil, terminal.Misused("--at: %w", err)
		}
		body["at"] = i
	}
	for _, arg := range args {
		name, text, found := strings.Cut(arg, "=")
		if !found || name == "at" {
			return nil, terminal.Misused("%q is not DEVICE/SIGNAL=VALUE", arg)
		}
		if _, twice := body[name]; twice {
			return nil, terminal.Misused("%s is given twice", name)
		}
		if text == "true" || text == "false" {
			body[name] = text == "true"
		} else if v, err := strconv.ParseFloat(text, 64); err == nil && v-v == 0 {
			body[name] = v
		} else {
			return nil, terminal.Misused("%q is not a number, true or false, in %q", text, arg)
		}
	}
	return json.Marshal(body)
}

func readingCommand() *cobra.Command {
	return terminal.Group("reading", "Stored readings", readingListCommand(), readingRemoveCommand(),
		readingBringBackCommand())
}

func readingListCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "list DEVICE/SIGNAL", Short: "Readings of a stretch of time, in its order",
		Args: terminal.Exactly("DEVICE/SIGNAL"),
		Example: `  jaunty reading list fern-house/air --since 1h
  jaunty reading list fern-house/air --since 2026-03-01T00:00:00Z --until 2026-03-02T00:00:00Z --json
  jaunty reading list pond/oxygen --since 30d --every 1d --show mean,low,high`,
	}
	every := c.Flags().String("every", "", "figures by period instead of readings: 1m, 15m, 1h, 1d, 7d")
	wanted := c.Flags().StringSlice("show", []string{"low", "mean", "held-mean", "high", "count"}, "which figures: "+
		strings.Join(figureNames, ", "))
	terminal.CompleteFrom(c, "show", figureNames...)
	terminal.SpanFlags(c.Flags(), "1h", "", "the newest reading")
	c.RunE = func(c *cobra.Command, args []string) error {
		if _, _, err := site.SplitPath(args[0]); err != nil {
			return terminal.Wrong(err)
		}
		query := url.Values{}
		if err := terminal.SpanQuery(c.Flags(), query); err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if *every != "" {
			query.Set("every", *every)
			return listFigures(c, s, args[0], query, *wanted)
		}
		readings, err := allReadings(c, s, args[0], query)
		if err != nil {
			return err
		}
		see, err := terminal.SeenSignals(c, s)
		if err != nil {
			return err
		}
		return terminal.Show(c, readings, func(w io.Writer) {
			see.TellUnit(w, args[0])
			rows := [][]string{}
			for _, r := range readings {
				rows = append(rows, []string{terminal.Clock(&r.At), see.Say(args[0], r.Value), r.Quality.String()})
			}
			terminal.Table(w, "No readings in this stretch.", []string{"AT", "VALUE", "QUALITY"}, rows)
		})
	}
	return c
}

// allReadings follows the pages to the end.
func allReadings(c *cobra.Command, s *client.Client, path string, query url.Values) ([]measure.Reading, error) {
	all := []measure.Reading{}
	query.Set("limit", "100000")
	for {
		var page api.Readings
		if err := s.Call(c.Context(), api.ListReadings.At(terminal.Parts(path)).Raw(query.Encode()), nil,
			&page); err != nil {
			return nil, err
		}
		if all = append(all, page.Readings...); page.Next == nil {
			return all, nil
		}
		query.Set("since", page.Next.String())
	}
}

func followCommand() *cobra.Command {
	return &cobra.Command{
		Use: "follow [DEVICE|DEVICE/SIGNAL…]", Short: "See readings and alarms as they come",
		Args: terminal.Between(0, 0),
		Long: `Print a line for each signal whenever a newer reading of it has landed, and for each alarm that is
raised or changes, until Ctrl-C. A broken connection is taken up again without a gap. With --json each
line is a document with "kind" (signal or alarm) and the signal or alarm as it is now.`,
		Example: `  jaunty follow
  jaunty follow greenhouse-door fern-house/air
  jaunty follow --json`,
		RunE: follow,
	}
}

func follow(c *cobra.Command, wanted []string) error {
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	units, err := terminal.ShownUnits(c, s)
	if err != nil {
		return err
	}
	f := follower{wanted: wanted, told: map[string]measure.Instant{}, units: units}
	if err := f.check(c); err != nil {
		return err
	}
	for last := ""; ; {
		err := s.Follow(c.Context(), last, func(e client.Event) error {
			if e.Name != "change" {
				return nil
			}
			last = e.ID
			var change site.Update
			if err := json.Unmarshal(e.Data, &change); err != nil {
				return err
			}
			return f.print(c, change)
		})
		var problem *client.Problem
		if c.Context().Err() != nil {
			return nil
		}
		if errors.As(err, &problem) && problem.Status < 500 {
			return err
		}
		fmt.Fprintf(c.ErrOrStderr(), "jaunty: the connection broke (%v), trying again\n", err)
		select {
		case <-c.Context().Done():
			return nil
		case <-time.After(time.Second):
		}
	}
}

// follower prints what changes of the wanted signals; of all when none is named.
type follower struct {
	wanted []string
	told   map[string]measure.Instant // the newest reading that was printed of each signal
	units  site.Units
}

// check tells whether there is a device of each wanted name; a signal of it may still appear.
func (f follower) check(c *cobra.Command) error {
	devices, err := terminal.Ask(c, api.ListDevices, api.None{})
	if err != nil {
		return err
	}
	names := make([]string, len(devices))
	for i, d := range devices {
		names[i] = d.Name
	}
	for _, w := range f.wanted {
		if device, _, _ := strings.Cut(w, "/"); !slices.Contains(names, device) {
			return fmt.Errorf("there is no device %s%s", device, terminal.DidYouMean(device, names))
		}
	}
	return nil
}

func (f follower) wants(path string) bool {
	for _, w := range f.wanted {
		if path == w || strings.HasPrefix(path, w+"/") {
			return true
		}
	}
	return len(f.wanted) == 0
}

func (f follower) print(c *cobra.Command, change site.Update) error {
	for _, v := range change.Signals {
		if !f.wants(v.Path()) || v.At == nil || *v.At <= f.told[v.Path()] {
			continue
		}
		f.told[v.Path()] = *v.At
		line := map[string]any{"kind": "signal", "signal": v}
		if err := terminal.Show(c, line, func(w io.Writer) {
			fmt.Fprintf(w, "%s  %-28s %s\n", terminal.Clock(v.At), v.Path(), terminal.Reads(v, f.units))
		}); err != nil {
			return err
		}
	}
	for _, a := range change.Alarms {
		if !f.wants(a.Signal) {
			continue
		}
		line := map[string]any{"kind": "alarm", "alarm": a}
		if err := terminal.Show(c, line, func(w io.Writer) {
			fmt.Fprintf(w, "%s  alarm %d %s, %s: %s\n", terminal.Clock(newest(a)), a.ID, terminal.Standing(a),
				a.Severity, a.Sentence)
		}); err != nil {
			return err
		}
	}
	return nil
}

// newest is when the last thing happened to an alarm.
func newest(a alarm.Alarm) *measure.Instant {
	at := a.RaisedAt
	for _, later := range []*measure.Instant{a.AcknowledgedAt, a.ClearedAt} {
		if later != nil {
			at = max(at, *later)
		}
	}
	return &at
}
