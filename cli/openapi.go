package cli

import (
	"github.com/spf13/cobra"

	"jauntylark/server"
)

func openAPICommand() *cobra.Command {
	return &cobra.Command{
		Use: "openapi", Short: "Print the API's description, OpenAPI 3.1", Args: exactly(), Example: "  jaunty openapi > openapi.yaml",
		RunE: func(c *cobra.Command, _ []string) error {
			text, err := server.DescribeAPI()
			if err != nil {
				return err
			}
			_, err = c.OutOrStdout().Write(text)
			return err
		},
	}
}
