package readings

import (
	"errors"
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/act"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

// errFailed says that a verification failed; the exit code is 1 then.
var errFailed = errors.New("the verification failed")

func verifyCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "verify DEVICE/SIGNAL", Short: "Check what a signal shows against a reference, and keep what came of it",
		Args: terminal.Exactly("DEVICE/SIGNAL"),
		Long: "Check what a signal shows against a reference. What came of it is kept with who and when. The exit " +
			"code is 1 when it fails.",
		Example: `  jaunty calibration verify fern-house/humidity --reference 48.2 --tolerance 2%
  jaunty calibration verify pond/water --reference 13.1 --tolerance 0.2 --shown 13.25 --note 'glass thermometer no. 4'
  jaunty calibration verify fern-house/humidity --every '6 months'       (reminds when it is due; 'never' ends that)`,
		ValidArgsFunction: terminal.SignalPaths,
	}
	f := c.Flags()
	f.Float64("reference", 0, "what the reference instrument says")
	f.String("tolerance", "", "the largest error that passes: 0.5 in the unit, or 2% of the reference")
	f.Float64("shown", 0, "what the signal shows; its newest value when left out")
	f.String("hold", "", "average what is shown over so long (30s) instead of taking the newest value")
	f.String("unit", "", "unit of all three, if it is not the one in which the signal is stored")
	f.String("note", "", "which reference")
	f.String("every", "", "how often it is to be verified: '6 months', '90 days', '1 year', 'never'")
	c.RunE = verifySignal
	return c
}

func verifySignal(c *cobra.Command, args []string) error {
	if _, _, err := site.SplitPath(args[0]); err != nil {
		return terminal.Wrong(err)
	}
	f := c.Flags()
	every, _ := f.GetString("every")
	if !f.Changed("reference") && !f.Changed("every") {
		return terminal.Misused(
			"say what the reference says, with --reference, or how often it is to be verified, with --every")
	}
	if _, err := calibrate.ParseEvery(every); err != nil {
		return terminal.Misused("--every: %v", err)
	}
	order := act.VerificationOrder{}
	order.Reference, _ = f.GetFloat64("reference")
	order.Tolerance, _ = f.GetString("tolerance")
	order.Note, _ = f.GetString("note")
	unit, _ := f.GetString("unit")
	order.Unit = measure.Unit(unit)
	if f.Changed("reference") {
		if _, err := calibrate.ParseTolerance(order.Tolerance); err != nil {
			return terminal.Misused("--tolerance: %v", err)
		}
	}
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	signal, err := client.Do(c.Context(), s, api.GetSignal, terminal.SignalPath(args[0]))
	if err != nil {
		return err
	}
	if f.Changed("every") {
		t, err := client.Do(c.Context(), s, api.PlanVerification,
			api.PlanVerificationIn{SignalPath: terminal.SignalPath(args[0]), Body: api.VerifyPlan{Every: every}})
		if err != nil {
			return err
		}
		if !f.Changed("reference") {
			return terminal.Show(c, t, func(w io.Writer) { tellTrust(w, &signal, &t) })
		}
	}
	if f.Changed("shown") {
		shown, _ := f.GetFloat64("shown")
		order.Shown = &shown
	} else if f.Changed("hold") {
		shown, err := holdStill(c, s, args[0])
		if err != nil {
			return err
		}
		order.Shown = &shown
	}
	v, err := client.Do(c.Context(), s, api.Verify, api.VerifyIn{SignalPath: terminal.SignalPath(args[0]), Body: order})
	if err != nil {
		return err
	}
	err = terminal.Show(c, v, func(w io.Writer) {
		fmt.Fprintf(w, "%s: %s showed %s where the reference said %s. Error %s, allowed %s.\n",
			strings.ToUpper(passed(v)), args[0], signal.Figure(v.Shown, nil), measure.Figure(v.Reference, v.Unit),
			measure.Figure(measure.Significant(v.Error, 3), ""), measure.Figure(v.Tolerance, ""))
	})
	if err == nil && !v.Passed {
		return errFailed
	}
	return err
}

func compareCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "compare DEVICE/SIGNAL DEVICE/SIGNAL", Short: "How far two signals that measure the same thing agree",
		Args: terminal.Exactly("DEVICE/SIGNAL", "DEVICE/SIGNAL"),
		Long: `How far two signals that measure the same thing agree, say a new probe beside a trusted one: mean difference,
limits of agreement (Bland and Altman 1986), and by how much one follows the other. See both with 'jaunty chart'.`,
		Example: "  jaunty compare fern-house/new-air fern-house/air --since 7d\n  jaunty chart " +
			"fern-house/new-air fern-house/air --since 7d",
		ValidArgsFunction: terminal.SignalPaths,
	}
	terminal.SpanFlags(c.Flags(), "1d", "", "now")
	c.RunE = func(c *cobra.Command, args []string) error {
		query := url.Values{"first": {args[0]}, "second": {args[1]}}
		if err := terminal.SpanQuery(c.Flags(), query); err != nil {
			return err
		}
		a, err := terminal.Fetch[api.Comparison](c, api.CompareSignals.At().Raw(query.Encode()))
		if err != nil {
			return err
		}
		return terminal.Show(c, a, func(w io.Writer) { tellComparison(w, &a) })
	}
	return c
}

// leastLikeness is the correlation from which on a lag means something.
const leastLikeness = 0.7

func tellComparison(w io.Writer, a *api.Comparison) {
	unit := a.Unit
	if unit == "Cel" || unit == "[degF]" {
		fmt.Fprintf(w, "Differences are in degrees of %s.\n", unit.Shown())
		unit = ""
	}
	fmt.Fprintf(w, "%s less %s, over %s:\n", a.First, a.Second, prose.Count(a.Count, "reading", "readings"))
	follows := "cannot be told"
	if first, second := a.First, a.Second; a.Likeness >= leastLikeness {
		lag := time.Duration(a.Lag) * time.Millisecond
		if lag < 0 {
			first, second, lag = second, first, -lag
		}
		step := time.Duration(a.LagStep) * time.Millisecond
		follows = fmt.Sprintf("%s follows %s by %s, give or take %s (likeness %.2f)", second, first,
			lag.Round(time.Second), step.Round(time.Second), a.Likeness)
	}
	off := func(difference float64, unit measure.Unit) string {
		return measure.Figure(measure.Significant(difference, 3), unit)
	}
	terminal.Table(w, "", []string{"mean difference", off(a.Mean, unit)},
		[][]string{{"standard deviation", off(a.Deviation, unit)},
			{"limits of agreement", off(a.Low, "") + " to " + off(a.High, unit)},
			{"smallest and largest", off(a.Lowest, "") + " and " + off(a.Highest, unit)},
			{"lag", follows}})
	if a.LeftOut > 0 {
		fmt.Fprintf(w, "%s left out: the second had no value that still held.\n",
			prose.Count(a.LeftOut, "reading was", "readings were"))
	}
	fmt.Fprintln(w, a.Suggestion)
}

// DeviceSheetCommand is the command that prints what is known of a device's instruments.
func DeviceSheetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "sheet DEVICE", Short: "A device's calibrations and verifications, as a page to print or as CSV",
		Args:              terminal.Exactly("DEVICE"),
		Example:           "  jaunty device sheet pond > pond.html\n  jaunty device sheet pond --format csv",
		ValidArgsFunction: terminal.DeviceNames,
	}
	c.Flags().String("format", "html", "html or csv")
	terminal.CompleteFrom(c, "format", "html", "csv")
	c.RunE = func(c *cobra.Command, args []string) error {
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		format, _ := c.Flags().GetString("format")
		return s.Download(c.Context(), api.GetSheet.At(args[0]).Asking("as", format), c.OutOrStdout())
	}
	return c
}

// DevicePowerOnCommand is the command that says that a device got power.
func DevicePowerOnCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "power-on DEVICE", Short: "Say when a device got power: its sensors warm up from then on",
		Args:              terminal.Exactly("DEVICE"),
		Example:           "  jaunty device power-on potting-shed\n  jaunty device power-on potting-shed --at 10m",
		ValidArgsFunction: terminal.DeviceNames,
	}
	c.Flags().String("at", "", "when it got power: "+terminal.TimeHelp+"; now when left out")
	c.RunE = func(c *cobra.Command, args []string) error {
		at, err := terminal.MomentFlag(c.Flags(), "at")
		if err != nil {
			return err
		}
		order := api.PowerOnOrder{At: at}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if _, err := client.Do(c.Context(), s, api.PowerOn, api.PowerOnIn{Device: args[0], Body: order}); err != nil {
			return err
		}
		return terminal.Show(c, map[string]string{"device": args[0]},
			func(w io.Writer) { fmt.Fprintf(w, "Noted: the sensors of %s warm up.\n", args[0]) })
	}
	return c
}
