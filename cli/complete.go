package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/core/site"
)

// completeFrom lets the shell complete a flag from fixed words.
func completeFrom(c *cobra.Command, flag string, words ...string) {
	_ = c.RegisterFlagCompletionFunc(flag, cobra.FixedCompletions(words, cobra.ShellCompDirectiveNoFileComp))
}

// names asks the service for the names at a place; a service that does not answer completes nothing.
func names[T any](c *cobra.Command, at api.Place, name func(T) string) ([]string, cobra.ShellCompDirective) {
	var all []T
	if s, err := signedIn(); err != nil || s.Call(c.Context(), at, nil, &all) != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	out := make([]string, len(all))
	for i := range all {
		out[i] = name(all[i])
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

func deviceNames(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return names(c, api.ListDevices.At(), func(d site.Device) string { return d.Name })
}

func kitNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return names(c, api.ListKits.At(), func(k site.Kit) string { return k.Name })
}

func arrivalNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return names(c, api.ListArrivals.At(), func(a site.Arrival) string { return a.Name })
}

func completeDevices(c *cobra.Command, flag string) {
	_ = c.RegisterFlagCompletionFunc(flag, func(c *cobra.Command, _ []string, text string) ([]string, cobra.ShellCompDirective) {
		return deviceNames(c, nil, text)
	})
}

func completeKits(c *cobra.Command, flag string) { _ = c.RegisterFlagCompletionFunc(flag, kitNames) }

// parts are those of DEVICE/SIGNAL, of which a place is made.
func parts(path string) []string { return strings.Split(path, "/") }

// signalPath is the place of DEVICE/SIGNAL.
func signalPath(path string) api.SignalPath {
	device, signal, _ := strings.Cut(path, "/")
	return api.SignalPath{Device: device, Signal: signal}
}
