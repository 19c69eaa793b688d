package terminal

import (
	"fmt"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/core/site"
)

// Saving is one of the two ways to save a thing by its name: add makes one that is not there yet, set changes one that
// is.
type Saving struct{ Verb, Short string }

// Draft gives what is there of a name, to be changed, or the new one. It refuses to add what is there, and to set what
// is not.
func Draft[T any](c *cobra.Command, as Saving, noun string, list, one api.Place, name string, fresh T,
	nameOf func(T) string) (T, error) {
	all, err := Fetch[[]T](c, list)
	if err != nil {
		return fresh, err
	}
	known := make([]string, len(all))
	for i, v := range all {
		switch known[i] = nameOf(v); {
		case known[i] != name:
		case as.Verb == "add":
			return fresh, fmt.Errorf("there is %s %s already; 'jaunty %s set %s' changes it", Article(noun), name,
				nounOf(noun), name)
		default:
			return Fetch[T](c, one)
		}
	}
	if as.Verb == "set" {
		return fresh, fmt.Errorf("%s; 'jaunty %s add %s' makes it", site.Unknown(noun, name, known), nounOf(noun), name)
	}
	return fresh, nil
}
