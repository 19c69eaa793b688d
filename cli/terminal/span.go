package terminal

import (
	"fmt"
	"net/url"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/chart"
	"jauntylark/core/measure"
	"jauntylark/core/wall"
)

// TimeHelp ends the help of each flag that takes a time: --since, --until, --at.
const TimeHelp = "a time, or how long ago, as in 2026-03-01T14:05:00Z, 2026-03-01 or 2d"

// SpanFlags add --since and --until to a command about a stretch of time. since is the default of --since; sinceElse
// and untilElse say what holds where they are left out.
func SpanFlags(f *pflag.FlagSet, since, sinceElse, untilElse string) {
	help := "from when: " + TimeHelp
	if sinceElse != "" {
		help += "; " + sinceElse + " when left out"
	}
	f.String("since", since, help)
	f.String("until", "", "until when; "+untilElse+" when left out")
}

// SpanQuery puts what --since and --until say into a query.
func SpanQuery(f *pflag.FlagSet, query url.Values) error {
	for _, name := range []string{"since", "until"} {
		at, err := MomentFlag(f, name)
		if err != nil {
			return err
		}
		if at != nil {
			query.Set(name, at.String())
		}
	}
	return nil
}

// SpanOf is the stretch that --since and --until say; it ends now where nothing is said.
func SpanOf(c *cobra.Command) (chart.Span, error) {
	span := chart.Span{Until: measure.InstantOf(time.Now()), Zone: time.Local}
	for name, into := range map[string]*measure.Instant{"since": &span.From, "until": &span.Until} {
		at, err := MomentFlag(c.Flags(), name)
		if err != nil {
			return span, err
		}
		if at != nil {
			*into = *at
		}
	}
	if span.From >= span.Until {
		return span, Misused("--until is not after --since")
	}
	return span, nil
}

// MomentFlag reads a time flag; nil when it was left out.
func MomentFlag(f *pflag.FlagSet, name string) (*measure.Instant, error) {
	text, _ := f.GetString(name)
	if text == "" {
		return nil, nil
	}
	at, err := Moment(text)
	if err != nil {
		return nil, Misused("--%s: %w", name, err)
	}
	return &at, nil
}

// Moment reads a time, or a length of time before now.
func Moment(text string) (measure.Instant, error) {
	if d, err := measure.ParseDuration(text); err == nil {
		return measure.InstantOf(time.Now()).Add(-time.Duration(d)), nil
	}
	for _, layout := range []string{time.DateOnly, "2006-01-02 15:04", time.DateTime} {
		if at, err := wall.Read(layout, text, time.Local); err == nil {
			return at, nil
		}
	}
	var i measure.Instant
	if i.UnmarshalText([]byte(text)) != nil {
		return 0, fmt.Errorf(
			"%q is neither a time like 2026-03-01T14:05:00Z or 2026-03-01 nor a length of time like 15m, 1h or 2d",
			text)
	}
	return i, nil
}
