// Package cli is the command line: one file a noun.
package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"regexp"
	"runtime/debug"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"jauntylark/client"
	"jauntylark/core/site"
	"jauntylark/service"
)

// The exit codes.
const (
	exitFailure  = 1
	exitWrongUse = 2
)

// wrongUse is an error in how a command was written.
type wrongUse struct{ error }

func misused(format string, args ...any) error { return wrongUse{fmt.Errorf(format, args...)} }

// Main runs the command line and gives the exit code: 0, 1 for failure, 2 for wrong use.
func Main(args []string) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	context.AfterFunc(ctx, stop) // a second Ctrl-C ends us at once
	root := newRoot()
	root.SetArgs(args)
	command, err := root.ExecuteContextC(ctx)
	err = inOurWords(err)
	switch {
	case err == nil, errors.Is(err, context.Canceled) && ctx.Err() != nil:
		return 0
	case isWrongUse(err):
		fmt.Fprintf(os.Stderr, "jaunty: %v\nSee '%s --help'.\n", err, command.CommandPath())
		return exitWrongUse
	}
	fmt.Fprintf(os.Stderr, "jaunty: %v\n", err)
	return exitFailure
}

var flagGroup = regexp.MustCompile(`^(at least one of the flags|if any flags) in the group \[([^\]]+)\]`)

// inOurWords says as we do what the library found wrong: a command that is not there, flags of which one is needed, and flags that
// stand alone.
func inOurWords(err error) error {
	if err == nil {
		return nil
	}
	if text, near, is := strings.Cut(err.Error(), "\n\nDid you mean this?\n"); is {
		return misused("%s; did you mean %s?", text, strings.Join(strings.Fields(near), " or "))
	}
	found := flagGroup.FindStringSubmatch(err.Error())
	if found == nil {
		return err
	}
	flags := "--" + strings.Join(strings.Fields(found[2]), ", --")
	if strings.HasPrefix(found[1], "at least") {
		return misused("say at least one of %s", flags)
	}
	return misused("%s do not go together; say one of them", flags)
}

func isWrongUse(err error) bool {
	var wrong wrongUse
	var setting *service.SettingError
	var problem *client.Problem
	if errors.As(err, &problem) {
		return problem.Status == 400 || problem.Status == 422
	}
	return errors.As(err, &wrong) || errors.As(err, &setting) || strings.HasPrefix(err.Error(), "unknown command") || strings.HasPrefix(err.Error(), "required flag")
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
	root.SetFlagErrorFunc(flagError)
	root.AddCommand(serveCommand(), demoCommand(), loginCommand(), logoutCommand(), deviceCommand(), arrivalCommand(), kitCommand(), signalCommand(), guardCommand(),
		sendCommand(), followCommand(), readingCommand(), alarmCommand(), trialCommand(), siteCommand(), journalCommand(), contactCommand(), rosterCommand(), noticeCommand(), carrierCommand(), drillCommand(), outputCommand(), interlockCommand(), statementCommand(), boardCommand(), pictureCommand(), assetCommand(), frameCommand(), runCommand(), personCommand(), standinCommand(), openAPICommand(),
		exportCommand(), importCommand(), chartCommand(), storageCommand(), calibrationCommand(), compareCommand(), totalCommand(), tariffCommand(), unitCommand(), backupCommand(), restoreCommand(), sqlCommand(), removedCommand(), topicsCommand())
	addBringBack(root)
	return root
}

// flagError says what is wrong with a flag, with the nearest one when there is none of that name.
func flagError(c *cobra.Command, err error) error {
	text, _, _ := strings.Cut(err.Error(), ": strconv.")
	if name, unknown := strings.CutPrefix(text, "unknown flag: --"); unknown {
		if near := site.Nearest(name, flagNames(c)); near != "" {
			text += "; did you mean --" + near + "?"
		}
	}
	return wrongUse{errors.New(text)}
}

func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok || info.Main.Version == "" {
		return "unknown"
	}
	return info.Main.Version
}

// group is a command that only holds others.
func group(use, short string, commands ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Args: cobra.NoArgs, RunE: func(c *cobra.Command, args []string) error {
		return misused("%s needs one of its commands", c.CommandPath())
	}}
	c.Args = func(c *cobra.Command, args []string) error {
		if len(args) > 0 {
			var known []string
			for _, sub := range c.Commands() {
				known = append(known, sub.Name())
			}
			return misused("unknown command %q for %q%s", args[0], c.CommandPath(), didYouMean(args[0], known))
		}
		return nil
	}
	c.AddCommand(commands...)
	return c
}

// exactly asks for so many arguments, and says which when there are others.
func exactly(names ...string) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		wanted := strings.Join(names, " ")
		if wanted == "" {
			wanted = "no arguments"
		}
		if len(args) != len(names) {
			return misused("%s takes %s; %d given", c.CommandPath(), wanted, len(args))
		}
		return nil
	}
}

// between asks for so many arguments at least, and at most; 0: as many as one likes. They are what the command's use says.
func between(least, most int) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		if len(args) < least || most > 0 && len(args) > most {
			_, wanted, _ := strings.Cut(c.Use, " ")
			return misused("%s takes %s; %d given", c.CommandPath(), wanted, len(args))
		}
		return nil
	}
}
