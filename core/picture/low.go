package picture

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"

	light "grotta/core/color"
)

// Encodings of linear light in eight bits a channel, over a stated range.
const (
	Linear8 = "linear" // value = byte / 255 x range
	SRGB8   = "srgb"   // value = the sRGB curve's inverse of byte / 255, x range
	RGBM8   = "rgbm"   // value = byte / 255 x alpha / 255 x range; alpha is never 0
)

// EncodePNG writes a picture in eight bits a channel. What is brighter than the range is cut; cut is
// how many pixels that were.
func EncodePNG(p *Picture, encoding string, most float64) (data []byte, cut int, err error) {
	out := image.NewNRGBA(image.Rect(0, 0, p.Width, p.Height))
	for i := range p.Width * p.Height {
		c := light.Linear{float64(p.Pix[3*i]) / most, float64(p.Pix[3*i+1]) / most, float64(p.Pix[3*i+2]) / most}
		if max(c[0], c[1], c[2]) > 1 {
			cut++
		}
		out.SetNRGBA(i%p.Width, i/p.Width, eightBits(c, encoding))
	}
	var b bytes.Buffer
	err = png.Encode(&b, out)
	return b.Bytes(), cut, err
}

func eightBits(c light.Linear, encoding string) color.NRGBA {
	for i := range c {
		c[i] = min(max(c[i], 0), 1)
	}
	alpha := uint8(255)
	switch encoding {
	case SRGB8:
		for i := range c {
			c[i] = light.EncodeSRGB(c[i])
		}
	case RGBM8:
		alpha = uint8(max(1, math.Ceil(255*max(c[0], c[1], c[2]))))
		c = c.Scale(255 / float64(alpha))
	}
	eight := func(v float64) uint8 { return uint8(math.Round(255 * min(v, 1))) }
	return color.NRGBA{eight(c[0]), eight(c[1]), eight(c[2]), alpha}
}
