package cli

import (
	"os"

	"golang.org/x/term"
)

func isTerminal(f *os.File) bool { return term.IsTerminal(int(f.Fd())) }

// readHidden reads a line without showing it.
func readHidden(f *os.File) (string, error) {
	text, err := term.ReadPassword(int(f.Fd()))
	return string(text), err
}
