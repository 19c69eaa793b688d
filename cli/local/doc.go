// Package local has the commands that need no service that runs: they start one, or work on its data, on this machine.
//
// It imports service, demo and standin, and what all commands share.
package local

import "github.com/spf13/cobra"

// Commands are the commands of the package.
func Commands() []*cobra.Command {
	return []*cobra.Command{serveCommand(), demoCommand(), standinCommand(), openAPICommand(), backupCommand(),
		restoreCommand(), sqlCommand()}
}
