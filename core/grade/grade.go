// Package grade is the look: what a camera and its film make of light. It works
// on a frame of radiance and depth, and knows nothing of levels' places or rays.
// The console's view has the same passes in the same order.
package grade

import (
	"image"
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/parallel"
)

// Frame is a picture before its look: radiance in nits and the distance to what
// is seen, rows from the top.
type Frame struct {
	Width, Height int
	Light         []float32 // red, green, blue of each pixel
	Depth         []float32 // metres from the eye; Far where nothing is
	TanHalf       float64   // of the vertical field of view
	Sun           *geom.Vec3
}

// Far is the depth of the sky.
const Far = 1e6

// NewFrame makes a black one.
func NewFrame(width, height int, tanHalf float64) *Frame {
	return &Frame{Width: width, Height: height, TanHalf: tanHalf, Light: make([]float32, 3*width*height), Depth: make([]float32, width*height)}
}

// At is a pixel's radiance.
func (f *Frame) At(x, y int) color.Linear {
	i := 3 * (y*f.Width + x)
	return color.Linear{float64(f.Light[i]), float64(f.Light[i+1]), float64(f.Light[i+2])}
}

// Set changes it.
func (f *Frame) Set(x, y int, c color.Linear) {
	i := 3 * (y*f.Width + x)
	f.Light[i], f.Light[i+1], f.Light[i+2] = float32(c[0]), float32(c[1]), float32(c[2])
}

// White is the luminance in nits that a camera set to ev (at ISO 100) shows as
// 1: 1.2 x 2^ev, the saturation-based exposure of ISO 12232 with 12.7 % grey.
func White(ev float64) float64 { return 1.2 * math.Exp2(ev) }

// Ceiling is how many times white a surface or sky may count for in a pixel: what
// is brighter would show the edge of every lamp in steps.
const Ceiling = 16

// Develop is the look from depth of field to sharpening. gains are its balance's,
// which a blend of two looks has of its own. Light is changed on the way.
func Develop(f *Frame, look *level.Look, gains color.Linear) *image.NRGBA {
	white := White(look.ExposureEV)
	if look.Enabled {
		if look.Focus.Enabled {
			f.focus(&look.Focus)
		}
		if look.Shafts.Enabled {
			f.shafts(&look.Shafts, white)
		}
		if look.Bloom.Enabled {
			f.bloom(&look.Bloom, white)
		}
	}
	d := NewDisplay(look, gains)
	shown := make([]float32, len(f.Light))
	parallel.All(f.Height, func(y int) {
		for x := range f.Width {
			c := d.Of(f.At(x, y))
			for k := range 3 {
				shown[3*(y*f.Width+x)+k] = float32(c[k])
			}
		}
	})
	return f.sharpen(shown, look)
}

// Display turns radiance into encoded display values.
type Display struct {
	look  *level.Look
	gains color.Linear // exposure and balance
}

// NewDisplay prepares a look.
func NewDisplay(look *level.Look, gains color.Linear) *Display {
	if !look.Enabled || !look.Balance.Enabled {
		gains = color.White
	}
	return &Display{look, gains.Scale(1 / White(look.ExposureEV))}
}

// Gains are what a balance multiplies the channels by: light of its temperature
// comes to the white of the display, and grey keeps its luminance. Tint takes up
// to half a stop of green away, or adds it.
func Gains(b *level.Balance) color.Linear {
	white, light := color.Kelvin(neutralKelvin), color.Kelvin(b.Kelvin)
	g := color.Linear{white[0] / max(light[0], 1e-3), white[1] / max(light[1], 1e-3), white[2] / max(light[2], 1e-3)}
	g[1] *= math.Exp2(-b.Tint / 2)
	return g.Scale(1 / g.Luminance())
}

// neutralKelvin is the balance that changes nothing: about D65.
const neutralKelvin = 6504

// Of gives display values, sRGB-encoded, 0 to 1.
func (d *Display) Of(nits color.Linear) color.Linear {
	c := tone(d.look, nits.Mul(d.gains))
	for k := range c {
		c[k] = color.EncodeSRGB(c[k])
	}
	if d.look.Enabled && d.look.Grade.Enabled {
		c = Decide(&d.look.Grade, c)
	}
	return c
}

// tone brings exposed light to what a display has, 0 to 1:
//
//   - clamp cuts each channel at 1;
//   - headroom cuts each at the headroom, and then brings the brightest to 1 with
//     the others in proportion, so that a hue survives;
//   - filmic is x (1 + x/w²) / (1 + x) on each channel, with w the headroom:
//     Reinhard et al. (2002), equation 4.
func tone(look *level.Look, c color.Linear) color.Linear {
	kind := look.Tone
	if !look.Enabled {
		kind = "clamp"
	}
	most := 1.0
	for k, x := range c {
		x = max(x, 0)
		switch kind {
		case "filmic":
			x = x * (1 + x/(look.Headroom*look.Headroom)) / (1 + x)
		case "headroom":
			x = min(x, look.Headroom)
			most = max(most, x)
		}
		c[k] = x
	}
	for k := range c {
		c[k] = min(c[k]/most, 1)
	}
	return c
}

// Decide applies a colour decision list of the ASC, version 1.2, to encoded
// values: out = clamp(in x slope + offset) ^ power, then
// out = luma + saturation (out - luma) with the weights of Rec. 709.
func Decide(g *level.Grade, c color.Linear) color.Linear {
	for k := range c {
		c[k] = math.Pow(min(max(c[k]*g.Slope[k]+g.Offset[k], 0), 1), g.Power[k])
	}
	luma := c.Luminance()
	for k := range c {
		c[k] = min(max(luma+g.Saturation*(c[k]-luma), 0), 1)
	}
	return c
}

// sharpen adds, or takes, the difference to the four neighbours, and rounds to
// bytes.
func (f *Frame) sharpen(shown []float32, look *level.Look) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, f.Width, f.Height))
	amount := float32(look.Sharpen)
	if !look.Enabled {
		amount = 0
	}
	parallel.All(f.Height, func(y int) {
		for x := range f.Width {
			for k := range 3 {
				at := func(x, y int) float32 {
					return shown[3*(min(max(y, 0), f.Height-1)*f.Width+min(max(x, 0), f.Width-1))+k]
				}
				v := at(x, y)
				if amount != 0 {
					v += amount * (v - (at(x-1, y)+at(x+1, y)+at(x, y-1)+at(x, y+1))/4)
				}
				out.Pix[out.PixOffset(x, y)+k] = uint8(min(max(v, 0), 1)*255 + 0.5)
			}
			out.Pix[out.PixOffset(x, y)+3] = 255
		}
	})
	return out
}
