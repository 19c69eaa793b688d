package readings

import (
	"fmt"
	"io"
	"strconv"
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
	"jauntylark/core/storage"
)

func calibrationCommand() *cobra.Command {
	return terminal.Group("calibration", "What corrects a signal, and what it was verified by", calibrationAddCommand(),
		verifyCommand(), calibrationListCommand(), calibrationRemoveCommand(), calibrationBringBackCommand())
}

func calibrationAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add DEVICE/SIGNAL", Short: "Correct what a signal shows by what a reference instrument says",
		Args: terminal.Exactly("DEVICE/SIGNAL"),
		Long: `Correct what a signal shows by what a reference instrument says: an offset from one pair, gain and offset from
two, a line of least squares from more, or with --method corners straight from pair to pair.

Raw values stay. The correction is in force from --since on: what is there already is corrected as well, and
charts, figures, derived signals and totals follow. Alarms of the past stay as they were, and are marked.`,
		Example: `  jaunty calibration add pond/water --pair 13.4=13.1
  jaunty calibration add pond/oxygen --pair 1.2=0 --pair 96.5=100 --since 2026-11-01 --note 'zero in sulphite, full in air'
  jaunty calibration add pond/water --reference 13.1 --hold 30s     (takes what is shown for half a minute)
  jaunty calibration add pond/water --pair 13.4=13.1 --try`,
	}
	f := c.Flags()
	f.StringArray("pair", nil, "what is shown and what the reference says, SHOWN=REFERENCE; repeat for more")
	f.Float64("reference", 0, "what the reference says now; what is shown is taken live")
	f.String("hold", "30s", "with --reference: over how long what is shown is averaged")
	f.String("method", "", "offset, line or corners")
	f.String("unit", "", "unit of the pairs, if it is not the one in which the signal is stored")
	f.String("since", "", "from when it is in force: "+terminal.TimeHelp+"; now when left out")
	f.String("note", "", "which reference, by which method")
	f.Bool("try", false, "tell what would be, and change nothing")
	f.Bool("no-wait", false, "do not wait until all that follows is computed")
	terminal.CompleteFrom(c, "method", "offset", "line", "corners")
	c.ValidArgsFunction = terminal.SignalPaths
	c.RunE = calibrateSignal
	return c
}

func calibrateSignal(c *cobra.Command, args []string) error {
	if _, _, err := site.SplitPath(args[0]); err != nil {
		return terminal.Wrong(err)
	}
	order, err := calibrationOrder(c)
	if err != nil {
		return err
	}
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	if c.Flags().Changed("reference") {
		shown, err := holdStill(c, s, args[0])
		if err != nil {
			return err
		}
		reference, _ := c.Flags().GetFloat64("reference")
		order.Pairs = append(order.Pairs, calibrate.Pair{Shown: shown, Reference: reference})
	}
	if try, _ := c.Flags().GetBool("try"); try {
		p, err := client.Do(c.Context(), s, api.TryCalibration,
			api.CalibrationInput{SignalPath: terminal.SignalPath(args[0]), Body: order})
		if err != nil {
			return err
		}
		return terminal.Show(c, p, func(w io.Writer) {
			tellFit(w, args[0], &p.Fitted, "would be")
			tellGuards(w, p.Guards)
		})
	}
	out, err := client.Do(c.Context(), s, api.Calibrate, api.CalibrationInput{SignalPath: terminal.SignalPath(args[0]),
		Body: order})
	if err != nil {
		return err
	}
	if err := waitForWork(c, s, args[0]); err != nil {
		return err
	}
	return terminal.Show(c, out, func(w io.Writer) { tellFit(w, args[0], &out, "is") })
}

// calibrationOrder gathers what the flags say.
func calibrationOrder(c *cobra.Command) (o act.CalibrationOrder, err error) {
	f := c.Flags()
	pairs, _ := f.GetStringArray("pair")
	for _, text := range pairs {
		shown, reference, found := strings.Cut(text, "=")
		a, errA := strconv.ParseFloat(strings.TrimSpace(shown), 64)
		b, errB := strconv.ParseFloat(strings.TrimSpace(reference), 64)
		if !found || errA != nil || errB != nil {
			return o, terminal.Misused("--pair %q is not SHOWN=REFERENCE, as in 13.4=13.1", text)
		}
		o.Pairs = append(o.Pairs, calibrate.Pair{Shown: a, Reference: b})
	}
	if len(pairs) == 0 && !f.Changed("reference") {
		return o, terminal.Misused(
			"say what is shown and what the reference says: --pair 13.4=13.1, or --reference 13.1")
	}
	method, _ := f.GetString("method")
	unit, _ := f.GetString("unit")
	o.Method, o.Unit = calibrate.Method(method), measure.Unit(unit)
	o.Note, _ = f.GetString("note")
	o.From, err = terminal.MomentFlag(f, "since")
	return o, err
}

// holdStill waits while what a signal shows is averaged, and gives the mean.
func holdStill(c *cobra.Command, s *client.Client, path string) (float64, error) {
	text, _ := c.Flags().GetString("hold")
	length, err := measure.ParseDuration(text)
	if err != nil || length < measure.Duration(time.Second) || length > measure.Duration(10*time.Minute) {
		return 0, terminal.Misused("--hold %q is no length of time between 1s and 10m", text)
	}
	bar := terminal.NewProgress(c, "")
	defer bar.End()
	var steady api.Steady
	for end := time.Now().Add(time.Duration(length)); ; {
		left := time.Until(end)
		if left <= 0 {
			break
		}
		bar.Say("hold still, averaging  %d s", int(left.Seconds())+1)
		select {
		case <-c.Context().Done():
			return 0, c.Context().Err()
		case <-time.After(min(left, 250*time.Millisecond)):
		}
	}
	if err := s.Call(c.Context(), api.GetSteady.At(terminal.Parts(path)).Asking("for", length), nil,
		&steady); err != nil {
		return 0, err
	}
	if steady.Mean == nil {
		return 0, fmt.Errorf(
			"no reading that can be believed came within %s; say what is shown with --pair SHOWN=REFERENCE", length)
	}
	fmt.Fprintf(c.ErrOrStderr(), "It showed %s on average: %s between %s and %s.\n", measure.Figure(*steady.Mean, ""),
		prose.Count(steady.Count, "reading", "readings"), measure.Figure(steady.Low, ""),
		measure.Figure(steady.High, ""))
	return *steady.Mean, nil
}

// waitForWork waits until all that follows from a correction is computed, and tells how far it is.
func waitForWork(c *cobra.Command, s *client.Client, path string) error {
	if no, _ := c.Flags().GetBool("no-wait"); no {
		return nil
	}
	bar := terminal.NewProgress(c, "")
	defer bar.End()
	most := measure.Millis(0)
	for {
		var w storage.Work
		if err := s.Call(c.Context(), api.GetWork.At(terminal.Parts(path)), nil, &w); err != nil || w.Left == 0 {
			return err
		}
		most = max(most, w.Left)
		bar.Say("computing what follows  %d %%", 100*(most-w.Left)/most)
		select {
		case <-c.Context().Done():
			return c.Context().Err()
		case <-time.After(150 * time.Millisecond):
		}
	}
}

func tellFit(w io.Writer, signal string, f *act.Fitted, is string) {
	fmt.Fprintf(w, "%s %s corrected by %s, from %s on", signal, is, f.Curve, terminal.Clock(&f.From))
	if f.Until != nil {
		fmt.Fprintf(w, " until %s, when another takes over", terminal.Clock(f.Until))
	}
	fmt.Fprintln(w, ".")
	rows := [][]string{}
	for i, p := range f.Pairs {
		rest := f.Fit.Residuals[i]
		rows = append(rows, []string{measure.Figure(p.Shown, ""), measure.Figure(p.Reference-rest, ""),
			measure.Figure(p.Reference, ""), measure.Figure(rest, "")})
	}
	terminal.Table(w, "", []string{"RAW", "CORRECTED", "REFERENCE", "RESIDUAL"}, rows)
	for _, warning := range f.Fit.Warnings {
		fmt.Fprintln(w, "Careful:", warning)
	}
	if f.Past {
		fmt.Fprintln(w, "Readings that were there already are corrected with it; their raw values stay.")
	}
	if f.Corrected > 0 {
		fmt.Fprintf(w, "Alarms of that time stay as they were, marked as corrected: %d.\n", f.Corrected)
	}
}

func tellGuards(w io.Writer, guards []api.PreviewGuard) {
	if len(guards) == 0 {
		return
	}
	fmt.Fprintln(w, "Over the last day its guards would have spoken:")
	rows := [][]string{}
	for _, g := range guards {
		rows = append(rows, []string{g.Guard, g.When, strconv.Itoa(g.Now), strconv.Itoa(g.Then)})
	}
	terminal.Table(w, "", []string{"GUARD", "WHEN", "AS IT IS", "AS IT WOULD BE"}, rows)
}

func calibrationListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list DEVICE/SIGNAL", Short: "A signal's calibrations and verifications",
		Args: terminal.Exactly("DEVICE/SIGNAL"), Example: "  jaunty calibration list pond/oxygen",
		ValidArgsFunction: terminal.SignalPaths,
		RunE: func(c *cobra.Command, args []string) error {
			if _, _, err := site.SplitPath(args[0]); err != nil {
				return terminal.Wrong(err)
			}
			t, err := terminal.Ask(c, api.GetTrust, terminal.SignalPath(args[0]))
			if err != nil {
				return err
			}
			v, err := terminal.Ask(c, api.GetSignal, terminal.SignalPath(args[0]))
			if err != nil {
				return err
			}
			return terminal.Show(c, t, func(w io.Writer) { tellTrust(w, &v, &t) })
		},
	}
}

func tellTrust(w io.Writer, signal *site.Signal, t *api.Trust) {
	rows := [][]string{}
	for _, k := range t.Calibrations {
		state := ""
		if k.Retired {
			state = "removed"
		}
		rows = append(rows, []string{strconv.FormatInt(k.ID, 10), terminal.Clock(&k.From), k.Curve.String(), k.Who,
			k.Note, state})
	}
	terminal.Table(w, "Never calibrated: values are as the instrument gives them.",
		[]string{"ID", "IN FORCE FROM", "CORRECTION", "BY", "NOTE", ""}, rows)
	rows = rows[:0]
	for _, v := range t.Verifications {
		rows = append(rows, []string{terminal.Clock(&v.At), passed(v), signal.Figure(v.Shown, nil),
			measure.Figure(v.Reference, v.Unit), measure.Figure(measure.Significant(v.Error, 3), ""), v.Who, v.Note})
	}
	fmt.Fprintln(w)
	terminal.Table(w, "Never verified.", []string{"VERIFIED", "", "SHOWN", "REFERENCE", "ERROR", "BY", "NOTE"}, rows)
	if t.Due != nil {
		fmt.Fprintf(w, "To be verified every %s; next by %s.\n", t.Every, terminal.Clock(t.Due))
	}
}

func passed(v calibrate.Verification) string {
	if v.Passed {
		return "pass"
	}
	return "FAIL"
}

// calibrationAct is a command that does something to one calibration of a signal, and waits for what follows.
func calibrationAct(verb, short string, op *api.Operation, key, done string) *cobra.Command {
	c := &cobra.Command{
		Use: verb + " DEVICE/SIGNAL ID", Short: short, Args: terminal.Exactly("DEVICE/SIGNAL", "ID"),
		Example: "  jaunty calibration " + verb + " pond/oxygen 3", ValidArgsFunction: terminal.SignalPaths,
	}
	c.Flags().Bool("no-wait", false, "do not wait until all that follows is computed")
	c.RunE = func(c *cobra.Command, args []string) error {
		if _, _, err := site.SplitPath(args[0]); err != nil {
			return terminal.Wrong(err)
		}
		if _, err := strconv.ParseInt(args[1], 10, 64); err != nil {
			return terminal.Misused("%q is no number of a calibration; see 'jaunty calibration list %s'", args[1],
				args[0])
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if err := s.Call(c.Context(), op.At(terminal.Parts(args[0]), args[1]), nil, nil); err != nil {
			return err
		}
		if err := waitForWork(c, s, args[0]); err != nil {
			return err
		}
		return terminal.Show(c, map[string]string{key: args[1]},
			func(w io.Writer) { fmt.Fprintf(w, done, args[1], args[0]) })
	}
	return c
}

func calibrationRemoveCommand() *cobra.Command {
	return calibrationAct("remove", "Remove a calibration; what was in force before it holds again",
		api.TakeCalibrationBack.Operation, "removed",
		"Calibration %s of %s is removed; 'jaunty calibration bring-back %[2]s %[1]s' brings it back.\n")
}

func calibrationBringBackCommand() *cobra.Command {
	return calibrationAct("bring-back", "Bring back a calibration that was removed", api.BringCalibrationBack.Operation,
		"brought_back", "Calibration %s of %s is in force again.\n")
}
