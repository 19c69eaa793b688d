package people

import (
	"fmt"
	"io"
	"net/url"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
)

func loginCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "login URL", Short: "Sign in to a service; the other commands then work with it",
		Args: terminal.Exactly("URL"),
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
			return terminal.Misused("%q is not an address like http://127.0.0.1:8080", args[0])
		}
		password := os.Getenv("JAUNTY_PASSWORD")
		if password == "" {
			if password, err = terminal.ReadSecret(c, "Password of "+*user+": "); err != nil {
				return err
			}
		}
		kept := terminal.Login{URL: strings.TrimRight(args[0], "/"), Email: *user}
		at := client.Client{URL: kept.URL}
		got, err := client.Do(c.Context(), &at, api.CreateToken,
			api.With(api.Credentials{Email: *user, Password: password}))
		if err != nil {
			return err
		}
		kept.Token = got.Token
		if err := terminal.KeepLogin(kept); err != nil {
			return err
		}
		return terminal.Show(c, map[string]any{"url": kept.URL, "person": got.Person, "expires_at": got.ExpiresAt},
			func(w io.Writer) {
				fmt.Fprintf(w, "Signed in to %s as %s (%s).\n", kept.URL, got.Person.Called(), got.Person.Role)
			})
	}
	return c
}

func logoutCommand() *cobra.Command {
	return &cobra.Command{
		Use: "logout", Short: "Sign out: give the token back and forget it", Args: terminal.Exactly(),
		Example: "  jaunty logout",
		RunE: func(c *cobra.Command, _ []string) error {
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			_, gone := client.Do(c.Context(), s, api.SignOut, api.None{})
			path, err := terminal.LoginFile()
			if err == nil {
				err = os.Remove(path)
			}
			if gone != nil {
				fmt.Fprintf(c.ErrOrStderr(),
					"jaunty: the token is forgotten here, but the service did not take it back: %v\n", gone)
			}
			if err != nil {
				return err
			}
			return terminal.Show(c, map[string]string{"left": s.URL},
				func(w io.Writer) { fmt.Fprintf(w, "Signed out of %s.\n", s.URL) })
		},
	}
}
