// Command jaunty is the service, its command line and its demo site in one binary.
package main

import (
	"os"

	"jauntylark/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:])) }
