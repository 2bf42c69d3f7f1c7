package shot

import (
	"image"
	"image/color"
	"image/draw"

	"golang.org/x/image/font"
	"golang.org/x/image/font/basicfont"
	"golang.org/x/image/math/fixed"
)

// Cell is one picture of a contact sheet, and what stands under it.
type Cell struct {
	Picture image.Image
	Label   string
}

// Of a sheet, in pixels: the space round pictures, and the line for a label.
const (
	sheetGap   = 6
	sheetLabel = 18
)

// Sheet lays pictures of one size out in rows on neutral grey.
func Sheet(cells []Cell, columns int) *image.NRGBA {
	if len(cells) == 0 {
		return image.NewNRGBA(image.Rect(0, 0, 1, 1))
	}
	columns = min(max(columns, 1), len(cells))
	size := cells[0].Picture.Bounds().Size()
	rows := (len(cells) + columns - 1) / columns
	stepX, stepY := size.X+sheetGap, size.Y+sheetLabel+sheetGap
	out := image.NewNRGBA(image.Rect(0, 0, columns*stepX+sheetGap, rows*stepY+sheetGap))
	draw.Draw(out, out.Bounds(), image.NewUniform(color.NRGBA{0x1e, 0x1e, 0x1e, 255}), image.Point{}, draw.Src)
	pen := font.Drawer{Dst: out, Src: image.NewUniform(color.NRGBA{0xd8, 0xd8, 0xd8, 255}), Face: basicfont.Face7x13}
	for i, c := range cells {
		x, y := sheetGap+i%columns*stepX, sheetGap+i/columns*stepY
		at := image.Rect(x, y, x+size.X, y+size.Y)
		draw.Draw(out, at, c.Picture, c.Picture.Bounds().Min, draw.Src)
		pen.Dot = fixed.P(x+2, y+size.Y+13)
		pen.DrawString(c.Label)
	}
	return out
}
