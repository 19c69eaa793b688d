package terminal

import (
	"errors"
	"fmt"
	"regexp"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/client"
	"jauntylark/core/site"
	"jauntylark/service"
)

// wrongUse is an error in how a command was written.
type wrongUse struct{ error }

// Wrong says that an error lies in how the command was written.
func Wrong(err error) error { return wrongUse{err} }

// Misused is an error in how a command was written, in words.
func Misused(format string, args ...any) error { return Wrong(fmt.Errorf(format, args...)) }

// IsWrongUse tells whether an error lies in how the command was written, by us, by the service or by what reads the
// flags.
func IsWrongUse(err error) bool {
	var wrong wrongUse
	var setting *service.SettingError
	var problem *client.Problem
	if errors.As(err, &problem) {
		return problem.Status == 400 || problem.Status == 422
	}
	return errors.As(err, &wrong) || errors.As(err, &setting) || strings.HasPrefix(err.Error(), "unknown command") ||
		strings.HasPrefix(err.Error(), "required flag")
}

// InOurWords says as we do what the library found wrong: a command that is not there, flags of which one is needed, and
// flags that stand alone.
func InOurWords(err error) error {
	if err == nil {
		return nil
	}
	if text, near, is := strings.Cut(err.Error(), "\n\nDid you mean this?\n"); is {
		return Misused("%s; did you mean %s?", text, strings.Join(strings.Fields(near), " or "))
	}
	found := flagGroup.FindStringSubmatch(err.Error())
	if found == nil {
		return err
	}
	flags := "--" + strings.Join(strings.Fields(found[2]), ", --")
	if strings.HasPrefix(found[1], "at least") {
		return Misused("say at least one of %s", flags)
	}
	return Misused("%s do not go together; say one of them", flags)
}

// FlagError says what is wrong with a flag, with the nearest one when there is none of that name.
func FlagError(c *cobra.Command, err error) error {
	text, _, _ := strings.Cut(err.Error(), ": strconv.")
	if name, unknown := strings.CutPrefix(text, "unknown flag: --"); unknown {
		if near := site.Nearest(name, FlagNames(c)); near != "" {
			text += "; did you mean --" + near + "?"
		}
	}
	return Wrong(errors.New(text))
}

var flagGroup = regexp.MustCompile(`^(at least one of the flags|if any flags) in the group \[([^\]]+)\]`)

// Group is a command that only holds others.
func Group(use, short string, commands ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Args: cobra.NoArgs, RunE: func(c *cobra.Command, args []string) error {
		return Misused("%s needs one of its commands", c.CommandPath())
	}}
	c.Args = func(c *cobra.Command, args []string) error {
		if len(args) > 0 {
			var known []string
			for _, sub := range c.Commands() {
				known = append(known, sub.Name())
			}
			return Misused("unknown command %q for %q%s", args[0], c.CommandPath(), DidYouMean(args[0], known))
		}
		return nil
	}
	c.AddCommand(commands...)
	return c
}

// Exactly asks for so many arguments, and says which when there are others.
func Exactly(names ...string) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		wanted := strings.Join(names, " ")
		if wanted == "" {
			wanted = "no arguments"
		}
		if len(args) != len(names) {
			return Misused("%s takes %s; %d given", c.CommandPath(), wanted, len(args))
		}
		return nil
	}
}

// Between asks for so many arguments at least, and at most; 0: as many as one likes. They are what the command's use
// says.
func Between(least, most int) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		if len(args) < least || most > 0 && len(args) > most {
			_, wanted, _ := strings.Cut(c.Use, " ")
			return Misused("%s takes %s; %d given", c.CommandPath(), wanted, len(args))
		}
		return nil
	}
}

// FlagNames are the names of a command's flags.
func FlagNames(c *cobra.Command) (names []string) {
	c.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
	return names
}

// DidYouMean names the nearest of what is known, as the end of a message; nothing where none is near.
func DidYouMean(name string, known []string) string {
	if near := site.Nearest(name, known); near != "" {
		return "; did you mean " + near + "?"
	}
	return ""
}
