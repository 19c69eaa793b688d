// Package record has the commands about what people write down of a site: the journal, assets, runs, boards,
// statements, what was removed.
//
// A command asks the service by the operations of api, and prints what comes back; it decides nothing.
package record

import "github.com/spf13/cobra"

// Commands are the commands of the package.
func Commands() []*cobra.Command {
	return []*cobra.Command{journalCommand(), statementCommand(), boardCommand(), pictureCommand(), assetCommand(),
		runCommand(), removedCommand()}
}
