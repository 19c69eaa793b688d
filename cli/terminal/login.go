package terminal

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/client"
)

// Login is what 'jaunty login' keeps.
type Login struct {
	URL   string `json:"url"`
	Token string `json:"token"`
	Email string `json:"email"`
}

// LoginFile is where it is kept who is signed in.
func LoginFile() (string, error) {
	dir, err := os.UserConfigDir() // $XDG_CONFIG_HOME, or ~/.config
	return filepath.Join(dir, "jaunty", "login.json"), err
}

// SignedIn gives a client for the service that was logged in to; JAUNTY_URL and JAUNTY_TOKEN go before.
func SignedIn() (*client.Client, error) {
	kept := Login{}
	path, err := LoginFile()
	if err == nil {
		if data, err := os.ReadFile(path); err == nil {
			if err := json.Unmarshal(data, &kept); err != nil {
				return nil, fmt.Errorf("%s: %w", path, err)
			}
		}
	}
	if v := os.Getenv("JAUNTY_URL"); v != "" && v != kept.URL {
		kept = Login{URL: v} // another service's token stays here
	}
	if v := os.Getenv("JAUNTY_TOKEN"); v != "" {
		kept.Token = v
	}
	if kept.URL == "" {
		return nil, errors.New("not logged in; first 'jaunty login URL --user EMAIL'")
	}
	return &client.Client{URL: kept.URL, Token: kept.Token}, nil
}

// Fetch gets what the service answers with at a place.
func Fetch[T any](c *cobra.Command, at api.Place) (out T, err error) {
	s, err := SignedIn()
	if err == nil {
		err = s.Call(c.Context(), at, nil, &out)
	}
	return out, err
}

// Ask asks for an operation and gives its answer.
func Ask[In, Out any](c *cobra.Command, op api.Op[In, Out], in In) (out Out, err error) {
	s, err := SignedIn()
	if err == nil {
		out, err = client.Do(c.Context(), s, op, in)
	}
	return out, err
}

// KeepLogin writes down who is signed in, readable for this account alone.
func KeepLogin(l Login) error {
	path, err := LoginFile()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	data, err := json.Marshal(l)
	if err != nil {
		return err
	}
	fresh := path + ".new"
	if err := os.WriteFile(fresh, append(data, '\n'), 0o600); err != nil {
		return err
	}
	return os.Rename(fresh, path)
}
