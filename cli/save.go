package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/core/site"
)

// saving is one of the two ways to save a thing by its name: add makes one that is not there yet, set changes one that is.
type saving struct{ verb, short string }

// draft gives what is there of a name, to be changed, or the new one. It refuses to add what is there, and to set what is not.
func draft[T any](c *cobra.Command, as saving, noun string, at api.Place, name string, fresh T, nameOf func(T) string) (T, error) {
	all, err := fetch[[]T](c, at)
	if err != nil {
		return fresh, err
	}
	known := make([]string, len(all))
	for i, v := range all {
		switch known[i] = nameOf(v); {
		case known[i] != name:
		case as.verb == "add":
			return fresh, fmt.Errorf("there is %s %s already; 'jaunty %s set %s' changes it", article(noun), name, nounOf(noun), name)
		default:
			return v, nil
		}
	}
	if as.verb == "set" {
		return fresh, fmt.Errorf("%s; 'jaunty %s add %s' makes it", site.Unknown(noun, name, known), nounOf(noun), name)
	}
	return fresh, nil
}
