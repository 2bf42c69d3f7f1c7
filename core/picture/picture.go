// Package picture reads images into linear light: textures, gobos, skies. PNG
// and JPEG hold sRGB; Radiance HDR holds linear light. It knows nothing of
// levels.
package picture

import (
	"bytes"
	"fmt"
	"image"
	"image/draw"
	_ "image/jpeg" // a format that Decode reads
	_ "image/png"  // a format that Decode reads
	"math"

	"grotta/core/color"
)

// MaxPixels bounds an image: 8192 by 4096.
const MaxPixels = 8192 * 4096

// Picture is linear Rec. 709, rows from the top, three float32 a pixel.
type Picture struct {
	Width, Height int
	Pix           []float32
	Alpha         []uint8 // one a pixel; nil where all is opaque
}

// Decode reads a PNG, JPEG or Radiance HDR image. The error says what is wrong.
func Decode(data []byte) (*Picture, error) {
	if bytes.HasPrefix(data, []byte("#?")) {
		return decodeHDR(data)
	}
	head, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("is no PNG, JPEG or Radiance HDR image: %w", err)
	}
	if err := checkSize(head.Width, head.Height); err != nil {
		return nil, err
	}
	src, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("cannot be read: %w", err)
	}
	flat := image.NewNRGBA(image.Rect(0, 0, head.Width, head.Height))
	draw.Draw(flat, flat.Bounds(), src, src.Bounds().Min, draw.Src)
	var linear [256]float32
	for i := range linear {
		linear[i] = float32(color.DecodeSRGB(float64(i) / 255))
	}
	p := &Picture{Width: head.Width, Height: head.Height, Pix: make([]float32, 3*head.Width*head.Height)}
	for i := range head.Width * head.Height {
		for c := range 3 {
			p.Pix[3*i+c] = linear[flat.Pix[4*i+c]]
		}
		if a := flat.Pix[4*i+3]; a != 255 && p.Alpha == nil {
			p.Alpha = bytes.Repeat([]byte{255}, head.Width*head.Height)
		}
		if p.Alpha != nil {
			p.Alpha[i] = flat.Pix[4*i+3]
		}
	}
	return p, nil
}

func checkSize(width, height int) error {
	if width <= 0 || height <= 0 || int64(width)*int64(height) > MaxPixels {
		return fmt.Errorf("is %d by %d pixels; the most is %d in all, such as 8192 by 4096", width, height, MaxPixels)
	}
	return nil
}

// At reads bilinearly; u and v run from 0 to 1, v down, and repeat beyond.
func (p *Picture) At(u, v float64) color.Linear {
	x, y := u*float64(p.Width)-0.5, v*float64(p.Height)-0.5
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := x-fx, y-fy
	a := p.pixel(int(fx), int(fy)).Lerp(p.pixel(int(fx)+1, int(fy)), tx)
	b := p.pixel(int(fx), int(fy)+1).Lerp(p.pixel(int(fx)+1, int(fy)+1), tx)
	return a.Lerp(b, ty)
}

func (p *Picture) pixel(x, y int) color.Linear {
	i := 3 * (wrap(y, p.Height)*p.Width + wrap(x, p.Width))
	return color.Linear{float64(p.Pix[i]), float64(p.Pix[i+1]), float64(p.Pix[i+2])}
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
func (p *Picture) Mean() color.Linear {
	var sum color.Linear
	for i := 0; i < len(p.Pix); i += 3 {
		sum = sum.Add(color.Linear{float64(p.Pix[i]), float64(p.Pix[i+1]), float64(p.Pix[i+2])})
	}
	return sum.Scale(3 / float64(len(p.Pix)))
}
