// Command rules writes the list of docs/checks.md from the rules themselves. What stands above the list
// is kept.
package main

import (
	"log"
	"os"
	"strings"

	"grotta/core/check"
)

// begins is the first line that is made.
const begins = "## All "

func main() {
	const path = "docs/checks.md"
	text, err := os.ReadFile(path)
	if err != nil {
		log.Fatal(err)
	}
	head, _, found := strings.Cut(string(text), begins)
	if !found {
		log.Fatalf("%s has no line that begins with %q", path, begins)
	}
	if err := os.WriteFile(path, []byte(head+check.Markdown()), 0o644); err != nil {
		log.Fatal(err)
	}
}
