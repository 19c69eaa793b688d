package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/core/prose"
)

// upload sends a file as it is, with its name.
func upload(c *cobra.Command, at api.Place, file, called string, out any) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	if called == "" {
		called = filepath.Base(file)
	}
	s, err := signedIn()
	if err != nil {
		return err
	}
	return s.Upload(c.Context(), at.Asking("name", called), "application/octet-stream", f, out)
}

// download writes what a place answers with into a file; - is standard output. A file that is there already is written over when all of
// it has come.
func download(c *cobra.Command, at api.Place, file string) error {
	s, err := signedIn()
	if err != nil {
		return err
	}
	if file == "-" {
		return s.Download(c.Context(), at, c.OutOrStdout())
	}
	part, err := os.CreateTemp(filepath.Dir(file), ".jaunty-*")
	if err != nil {
		return err
	}
	defer os.Remove(part.Name())
	err = s.Download(c.Context(), at, part)
	if closeErr := part.Close(); err == nil {
		err = closeErr
	}
	if err == nil {
		err = os.Chmod(part.Name(), 0o644)
	}
	if err == nil {
		err = os.Rename(part.Name(), file)
	}
	if err != nil {
		return err
	}
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	return show(c, map[string]any{"file": file, "bytes": info.Size()}, func(w io.Writer) { fmt.Fprintf(w, "%s is written, %s.\n", file, prose.Bytes(info.Size())) })
}

// textOrFile is a text, or with @FILE what is in a file; @- is standard input.
func textOrFile(text string, in io.Reader) (string, error) {
	file, is := strings.CutPrefix(text, "@")
	if !is {
		return text, nil
	}
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return "", err
		}
		defer f.Close()
		in = f
	}
	read, err := io.ReadAll(io.LimitReader(in, 1<<20))
	return string(read), err
}
