package place

import (
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/measure"
)

// waitForFirst waits until a device's first reading is there, and says meanwhile what is wrong with
// what comes instead.
func waitForFirst(c *cobra.Command, s *client.Client, device string, w io.Writer) error {
	fmt.Fprintf(w, "Waiting for the first reading of %s; Ctrl-C ends the wait.\n", device)
	var seenRefusal, seenKnock measure.Instant
	for {
		story, err := client.Do(c.Context(), s, api.GetDevice, api.DevicePath{Device: device})
		if err != nil {
			return err
		}
		if story.RefusedAt != nil && *story.RefusedAt > seenRefusal {
			seenRefusal = *story.RefusedAt
			fmt.Fprintf(w, "Refused: %s\n", story.Refused)
		}
		if len(story.Knocks) > 0 && story.Knocks[0].At > max(seenKnock, story.CreatedAt) {
			k := story.Knocks[0]
			seenKnock = k.At
			fmt.Fprintf(w, "A key that nobody has came over %s from %s.\n", k.Protocol, orDash(k.Address))
		}
		if story.HeardAt != nil {
			return tellFirst(c, s, story, w)
		}
		select {
		case <-c.Context().Done():
			return c.Context().Err()
		case <-time.After(time.Second):
		}
	}
}

func tellFirst(c *cobra.Command, s *client.Client, story api.DeviceStory, w io.Writer) error {
	signals, err := client.Do(c.Context(), s, api.ListSignals, api.ListSignalsIn{})
	if err != nil {
		return err
	}
	fmt.Fprintln(w, "It is here:")
	for _, v := range signals {
		if v.Device == story.Name && v.At != nil {
			fmt.Fprintf(w, "  %s  %s\n", v.Path(), terminal.Reads(v, nil))
		}
	}
	if off := clockOf(story.Device); off != "-" && off != "right" {
		fmt.Fprintf(w, "Its clock is %s.\n", off)
	}
	return nil
}
