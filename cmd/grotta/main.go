// Command grotta is the light bench: the service with its console, and the
// client for people and scripts.
package main

import (
	"os"

	"grotta/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:], host(), os.Stdin, os.Stdout, os.Stderr)) }
