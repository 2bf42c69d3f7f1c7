// Package picture reads images into linear light: textures, gobos, skies. PNG
// and JPEG hold sRGB; Radiance HDR holds linear light. It knows nothing of
// levels.
package picture

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	_ "image/jpeg" // a format that Decode reads
	_ "image/png"  // a format that Decode reads
	"math"

	light "grotta/core/color"
)

// MaxPixels bounds an image: 8192 by 4096.
const MaxPixels = 8192 * 4096

// Picture is linear Rec. 709, rows from the top, three float32 a pixel.
type Picture struct {
	Width, Height int
	Pix           []float32
	Alpha         []uint8 // one a pixel; nil where all is opaque
}

// Size reads how large an image says it is, and refuses what its bytes cannot hold. It
// allocates nothing by that claim.
func Size(data []byte) (width, height int, err error) {
	if bytes.HasPrefix(data, []byte("#?")) {
		_, width, height, err = headOfHDR(data)
		return width, height, err
	}
	head, format, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return 0, 0, fmt.Errorf("is no PNG, JPEG or Radiance HDR image: %w", err)
	}
	if err := checkSize(head.Width, head.Height); err != nil {
		return 0, 0, err
	}
	if format == "png" && tooFewBytes(len(data), head) {
		return 0, 0, fmt.Errorf("is said to be %d by %d pixels, and %d bytes cannot hold them", head.Width, head.Height, len(data))
	}
	return head.Width, head.Height, nil
}

// tooFewBytes tells whether a PNG is shorter than deflate can make it: a byte holds at
// most 1032 (RFC 1951), and a pixel is a bit at least.
func tooFewBytes(length int, head image.Config) bool {
	bits := 8
	switch head.ColorModel {
	case color.RGBAModel, color.NRGBAModel:
		bits = 24
	case color.RGBA64Model, color.NRGBA64Model:
		bits = 48
	default: // paletted, or grey that may have had fewer bits
		bits = 1
	}
	return int64(length)*1032*8 < int64(head.Width)*int64(head.Height)*int64(bits)
}

// stripRows is how many rows are converted at once.
const stripRows = 64

// Decode reads a PNG, JPEG or Radiance HDR image. The error says what is wrong.
func Decode(data []byte) (*Picture, error) {
	if bytes.HasPrefix(data, []byte("#?")) {
		return decodeHDR(data)
	}
	src, err := decode(data)
	if err != nil {
		return nil, err
	}
	width, height := src.Bounds().Dx(), src.Bounds().Dy()
	var linear [256]float32
	for i := range linear {
		linear[i] = float32(light.DecodeSRGB(float64(i) / 255))
	}
	p := &Picture{Width: width, Height: height, Pix: make([]float32, 3*width*height)}
	eachStrip(src, func(strip *image.NRGBA, first, pixels int) {
		for i := range pixels {
			at := first + i
			for c := range 3 {
				p.Pix[3*at+c] = linear[strip.Pix[4*i+c]]
			}
			if a := strip.Pix[4*i+3]; a != 255 && p.Alpha == nil {
				p.Alpha = bytes.Repeat([]byte{255}, width*height)
			}
			if p.Alpha != nil {
				p.Alpha[at] = strip.Pix[4*i+3]
			}
		}
	})
	return p, nil
}

func checkSize(width, height int) error {
	if width <= 0 || height <= 0 || int64(width)*int64(height) > MaxPixels {
		return fmt.Errorf("is %d by %d pixels; the most is %d in all, such as 8192 by 4096", width, height, MaxPixels)
	}
	return nil
}

// At reads bilinearly; u and v run from 0 to 1, v down, and repeat beyond.
func (p *Picture) At(u, v float64) light.Linear {
	x, y := u*float64(p.Width)-0.5, v*float64(p.Height)-0.5
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := x-fx, y-fy
	a := p.pixel(int(fx), int(fy)).Lerp(p.pixel(int(fx)+1, int(fy)), tx)
	b := p.pixel(int(fx), int(fy)+1).Lerp(p.pixel(int(fx)+1, int(fy)+1), tx)
	return a.Lerp(b, ty)
}

func (p *Picture) pixel(x, y int) light.Linear {
	i := 3 * (wrap(y, p.Height)*p.Width + wrap(x, p.Width))
	return light.Linear{float64(p.Pix[i]), float64(p.Pix[i+1]), float64(p.Pix[i+2])}
}

// Opaque tells whether the pixel at u, v is at least as solid as the cutoff.
func (p *Picture) Opaque(u, v, cutoff float64) bool {
	if p.Alpha == nil {
		return true
	}
	x, y := wrap(int(math.Floor(u*float64(p.Width))), p.Width), wrap(int(math.Floor(v*float64(p.Height))), p.Height)
	return float64(p.Alpha[y*p.Width+x])/255 >= cutoff
}

func wrap(i, n int) int { return ((i % n) + n) % n }

// Shrink halves the picture until no side is longer than most.
func (p *Picture) Shrink(most int) *Picture {
	for max(p.Width, p.Height) > most {
		half := &Picture{Width: max(1, p.Width/2), Height: max(1, p.Height/2)}
		half.Pix = make([]float32, 3*half.Width*half.Height)
		for y := range half.Height {
			for x := range half.Width {
				for c := range 3 {
					at := func(x, y int) float32 {
						return p.Pix[3*(min(y, p.Height-1)*p.Width+min(x, p.Width-1))+c]
					}
					half.Pix[3*(y*half.Width+x)+c] = (at(2*x, 2*y) + at(2*x+1, 2*y) + at(2*x, 2*y+1) + at(2*x+1, 2*y+1)) / 4
				}
			}
		}
		p = half
	}
	return p
}

// Mean is the average colour.
func (p *Picture) Mean() light.Linear {
	var sum light.Linear
	for i := 0; i < len(p.Pix); i += 3 {
		sum = sum.Add(light.Linear{float64(p.Pix[i]), float64(p.Pix[i+1]), float64(p.Pix[i+2])})
	}
	return sum.Scale(3 / float64(len(p.Pix)))
}
