// Package place has the commands about what there is at a site: devices, what waits to be let in, kits, signals,
// frames.
//
// A command asks the service by the operations of api, and prints what comes back; it decides nothing.
package place

import "github.com/spf13/cobra"

// Commands are the commands of the package.
func Commands() []*cobra.Command {
	return []*cobra.Command{siteCommand(), unitCommand(), deviceCommand(), arrivalCommand(), kitCommand(),
		signalCommand(), frameCommand(), topicsCommand(), readerCommand(), batchCommand()}
}
