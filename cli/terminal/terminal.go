package terminal

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"
)

// IsTerminal tells whether somebody looks at what is written there.
func IsTerminal(f *os.File) bool { return term.IsTerminal(int(f.Fd())) }

// readHidden reads a line without showing it.
func readHidden(f *os.File) (string, error) {
	text, err := term.ReadPassword(int(f.Fd()))
	return string(text), err
}

// ReadSecret asks for a line without showing it, or reads it from standard input.
func ReadSecret(c *cobra.Command, prompt string) (string, error) {
	if IsTerminal(os.Stdin) {
		fmt.Fprint(c.ErrOrStderr(), prompt)
		defer fmt.Fprintln(c.ErrOrStderr())
		return readHidden(os.Stdin)
	}
	text, err := io.ReadAll(io.LimitReader(c.InOrStdin(), 1024))
	line, _, _ := strings.Cut(string(text), "\n")
	return strings.TrimRight(line, "\r"), err
}
