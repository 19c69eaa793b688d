package terminal

import (
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/core/site"
)

// CompleteFrom lets the shell complete a flag from fixed words.
func CompleteFrom(c *cobra.Command, flag string, words ...string) {
	_ = c.RegisterFlagCompletionFunc(flag, cobra.FixedCompletions(words, cobra.ShellCompDirectiveNoFileComp))
}

// Names asks the service for the names at a place; a service that does not answer completes nothing.
func Names[T any](c *cobra.Command, at api.Place, name func(T) string) ([]string, cobra.ShellCompDirective) {
	var all []T
	if s, err := SignedIn(); err != nil || s.Call(c.Context(), at, nil, &all) != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	out := make([]string, len(all))
	for i := range all {
		out[i] = name(all[i])
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

// DeviceNames gives the names of all devices, for completion.
func DeviceNames(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return Names(c, api.ListDevices.At(), func(d site.Device) string { return d.Name })
}

// KitNames gives the names of all kits, for completion.
func KitNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return Names(c, api.ListKits.At(), func(k site.Kit) string { return k.Name })
}

// ArrivalNames gives the names of devices that wait to be let in, for completion.
func ArrivalNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return Names(c, api.ListArrivals.At(), func(a site.Arrival) string { return a.Name })
}

// CompleteDevices completes the first argument by the names of devices.
func CompleteDevices(c *cobra.Command, flag string) {
	_ = c.RegisterFlagCompletionFunc(flag, func(c *cobra.Command, _ []string,
		text string) ([]string, cobra.ShellCompDirective) {
		return DeviceNames(c, nil, text)
	})
}

// CompleteKits completes the first argument by the names of kits.
func CompleteKits(c *cobra.Command, flag string) { _ = c.RegisterFlagCompletionFunc(flag, KitNames) }

// Parts are those of DEVICE/SIGNAL, of which a place is made.
func Parts(path string) []string { return strings.Split(path, "/") }

// SignalPath is the place of DEVICE/SIGNAL.
func SignalPath(path string) api.SignalPath {
	device, signal, _ := strings.Cut(path, "/")
	return api.SignalPath{Device: device, Signal: signal}
}

// SignalPaths completes arguments by the paths of signals.
func SignalPaths(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return Names(c, api.ListSignals.At(), func(v site.Signal) string { return v.Path() })
}
