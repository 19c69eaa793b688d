package record

import (
	"fmt"
	"io"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/statement"
	"jauntylark/core/wall"
)

func statementCommand() *cobra.Command {
	return terminal.Group("statement", "Summaries that are sent: energy and cost of a month, alarms of a week, totals",
		statementListCommand(), statementSaveCommand(terminal.Saving{Verb: "add", Short: "Add a statement"}),
		statementSaveCommand(terminal.Saving{Verb: "set", Short: "Change a statement; what is not said stays"}),
		statementShowCommand(),
		statementSendCommand(), terminal.RemoveCommand("statement", api.RemoveStatement.Operation, statementNames))
}

func statementNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return terminal.Names(c, api.ListStatements.At(), func(v statement.Statement) string { return v.Name })
}

func statementListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All statements", Args: terminal.Exactly(), Example: "  jaunty statement list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListStatements, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, s := range all {
					rows = append(rows, []string{s.Name, s.Kind, s.Every + " at " + s.At, strings.Join(s.Tell, ", "),
						terminal.Clock(s.DueAt)})
				}
				terminal.Table(w, "No statements yet; 'jaunty statement add --help' shows one.",
					[]string{"STATEMENT", "KIND", "EVERY", "TO", "NEXT"}, rows)
			})
		},
	}
}

func statementSaveCommand(as terminal.Saving) *cobra.Command {
	c := &cobra.Command{
		Use: as.Verb + " STATEMENT", Short: as.Short, Args: terminal.Exactly("STATEMENT"),
		ValidArgsFunction: statementNames,
		Example: `  jaunty statement add electricity --kind energy --every month --tell orla
  jaunty statement set alarms --kind alarms --every week --at 08:00 --tell orla,tadhg
  jaunty statement add pumps --kind totals --totals fog-pump-cycles,fog-pump-on --every day`,
	}
	f := c.Flags()
	f.String("title", "", "what people call it")
	f.String("kind", "", "energy, alarms or totals")
	f.StringSlice("totals", nil, "totals in it; all that fit when left out")
	f.String("every", "", "day, week or month")
	f.String("at", "", "time of day at which it is sent, in the site's time zone")
	f.StringSlice("tell", nil, "contacts and e-mail addresses; '' for nobody")
	terminal.CompleteFrom(c, "kind", statement.Energy, statement.Alarms, statement.Totals)
	terminal.CompleteFrom(c, "every", "day", "week", "month")
	c.RunE = func(c *cobra.Command, args []string) error {
		v, err := terminal.Draft(c, as, "statement", api.ListStatements.At(), api.GetStatement.At(args[0]), args[0],
			statement.Statement{Name: args[0], Every: "month"}, func(v statement.Statement) string { return v.Name })
		if err != nil {
			return err
		}
		for name, into := range map[string]*string{"title": &v.Title, "kind": &v.Kind, "every": &v.Every, "at": &v.At} {
			if f.Changed(name) {
				*into, _ = f.GetString(name)
			}
		}
		for name, into := range map[string]*[]string{"totals": &v.Totals, "tell": &v.Tell} {
			if f.Changed(name) {
				list, _ := f.GetStringSlice(name)
				*into = slices.DeleteFunc(list, func(s string) bool { return s == "" })
			}
		}
		if err := v.Check(); err != nil {
			return terminal.Misused("--%v", err)
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		out, err := client.Do(c.Context(), s, api.PutStatement,
			api.PutStatementIn{StatementPath: api.StatementPath{Statement: v.Name}, Body: v})
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) {
			fmt.Fprintf(w, "Statement %s: %s of each %s", out.Name, out.Kind, out.Every)
			if out.DueAt != nil {
				fmt.Fprintf(w, ", sent to %s, next at %s", strings.Join(out.Tell, ", "), terminal.Clock(out.DueAt))
			}
			fmt.Fprintln(w, ".")
		})
	}
	return c
}

// periodFlag lets a command say which period it is about.
func periodFlag(c *cobra.Command) {
	c.Flags().String("at", "",
		"an instant in the period, like 2026-10 or 2026-10-14; the newest period that is over when left out")
}

// periodOf reads the flag: empty for the newest period that is over.
func periodOf(c *cobra.Command) (*measure.Instant, error) {
	text, _ := c.Flags().GetString("at")
	if text == "" {
		return nil, nil
	}
	here, err := terminal.Ask(c, api.GetSite, api.None{})
	if err != nil {
		return nil, err
	}
	for _, layout := range []string{"2006-01", time.DateOnly} {
		if at, err := wall.Read(layout, text, here.Location()); err == nil {
			return &at, nil
		}
	}
	at, err := terminal.Moment(text)
	if err != nil {
		return nil, terminal.Misused("--at: %w", err)
	}
	return &at, nil
}

func statementShowCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "show STATEMENT", Short: "What a statement says of a period, as text, a page or CSV",
		Args: terminal.Exactly("STATEMENT"), ValidArgsFunction: statementNames,
		Example: `  jaunty statement show electricity
  jaunty statement show electricity --at 2026-10 --format html --file october.html`,
	}
	periodFlag(c)
	c.Flags().String("format", "text", "text, html or csv")
	c.Flags().String("file", "", "file to write to; none: standard output")
	terminal.CompleteFrom(c, "format", "text", "html", "csv")
	c.RunE = func(c *cobra.Command, args []string) error {
		at, err := periodOf(c)
		if err != nil {
			return err
		}
		sheet, err := terminal.Fetch[statement.Sheet](c, api.GetStatementSheet.At(args[0]).Raw(atQuery(at)))
		if err != nil {
			return err
		}
		format, _ := c.Flags().GetString("format")
		text := sheet.Heading() + "\n\n" + sheet.Text()
		switch format {
		case "text":
		case "html":
			text, err = sheet.HTML()
		case "csv":
			text, err = sheet.CSV()
		default:
			return terminal.Misused("--format %q is neither text nor html nor csv", format)
		}
		if err != nil {
			return err
		}
		if file, _ := c.Flags().GetString("file"); file != "" {
			if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
				return err
			}
			text = fmt.Sprintf("%s is written.\n", file)
		}
		return terminal.Show(c, sheet, func(w io.Writer) { fmt.Fprint(w, text) })
	}
	return c
}

func atQuery(at *measure.Instant) string {
	if at == nil {
		return ""
	}
	return url.Values{"at": {at.String()}}.Encode()
}

func statementSendCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "send STATEMENT", Short: "Send a statement now", Args: terminal.Exactly("STATEMENT"),
		ValidArgsFunction: statementNames,
		Example: `  jaunty statement send electricity
  jaunty statement send electricity --at 2026-10 --tell orla`,
	}
	periodFlag(c)
	c.Flags().StringSlice("tell", nil, "contacts and e-mail addresses; those whom it is for when left out")
	c.RunE = func(c *cobra.Command, args []string) error {
		at, err := periodOf(c)
		if err != nil {
			return err
		}
		order := &api.SendOrder{At: at}
		order.To, _ = c.Flags().GetStringSlice("tell")
		sent, err := terminal.Ask(c, api.SendStatement, api.SendStatementIn{StatementPath: api.StatementPath{
			Statement: args[0]}, Body: order})
		if err != nil {
			return err
		}
		return terminal.Show(c, sent, func(w io.Writer) {
			fmt.Fprintf(w, "It goes to %s; 'jaunty notice list' tells whether it arrived.\n",
				prose.Count(sent.Notices, "address", "addresses"))
		})
	}
	return c
}
