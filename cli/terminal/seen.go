package terminal

import (
	"fmt"
	"io"
	"maps"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// ShownUnits says in which units the person who is signed in sees values.
func ShownUnits(c *cobra.Command, s *client.Client) (site.Units, error) {
	var person site.Person
	var here site.Site
	if err := s.Call(c.Context(), api.GetSession.At(), nil, &person); err != nil {
		return nil, err
	}
	err := s.Call(c.Context(), api.GetSite.At(), nil, &here)
	return person.Units.Or(here.Units), err
}

// Seen is how a person sees signals, by their paths.
type Seen struct {
	signals map[string]site.Signal
	Units   site.Units
}

// ServiceSeen gives the service, and how the person who is signed in sees its signals.
func ServiceSeen(c *cobra.Command) (s *client.Client, see Seen, err error) {
	if s, err = SignedIn(); err == nil {
		see, err = SeenSignals(c, s)
	}
	return s, see, err
}

// SeenSignals gives how the person who is signed in sees signals.
func SeenSignals(c *cobra.Command, s *client.Client) (see Seen, err error) {
	signals, err := client.Do(c.Context(), s, api.ListSignals, api.ListSignalsIn{})
	if err != nil {
		return see, err
	}
	see.signals = make(map[string]site.Signal, len(signals))
	for _, v := range signals {
		see.signals[v.Path()] = v
	}
	see.Units, err = ShownUnits(c, s)
	return see, err
}

// Devices are the devices that have signals, in alphabetical order.
func (see Seen) Devices() []string {
	all := map[string]bool{}
	for _, v := range see.signals {
		all[v.Device] = true
	}
	return slices.Sorted(maps.Keys(all))
}

// Stored is the unit in which a signal is stored.
func (see Seen) Stored(path string) measure.Unit { return see.signals[path].Unit }

// Say writes a value of a signal as it is seen, no finer than its step.
func (see Seen) Say(path string, value float64) string {
	v := see.signals[path]
	return v.Figure(value, see.Units)
}

// Sum writes the sum of so many values of a signal as it is seen, each of them converted.
func (see Seen) Sum(path string, sum float64, count int) string {
	v := see.signals[path]
	mean, unit := see.Units.Show(sum/float64(count), v.Unit)
	return measure.Say(mean*float64(count), unit, measure.StepIn(v.Step, v.Unit, unit))
}

// TellUnit says in which unit the values of a table are, where they are stored in another.
func (see Seen) TellUnit(w io.Writer, path string) {
	if stored := see.Stored(path); see.Units.Of(stored) != stored {
		fmt.Fprintf(w, "In %s; it is stored in %s.\n", see.Units.Of(stored).Shown(), stored.Shown())
	}
}

// Ran says the newest run of a switch; empty: there is none.
func Ran(v *site.Signal, here site.Site) string {
	return v.RanWords(&v.Ran, measure.InstantOf(time.Now()), here.Location())
}

// Reads writes a signal's newest value for people, in the units that they see.
func Reads(v site.Signal, units site.Units) string {
	switch {
	case v.Value == nil:
		return "-"
	case v.Text != nil:
		return Clip(*v.Text, 40)
	}
	text := v.Says(*v.Value, units)
	if !v.Quality.Usable() {
		text += " (" + v.Quality.String() + ")"
	}
	return text
}
