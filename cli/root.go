// Package cli is the command line: it puts the commands of the packages below it together, and gives the exit codes.
package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"

	"github.com/spf13/cobra"

	"jauntylark/cli/guards"
	"jauntylark/cli/local"
	"jauntylark/cli/people"
	"jauntylark/cli/place"
	"jauntylark/cli/readings"
	"jauntylark/cli/record"
	"jauntylark/cli/terminal"
)

// The exit codes.
const (
	exitFailure  = 1
	exitWrongUse = 2
)

// Main runs the command line and gives the exit code: 0, 1 for failure, 2 for wrong use.
func Main(args []string) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	context.AfterFunc(ctx, stop) // a second Ctrl-C ends us at once
	root := newRoot()
	root.SetArgs(args)
	command, err := root.ExecuteContextC(ctx)
	err = terminal.InOurWords(err)
	switch {
	case err == nil, errors.Is(err, context.Canceled) && ctx.Err() != nil:
		return 0
	case terminal.IsWrongUse(err):
		fmt.Fprintf(os.Stderr, "jaunty: %v\nSee '%s --help'.\n", err, command.CommandPath())
		return exitWrongUse
	}
	fmt.Fprintf(os.Stderr, "jaunty: %v\n", err)
	return exitFailure
}

func newRoot() *cobra.Command {
	root := &cobra.Command{
		Use:   "jaunty",
		Short: "Look after places that nobody is watching",
		Long: `Jaunty Lark takes readings from devices, raises an alarm when a guard says so, tells the
right person, and tells them again when it is over.

  jaunty demo                 a whole made-up site on this machine, to look at
  jaunty serve                the service, for a site of your own
  jaunty login URL            then every other command works with that service`,
		Version:       version(),
		SilenceErrors: true, SilenceUsage: true,
	}
	root.PersistentFlags().Bool("json", false, "print JSON and nothing else: one document, or one a line for streams")
	root.SetFlagErrorFunc(terminal.FlagError)
	for _, commands := range [][]*cobra.Command{local.Commands(), place.Commands(), guards.Commands(),
		readings.Commands(), people.Commands(), record.Commands()} {
		root.AddCommand(commands...)
	}
	record.AddBringBack(root)
	return root
}

func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok || info.Main.Version == "" {
		return "unknown"
	}
	return info.Main.Version
}
