package readings

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

func changeCommand() *cobra.Command {
	return terminal.Group("change", "What has changed, commit by commit: a feed that misses nothing", changeListCommand(),
		changeFollowCommand())
}

func scopeFlags(c *cobra.Command, cursor string) {
	c.Flags().StringSlice("kind", nil, "of these kinds alone: readings, alarm, journal")
	c.Flags().StringSlice("device", nil, "about these devices alone")
	c.Flags().String("cursor", "", "how far you are: the number of a commit, or what came before; "+cursor+
		" when left out")
	terminal.CompleteFrom(c, "kind", feed.Kinds...)
	terminal.CompleteDevices(c, "device")
}

// scopeOf reads what is asked for; a device that has no signal is none, since nothing would ever be told of it.
func scopeOf(c *cobra.Command, see terminal.Seen) (scope api.FeedScope, cursor string, err error) {
	scope.Kinds, _ = c.Flags().GetStringSlice("kind")
	scope.Devices, _ = c.Flags().GetStringSlice("device")
	cursor, _ = c.Flags().GetString("cursor")
	known := see.Devices()
	for _, name := range scope.Devices {
		if !slices.Contains(known, name) {
			return scope, cursor, terminal.Misused("--device: %s", site.Unknown("device", name, known))
		}
	}
	return scope, cursor, nil
}

func changeListCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "list", Short: "A page of the feed", Args: terminal.Exactly(),
		Example: "  jaunty change list\n  jaunty change list --cursor 4711 --kind readings --device pond --json",
		RunE: func(c *cobra.Command, _ []string) error {
			in := api.GetChangesIn{}
			s, see, err := terminal.ServiceSeen(c)
			if err != nil {
				return err
			}
			if in.FeedScope, in.Cursor, err = scopeOf(c, see); err != nil {
				return err
			}
			if in.Limit, _ = c.Flags().GetInt("limit"); in.Limit < 1 {
				return terminal.Misused("--limit is 1 or more, not %d", in.Limit)
			}
			page, err := client.Do(c.Context(), s, api.GetChanges, in)
			if err != nil {
				return err
			}
			return terminal.Show(c, page, func(w io.Writer) {
				for i := range page.Changes {
					printChange(w, see, &page.Changes[i])
				}
				switch {
				case page.More:
					fmt.Fprintf(w, "There is more: --cursor %s.\n", page.Next)
				default:
					fmt.Fprintf(w, "That is all, up to commit %d.\n", page.Newest)
				}
			})
		},
	}
	scopeFlags(c, "the oldest that is known")
	c.Flags().Int("limit", 100, "so many changes at most")
	return c
}

func changeFollowCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "follow", Short: "The feed as it goes on, until Ctrl-C", Args: terminal.Exactly(),
		Long: `The feed as it goes on, until Ctrl-C. With --json each change is a line. When the service is away it goes on where
it was, once that is back.`,
		Example: "  jaunty change follow --kind alarm\n  jaunty change follow --cursor 4711 --json >> changes.ndjson",
		RunE: func(c *cobra.Command, _ []string) error {
			s, see, err := terminal.ServiceSeen(c)
			if err != nil {
				return err
			}
			scope, cursor, err := scopeOf(c, see)
			if err != nil {
				return err
			}
			asJSON, _ := c.Flags().GetBool("json")
			return followChanges(c.Context(), s, scope, cursor, func(data []byte) error {
				if asJSON {
					_, err := fmt.Fprintf(c.OutOrStdout(), "%s\n", data)
					return err
				}
				var change feed.Change
				if err := json.Unmarshal(data, &change); err != nil {
					return err
				}
				printChange(c.OutOrStdout(), see, &change)
				return nil
			})
		},
	}
	scopeFlags(c, "the newest")
	return c
}

// followChanges hands on each change until ctx ends; after a break it goes on where it was.
func followChanges(ctx context.Context, s *client.Client, scope api.FeedScope, cursor string,
	each func([]byte) error) error {
	for {
		at := api.WatchChanges.PlaceOf(api.WatchChangesIn{FeedScope: scope, Cursor: cursor})
		var failed error
		err := s.Events(ctx, at, "", func(e client.Event) error {
			if e.Name == "change" {
				if failed = each(e.Data); failed != nil {
					return failed
				}
			}
			if e.ID != "" {
				cursor = e.ID
			}
			return nil
		})
		var refused *client.Problem
		switch {
		case ctx.Err() != nil:
			return nil
		case failed != nil, errors.As(err, &refused) && refused.Status < 500 && refused.Status != 429:
			return err
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(time.Second):
		}
	}
}

// printChange says in a line what was changed.
func printChange(w io.Writer, see terminal.Seen, c *feed.Change) {
	at := terminal.Clock(&c.At)
	if c.Entry != nil {
		fmt.Fprintf(w, "%d  %s  %s: %s\n", c.No, at, c.Entry.Kind, c.Entry.Text)
		return
	}
	var readings []measure.Reading
	if c.Readings != nil {
		readings = *c.Readings
	}
	switch n := len(readings); {
	case n == 0:
		fmt.Fprintf(w, "%d  %s  %s  nothing any more from %s until %s\n", c.No, at, c.Signal, c.Since, c.Until)
	case n == 1:
		r := readings[0]
		fmt.Fprintf(w, "%d  %s  %s  %s at %s\n", c.No, at, c.Signal, cmp.Or(r.Text, see.Say(c.Signal, r.Value)), r.At)
	default:
		fmt.Fprintf(w, "%d  %s  %s  %s from %s until %s\n", c.No, at, c.Signal, prose.Count(n, "reading", "readings"),
			c.Since, c.Until)
	}
}
