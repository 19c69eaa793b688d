// Package guards has the commands about what looks at readings, and what it drives: guards, trials, drills, interlocks,
// outputs.
//
// A command asks the service by the operations of api, and prints what comes back; it decides nothing.
package guards

import "github.com/spf13/cobra"

// Commands are the commands of the package.
func Commands() []*cobra.Command {
	return []*cobra.Command{guardCommand(), trialCommand(), drillCommand(), interlockCommand(), outputCommand()}
}
