package picture

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/draw"

	light "grotta/core/color"
)

// Means are the means of an image over its pixels.
type Means struct {
	Linear light.Linear // of its colour
	Stored light.Linear // of its values as they are stored, from 0 to 1
}

// Mean reads the means of a PNG or JPEG image. It holds the decoded image, and no linear copy of it.
func Mean(data []byte) (Means, error) {
	if bytes.HasPrefix(data, []byte("#?")) {
		return Means{}, errors.New("is Radiance HDR; PNG or JPEG is needed")
	}
	src, err := decode(data)
	if err != nil {
		return Means{}, err
	}
	var counts [3][256]int
	eachStrip(src, func(strip *image.NRGBA, first, pixels int) {
		for i := range pixels {
			for c := range 3 {
				counts[c][strip.Pix[4*i+c]]++
			}
		}
	})
	var m Means
	all := float64(src.Bounds().Dx() * src.Bounds().Dy())
	for c := range 3 {
		for v, n := range counts[c] {
			m.Stored[c] += float64(n) * float64(v) / 255 / all
			m.Linear[c] += float64(n) * light.DecodeSRGB(float64(v)/255) / all
		}
	}
	return m, nil
}

// decode reads a PNG or JPEG image whose size its bytes can hold.
func decode(data []byte) (image.Image, error) {
	if _, _, err := Size(data); err != nil {
		return nil, err
	}
	src, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("cannot be read: %w", err)
	}
	return src, nil
}

// eachStrip gives an image in strips of a few rows: the pixels of each, and the number of the first.
func eachStrip(src image.Image, use func(strip *image.NRGBA, first, pixels int)) {
	width, height := src.Bounds().Dx(), src.Bounds().Dy()
	strip := image.NewNRGBA(image.Rect(0, 0, width, min(height, stripRows)))
	for y := 0; y < height; y += stripRows {
		rows := min(stripRows, height-y)
		draw.Draw(strip, image.Rect(0, 0, width, rows), src, src.Bounds().Min.Add(image.Pt(0, y)), draw.Src)
		use(strip, y*width, rows*width)
	}
}
