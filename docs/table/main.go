// Command table writes docs/exchange-table.md: what each format keeps of each property, by trying.
package main

import (
	"log"
	"os"

	"grotta/core/exchange/table"
)

const head = `# What each format keeps

Each property was set to another value than its default, written, read back and compared.
"kept" means that it came back; "changed" that it came back as something else; "left out" that it did not.
Rotations of meshes and blocks go into their corners, and a block comes back as a mesh. The document is
` + "`grotta-level/1`" + `; the others are the hand-overs that come with Grotta (see hand-over.md).
Things that no format but the document has, such as paths, probes and mixes, are not listed.

`

func main() {
	rows, err := table.Rows()
	if err != nil {
		log.Fatal(err)
	}
	names, err := table.Formats()
	if err != nil {
		log.Fatal(err)
	}
	if err := os.WriteFile("docs/exchange-table.md", []byte(head+table.Markdown(rows, names)), 0o644); err != nil {
		log.Fatal(err)
	}
}
