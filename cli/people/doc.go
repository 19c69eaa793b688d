// Package people has the commands about people, how they are reached and what they are told, and about alarms.
//
// A command asks the service by the operations of api, and prints what comes back; it decides nothing.
package people

import "github.com/spf13/cobra"

// Commands are the commands of the package.
func Commands() []*cobra.Command {
	return []*cobra.Command{loginCommand(), logoutCommand(), personCommand(), contactCommand(), rosterCommand(),
		noticeCommand(), carrierCommand(), alarmCommand()}
}
