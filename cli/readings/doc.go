// Package readings has the commands about what was measured: sending, following, files, charts, calibrations, derived
// signals, totals.
//
// A command asks the service by the operations of api, and prints what comes back; it decides nothing.
package readings

import "github.com/spf13/cobra"

// Commands are the commands of the package.
func Commands() []*cobra.Command {
	return []*cobra.Command{sendCommand(), followCommand(), readingCommand(), exportCommand(), importCommand(),
		chartCommand(), storageCommand(), calibrationCommand(), compareCommand(), totalCommand(), tariffCommand(), changeCommand()}
}
