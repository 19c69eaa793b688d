package terminal

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/core/prose"
)

// Upload sends a file as it is, with its name.
func Upload(c *cobra.Command, at api.Place, file, called string, out any) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	if called == "" {
		called = filepath.Base(file)
	}
	s, err := SignedIn()
	if err != nil {
		return err
	}
	return s.Upload(c.Context(), at.Asking("name", called), "application/octet-stream", f, out)
}

// Download writes what a place answers with into a file; - is standard output. A file that is there already is written
// over when all of it has come.
func Download(c *cobra.Command, at api.Place, file string) error {
	s, err := SignedIn()
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
	return Show(c, map[string]any{"file": file, "bytes": info.Size()},
		func(w io.Writer) { fmt.Fprintf(w, "%s is written, %s.\n", file, prose.Bytes(info.Size())) })
}

// TextOrFile is a text, or with @FILE what is in a file; @- is standard input.
func TextOrFile(text string, in io.Reader) (string, error) {
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

// NewFile writes a new file; one that is there already is not touched, and one that is cut off is taken away.
func NewFile(file string, write func(io.Writer) error) error {
	out, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	if err := errors.Join(write(out), out.Sync(), out.Close()); err != nil {
		return errors.Join(err, os.Remove(file))
	}
	return nil
}
