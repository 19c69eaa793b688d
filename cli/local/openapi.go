package local

import (
	"bytes"
	"encoding/json"
	"io"

	"github.com/danielgtaylor/huma/v2/yaml"
	"github.com/spf13/cobra"

	"jauntylark/cli/terminal"
	"jauntylark/server"
	"jauntylark/server/web"
)

func openAPICommand() *cobra.Command {
	c := &cobra.Command{
		Use: "openapi", Short: "Print the API's description, as YAML or with --json",
		Args:    terminal.Exactly(),
		Example: "  jaunty openapi > openapi.yaml\n  jaunty openapi --older --json > openapi.json",
	}
	older := c.Flags().Bool("older", false, "in OpenAPI 3.0, for generators that do not read 3.1")
	c.RunE = func(c *cobra.Command, _ []string) error {
		api, err := server.DescribeAPI()
		if err != nil {
			return err
		}
		text, err := api.MarshalJSON()
		if *older {
			text, err = web.Older(api)
		}
		if err != nil {
			return err
		}
		written := &bytes.Buffer{}
		if err = yaml.Convert(written, bytes.NewReader(text)); err != nil {
			return err
		}
		return terminal.Show(c, json.RawMessage(text), func(w io.Writer) { _, _ = w.Write(written.Bytes()) })
	}
	return c
}
