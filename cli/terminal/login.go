package terminal

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
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

// talking is the client of the command that runs: what it was shown and what it saves go by one.
var talking *client.Client

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
	if talking == nil || talking.URL != kept.URL || talking.Token != kept.Token {
		talking = &client.Client{URL: kept.URL, Token: kept.Token, Careful: true}
	}
	return talking, nil
}

// See looks at what is to be replaced as a whole, if it is there, so that what others make of it meanwhile is not.
func See(c *cobra.Command, at api.Place) error {
	_, err := Fetch[any](c, at)
	var problem *client.Problem
	if errors.As(err, &problem) && problem.Status == http.StatusNotFound {
		return nil
	}
	return err
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

// AskAll asks for a list to its end, page by page.
func AskAll[In, T any](c *cobra.Command, op api.Op[In, []T], in In) (all []T, err error) {
	s, err := SignedIn()
	if err == nil {
		all, err = client.All(c.Context(), s, op, in)
	}
	return all, err
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
