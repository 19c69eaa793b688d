package people

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/site"
)

func personCommand() *cobra.Command {
	return terminal.Group("person", "Who can sign in", personAddCommand(), personListCommand(), personSetCommand(),
		personRemoveCommand())
}

func personAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add EMAIL", Short: "Let a person sign in", Args: terminal.Exactly("EMAIL"),
		Long: `Let a person sign in. With --password-stdin the password is read from standard input; otherwise one
is made and told once.`,
		Example: `  jaunty person add tadhg@hollowbrook.example --role keeper --name Tadhg
  echo "$SECRET" | jaunty person add orla@hollowbrook.example --role owner --password-stdin`,
	}
	role := c.Flags().String("role", "", roleHelp)
	name := c.Flags().String("name", "", "what to call the person")
	stdin := c.Flags().Bool("password-stdin", false, "read the password from standard input")
	_ = c.MarkFlagRequired("role")
	c.RunE = func(c *cobra.Command, args []string) error {
		if err := checkRole(*role); err != nil {
			return err
		}
		if _, err := site.CheckEmail(args[0]); err != nil {
			return terminal.Wrong(err)
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		body := api.NewPerson{Email: args[0], Role: site.Role(*role), Name: *name}
		if *stdin {
			if body.Password, err = terminal.ReadSecret(c, "Password for "+args[0]+": "); err != nil {
				return err
			}
		}
		out, err := client.Do(c.Context(), s, api.AddPerson, api.With(body))
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) {
			fmt.Fprintf(w, "%s may sign in as %s.\n", out.Email, out.Role)
			if out.Password != "" {
				fmt.Fprintf(w, "The password, told once: %s\n", out.Password)
			}
		})
	}
	return c
}

func checkRole(role string) error {
	for _, known := range site.Roles {
		if role == known {
			return nil
		}
	}
	return terminal.Misused("%q is not a role; roles are %s%s", role, strings.Join(site.Roles, ", "),
		terminal.DidYouMean(role, site.Roles))
}

func personListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "Who can sign in", Args: terminal.Exactly(), Example: "  jaunty person list",
		RunE: func(c *cobra.Command, _ []string) error {
			people, err := terminal.Ask(c, api.ListPeople, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, people, func(w io.Writer) {
				rows := [][]string{}
				for _, p := range people {
					rows = append(rows, []string{p.Email, string(p.Role), p.Name})
				}
				terminal.Table(w, "Nobody can sign in.", []string{"E-MAIL", "ROLE", "NAME"}, rows)
			})
		},
	}
}

func personSetCommand() *cobra.Command {
	c := &cobra.Command{Use: "set EMAIL", Short: "Change a person's role", Args: terminal.Exactly("EMAIL"),
		Example: "  jaunty person set tadhg@hollowbrook.example --role owner"}
	role := c.Flags().String("role", "", roleHelp)
	_ = c.MarkFlagRequired("role")
	terminal.CompleteFrom(c, "role", site.Roles...)
	c.RunE = func(c *cobra.Command, args []string) error {
		if err := checkRole(*role); err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		out, err := client.Do(c.Context(), s, api.SetRole,
			api.SetRoleIn{PersonPath: api.PersonPath{Email: args[0]}, Body: api.RoleOrder{Role: site.Role(*role)}})
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) { fmt.Fprintf(w, "%s is now %s.\n", out.Email, out.Role) })
	}
	return c
}

const roleHelp = "viewer looks, keeper acknowledges and sets, owner does everything"

func personRemoveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "remove EMAIL", Short: "Remove a person with all sessions and tokens", Args: terminal.Exactly("EMAIL"),
		Example: "  jaunty person remove tadhg@hollowbrook.example",
		RunE: func(c *cobra.Command, args []string) error {
			return terminal.Remove(c, "person", args[0], api.RemovePerson.At(args[0]))
		},
	}
}
