// Package chart writes drawn charts to files.
package chart

import (
	"os"

	"gonum.org/v1/plot/vg/vgimg"
)

// Write writes a canvas as a PNG file.
func Write(canvas *vgimg.Canvas, file string) error {
	out, err := os.Create(file)
	if err != nil {
		return err
	}
	if _, err := (vgimg.PngCanvas{Canvas: canvas}).WriteTo(out); err != nil {
		out.Close()
		return err
	}
	return out.Close()
}
