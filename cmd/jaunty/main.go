// Jaunty is the service, its command line and its demo site in one binary.
package main

import (
	"os"
	_ "time/tzdata" // time zones on machines that have none

	"jauntylark/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:])) }
