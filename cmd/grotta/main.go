// Command grotta is the light bench: the service with its console, and the
// client for people and scripts.
package main

import (
	"os"

	"github.com/inconshreveable/mousetrap"
	"github.com/spf13/cobra"

	"grotta/cli"
)

func main() { os.Exit(cli.Main(arguments(), host(), os.Stdin, os.Stdout, os.Stderr)) }

// arguments are those of the command line. A double click on Windows has none, and opens the console.
func arguments() []string {
	if mousetrap.StartedByExplorer() {
		cobra.MousetrapHelpText = ""
		if len(os.Args) == 1 {
			return []string{"open"}
		}
	}
	return os.Args[1:]
}
