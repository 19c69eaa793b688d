package local

import (
	"io"

	"github.com/spf13/cobra"

	"jauntylark/cli/terminal"
	"jauntylark/server"
)

func openAPICommand() *cobra.Command {
	return &cobra.Command{
		Use: "openapi", Short: "Print the API's description, OpenAPI 3.1, as YAML or with --json",
		Args: terminal.Exactly(), Example: "  jaunty openapi > openapi.yaml",
		RunE: func(c *cobra.Command, _ []string) error {
			api, err := server.DescribeAPI()
			if err != nil {
				return err
			}
			text, err := api.YAML()
			if err != nil {
				return err
			}
			return terminal.Show(c, api, func(w io.Writer) { _, _ = w.Write(text) })
		},
	}
}
