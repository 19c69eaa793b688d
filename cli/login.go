package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/client"
)

// login is what 'jaunty login' keeps.
type login struct {
	URL   string `json:"url"`
	Token string `json:"token"`
	Email string `json:"email"`
}

func loginFile() (string, error) {
	dir, err := os.UserConfigDir() // $XDG_CONFIG_HOME, or ~/.config
	return filepath.Join(dir, "jaunty", "login.json"), err
}

// service gives a client for the service that was logged in to; JAUNTY_URL and JAUNTY_TOKEN go before.
func signedIn() (*client.Client, error) {
	kept := login{}
	path, err := loginFile()
	if err == nil {
		if data, err := os.ReadFile(path); err == nil {
			if err := json.Unmarshal(data, &kept); err != nil {
				return nil, fmt.Errorf("%s: %w", path, err)
			}
		}
	}
	if v := os.Getenv("JAUNTY_URL"); v != "" && v != kept.URL {
		kept = login{URL: v} // another service's token stays here
	}
	if v := os.Getenv("JAUNTY_TOKEN"); v != "" {
		kept.Token = v
	}
	if kept.URL == "" {
		return nil, errors.New("not logged in; first 'jaunty login URL --user EMAIL'")
	}
	return &client.Client{URL: kept.URL, Token: kept.Token}, nil
}

// fetch gets what the service answers with at a place.
func fetch[T any](c *cobra.Command, at api.Place) (out T, err error) {
	s, err := signedIn()
	if err == nil {
		err = s.Call(c.Context(), at, nil, &out)
	}
	return out, err
}

// ask asks for an operation and gives its answer.
func ask[In, Out any](c *cobra.Command, op api.Op[In, Out], in In) (out Out, err error) {
	s, err := signedIn()
	if err == nil {
		out, err = client.Do(c.Context(), s, op, in)
	}
	return out, err
}

func loginCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "login URL", Short: "Sign in to a service; the other commands then work with it", Args: exactly("URL"),
		Long: `Sign in to the service at URL. The password is taken from JAUNTY_PASSWORD, asked for, or read from
standard input. The token that comes back is kept in $XDG_CONFIG_HOME/jaunty, readable for you alone.`,
		Example: `  jaunty login http://127.0.0.1:8080 --user orla@hollowbrook.example
  JAUNTY_PASSWORD=… jaunty login https://lark.example.org --user you@example.org`,
	}
	user := c.Flags().String("user", "", "e-mail address to sign in with")
	_ = c.MarkFlagRequired("user")
	c.RunE = func(c *cobra.Command, args []string) error {
		u, err := url.Parse(args[0])
		if err != nil || u.Host == "" || (u.Scheme != "http" && u.Scheme != "https") {
			return misused("%q is not an address like http://127.0.0.1:8080", args[0])
		}
		password := os.Getenv("JAUNTY_PASSWORD")
		if password == "" {
			if password, err = readSecret(c, "Password of "+*user+": "); err != nil {
				return err
			}
		}
		kept := login{URL: strings.TrimRight(args[0], "/"), Email: *user}
		at := client.Client{URL: kept.URL}
		got, err := client.Do(c.Context(), &at, api.CreateToken, api.With(api.Credentials{Email: *user, Password: password}))
		if err != nil {
			return err
		}
		kept.Token = got.Token
		if err := keepLogin(kept); err != nil {
			return err
		}
		return show(c, map[string]any{"url": kept.URL, "person": got.Person, "expires_at": got.ExpiresAt}, func(w io.Writer) {
			fmt.Fprintf(w, "Signed in to %s as %s (%s).\n", kept.URL, got.Person.Called(), got.Person.Role)
		})
	}
	return c
}

func keepLogin(l login) error {
	path, err := loginFile()
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

func logoutCommand() *cobra.Command {
	return &cobra.Command{
		Use: "logout", Short: "Sign out: give the token back and forget it", Args: exactly(), Example: "  jaunty logout",
		RunE: func(c *cobra.Command, _ []string) error {
			s, err := signedIn()
			if err != nil {
				return err
			}
			_, gone := client.Do(c.Context(), s, api.SignOut, api.None{})
			path, err := loginFile()
			if err == nil {
				err = os.Remove(path)
			}
			if gone != nil {
				fmt.Fprintf(c.ErrOrStderr(), "jaunty: the token is forgotten here, but the service did not take it back: %v\n", gone)
			}
			if err != nil {
				return err
			}
			return show(c, map[string]string{"left": s.URL}, func(w io.Writer) { fmt.Fprintf(w, "Signed out of %s.\n", s.URL) })
		},
	}
}
