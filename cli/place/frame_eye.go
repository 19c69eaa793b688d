package place

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func frameShowCommand() *cobra.Command {
	return &cobra.Command{Use: "show DEVICE",
		Short: "How the frames of a device are read, and what is looked at in them", Args: terminal.Exactly("DEVICE"),
		ValidArgsFunction: terminal.DeviceNames, Example: "  jaunty frame show switchboard-eye",
		RunE: func(c *cobra.Command, args []string) error {
			e, err := terminal.Ask(c, api.GetEye, api.DevicePath{Device: args[0]})
			if err != nil {
				return err
			}
			return terminal.Show(c, e, func(w io.Writer) { printEye(w, args[0], &e) })
		}}
}

func frameSetCommand() *cobra.Command {
	c := &cobra.Command{Use: "set DEVICE",
		Short: "Change how the frames of a device are read, and what is looked at in them; what is not said stays",
		Args:  terminal.Exactly("DEVICE"), ValidArgsFunction: terminal.DeviceNames,
		Long: `Change how the frames of a device are read, and what is looked at in them. Places are in pixels from the left and upper edge.
A new region tells of the frames that are there already; what has been told of a region that is changed stays.`,
		Example: `  jaunty frame set switchboard-eye --emissivity 0.95 --reflected 20 --span -20..300
  jaunty frame set switchboard-eye --region 'terminal-2 ellipse 12,6 18,12 over 60' --region 'busbar spot 16,3'
  jaunty frame set switchboard-eye --difference 'terminal-2-over-terminal-1 terminal-2 less terminal-1'
  jaunty frame set switchboard-eye --remove busbar --reference-frame 7d`}
	f := c.Flags()
	f.Float64("emissivity", 0, "of what is seen, 0.05 to 1")
	f.Float64("reflected", 0, "°C: temperature of what is reflected")
	f.Float64("scale", 0, "degrees a count, of counts whose sender does not say")
	f.Float64("offset", 0, "degrees at a count of 0")
	f.String("unit", "", "of what is sent: Cel, K or [degF]")
	f.String("span", "", "°C: what the camera can truly give, as LOW..HIGH; '' for not known")
	f.StringArray("region", nil,
		"'NAME SHAPE X,Y ... [over LIMIT] [emissivity E]'; shapes are spot, rectangle, ellipse, polygon; may be "+
			"repeated")
	f.StringArray("difference", nil, "'NAME REGION less REGION [mean]'; picture is the whole picture; may be repeated")
	f.StringSlice("remove", nil, "names of regions and differences to remove")
	f.String("reference-frame", "", "the frame that others are compared with: a time, or how long ago; '' for none")
	f.String("keep", "", "for how long frames are kept: 'ALL HOURLY DAILY', like '30d 365d 0s'")
	c.MarkFlagsOneRequired("emissivity", "reflected", "scale", "offset", "unit", "span", "region", "difference",
		"remove", "reference-frame", "keep")
	c.RunE = func(c *cobra.Command, args []string) error {
		e, err := terminal.Ask(c, api.GetEye, api.DevicePath{Device: args[0]})
		if err != nil {
			return err
		}
		if err := readEye(f, &e); err != nil {
			return err
		}
		if err := nearestReference(c, f, args[0], &e); err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if err := s.Call(c.Context(), api.PutEye.At(args[0]), e, &e); err != nil {
			return err
		}
		return terminal.Show(c, e, func(w io.Writer) { printEye(w, args[0], &e) })
	}
	return c
}

// readEye takes what the flags say.
func readEye(f *pflag.FlagSet, e *frame.Eye) (err error) {
	text := func(name string) string { v, _ := f.GetString(name); return v }
	f.Visit(func(flag *pflag.Flag) {
		var bad error
		switch flag.Name {
		case "emissivity":
			e.Emissivity, bad = f.GetFloat64("emissivity")
		case "reflected":
			e.Reflected, bad = f.GetFloat64("reflected")
		case "scale":
			e.Scale, bad = f.GetFloat64("scale")
		case "offset":
			e.Offset, bad = f.GetFloat64("offset")
		case "unit":
			e.Unit = measure.Unit(text("unit"))
		case "span":
			e.Low, e.High = nil, nil
			if text("span") != "" {
				var low, high float64
				if _, bad = fmt.Sscanf(strings.ReplaceAll(text("span"), "..", " "), "%g %g", &low, &high); bad == nil {
					e.Low, e.High = &low, &high
				}
			}
		case "region":
			bad = addRegions(f, e)
		case "difference":
			bad = addDifferences(f, e)
		case "keep":
			bad = readKeep(text("keep"), e)
		}
		if bad != nil {
			err = errors.Join(err, terminal.Misused("--%s: %w", flag.Name, bad))
		}
	})
	remove, _ := f.GetStringSlice("remove")
	for _, name := range remove {
		regions, differences := len(e.Regions), len(e.Differences)
		e.Regions = slices.DeleteFunc(e.Regions, func(r frame.Region) bool { return r.Name == name })
		e.Differences = slices.DeleteFunc(e.Differences, func(d frame.Contrast) bool { return d.Name == name })
		if len(e.Regions) == regions && len(e.Differences) == differences {
			var known []string
			for _, r := range e.Regions {
				known = append(known, r.Name)
			}
			return terminal.Misused("--remove: %s", site.Unknown("region", name, known))
		}
	}
	return err
}

func addRegions(f *pflag.FlagSet, e *frame.Eye) error {
	texts, _ := f.GetStringArray("region")
	for _, text := range texts {
		r, err := frame.ParseRegion(text)
		if err != nil {
			return err
		}
		if i := slices.IndexFunc(e.Regions, func(o frame.Region) bool { return o.Name == r.Name }); i >= 0 {
			e.Regions[i] = r
		} else {
			e.Regions = append(e.Regions, r)
		}
	}
	return nil
}

func addDifferences(f *pflag.FlagSet, e *frame.Eye) error {
	texts, _ := f.GetStringArray("difference")
	for _, text := range texts {
		words := strings.Fields(text)
		if len(words) < 4 || len(words) > 5 || words[2] != "less" {
			return fmt.Errorf("%q is not 'NAME REGION less REGION [mean]'", text)
		}
		d := frame.Contrast{Name: words[0], Of: words[1], Less: words[3], What: "highest"}
		if len(words) == 5 {
			d.What = words[4]
		}
		e.Differences = append(slices.DeleteFunc(e.Differences,
			func(o frame.Contrast) bool { return o.Name == d.Name }), d)
	}
	return nil
}

func readKeep(text string, e *frame.Eye) (err error) {
	words := strings.Fields(text)
	if len(words) != 3 {
		return fmt.Errorf("%q is not 'ALL HOURLY DAILY', like '30d 365d 0s'", text)
	}
	for i, into := range []*measure.Duration{&e.Keep.All, &e.Keep.Hourly, &e.Keep.Daily} {
		if *into, err = measure.ParseDuration(words[i]); err != nil {
			return err
		}
	}
	return nil
}

// nearestReference finds the frame that lies nearest to the time that is asked for as the reference.
func nearestReference(c *cobra.Command, f *pflag.FlagSet, device string, e *frame.Eye) error {
	if !f.Changed("reference-frame") {
		return nil
	}
	text, _ := f.GetString("reference-frame")
	if e.Reference = nil; text == "" {
		return nil
	}
	at, err := terminal.Moment(text)
	if err != nil {
		return terminal.Misused("--reference-frame: %w", err)
	}
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	answer, err := s.Fetch(c.Context(), api.GetFrame.At(device, at.String()+".csv"), nil)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	e.Reference = new(measure.Instant)
	return e.Reference.UnmarshalText([]byte(answer.Header.Get("Jaunty-Frame")))
}

func printEye(w io.Writer, device string, e *frame.Eye) {
	if e.Width == 0 {
		fmt.Fprintf(w, "%s has sent no frame yet.\n", device)
	} else {
		fmt.Fprintf(w, "Frames of %s are %d × %d.\n", device, e.Width, e.Height)
	}
	fmt.Fprintf(w, "Emissivity %v", e.Emissivity)
	if e.Emissivity != 1 {
		fmt.Fprintf(w, ", reflected %s", measure.Figure(e.Reflected, "Cel"))
	}
	if e.Low != nil && e.High != nil {
		fmt.Fprintf(w, "; span %v to %s", *e.Low, measure.Figure(*e.High, "Cel"))
	}
	fmt.Fprintf(w, ".\nAll are kept %s, then one an hour until %s, then one a day %s.\n", e.Keep.All, e.Keep.Hourly,
		terminal.ForLong(e.Keep.Daily))
	if e.Reference != nil {
		fmt.Fprintf(w, "The reference is of %s.\n", terminal.Clock(e.Reference))
	}
	fmt.Fprintln(w)
	rows := [][]string{}
	for i := range e.Regions {
		r := &e.Regions[i]
		name, rest, _ := strings.Cut(r.String(), " ")
		rows = append(rows, []string{name, rest, device + "/" + r.Signal()})
	}
	for _, d := range e.Differences {
		rows = append(rows, []string{d.Name, d.Of + " less " + d.Less + " (" + d.What + ")", device + "/" + d.Name})
	}
	terminal.Table(w, "No regions are looked at by themselves; add one with --region.",
		[]string{"REGION", "WHERE", "SIGNAL"}, rows)
}
