// Package web holds the built console. Its source is in src; npm run build puts
// the result into dist.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Console is the built console, or a folder without an index where it was not
// built.
func Console() fs.FS {
	sub, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the name is constant
	}
	return sub
}
