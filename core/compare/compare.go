// Package compare tells how two pictures differ: in numbers that follow the eye,
// and as pictures. It knows nothing of levels.
package compare

import (
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"math"
	"slices"

	linear "grotta/core/color"
)

// Result is how two pictures differ.
type Result struct {
	Width  int
	Height int
	Mean   float64 // of the colour difference of each pixel, CIEDE2000; about 1 is just seen side by side
	P95    float64 // 95th percentile of it
	Max    float64
	SSIM   float64 // mean structural similarity of luma; 1 is alike

	differences []float64
}

// Differences are those of the pixels, row by row.
func (r *Result) Differences() []float64 { return r.differences }

// Pictures compares two of one size.
func Pictures(a, b *image.NRGBA) (*Result, error) {
	size := a.Bounds().Size()
	if size != b.Bounds().Size() {
		return nil, fmt.Errorf("the pictures are %d by %d and %d by %d pixels; one size is needed", size.X, size.Y, b.Bounds().Dx(), b.Bounds().Dy())
	}
	if size.X == 0 || size.Y == 0 {
		return nil, fmt.Errorf("the pictures have no pixels")
	}
	r := &Result{Width: size.X, Height: size.Y, differences: make([]float64, size.X*size.Y)}
	labs := map[[3]uint8]Lab{} // pictures have few colours beside their pixels
	lab := func(p *image.NRGBA, x, y int) Lab {
		i := p.PixOffset(p.Rect.Min.X+x, p.Rect.Min.Y+y)
		key := [3]uint8(p.Pix[i : i+3])
		l, ok := labs[key]
		if !ok {
			l = LabOf(linear.Linear{decode(key[0]), decode(key[1]), decode(key[2])})
			labs[key] = l
		}
		return l
	}
	for y := range size.Y {
		for x := range size.X {
			d := Difference(lab(a, x, y), lab(b, x, y))
			r.differences[y*size.X+x] = d
			r.Mean += d / float64(size.X*size.Y)
			r.Max = max(r.Max, d)
		}
	}
	sorted := slices.Sorted(slices.Values(r.differences))
	r.P95 = sorted[min(int(0.95*float64(len(sorted))), len(sorted)-1)]
	r.SSIM = ssim(luma(a), luma(b), size.X, size.Y)
	return r, nil
}

func decode(v uint8) float64 { return linear.DecodeSRGB(float64(v) / 255) }

func luma(p *image.NRGBA) []float64 {
	size := p.Bounds().Size()
	out := make([]float64, 0, size.X*size.Y)
	for y := range size.Y {
		for x := range size.X {
			c := p.NRGBAAt(p.Rect.Min.X+x, p.Rect.Min.Y+y)
			out = append(out, 0.2126*float64(c.R)+0.7152*float64(c.G)+0.0722*float64(c.B))
		}
	}
	return out
}

// ssim is the mean structural similarity of Wang et al. ("Image quality
// assessment", IEEE Transactions on Image Processing 13, 2004): a Gaussian window
// of 11 by 11 with a deviation of 1.5, K1 0.01, K2 0.03, a range of 255. At the
// rim the window is cut off.
func ssim(a, b []float64, w, h int) float64 {
	product := func(x, y []float64) []float64 {
		out := make([]float64, len(x))
		for i := range x {
			out[i] = x[i] * y[i]
		}
		return blurred(out, w, h)
	}
	meanA, meanB := blurred(a, w, h), blurred(b, w, h)
	aa, bb, ab := product(a, a), product(b, b), product(a, b)
	const c1, c2 = (0.01 * 255) * (0.01 * 255), (0.03 * 255) * (0.03 * 255)
	sum := 0.0
	for i := range a {
		ma, mb := meanA[i], meanB[i]
		va, vb, cov := aa[i]-ma*ma, bb[i]-mb*mb, ab[i]-ma*mb
		sum += (2*ma*mb + c1) * (2*cov + c2) / ((ma*ma + mb*mb + c1) * (va + vb + c2))
	}
	return sum / float64(len(a))
}

func blurred(p []float64, w, h int) []float64 {
	const reach, deviation = 5, 1.5
	var weights [2*reach + 1]float64
	for i := range weights {
		d := float64(i - reach)
		weights[i] = math.Exp(-d * d / (2 * deviation * deviation))
	}
	pass := func(from []float64, n, step, lines, lineStep int) []float64 {
		out := make([]float64, len(from))
		for line := range lines {
			for i := range n {
				var sum, total float64
				for k, weight := range weights {
					if j := i + k - reach; j >= 0 && j < n {
						sum, total = sum+weight*from[line*lineStep+j*step], total+weight
					}
				}
				out[line*lineStep+i*step] = sum / total
			}
		}
		return out
	}
	return pass(pass(p, w, 1, h, w), h, w, w, 1)
}

// Side is both, side by side.
func Side(a, b *image.NRGBA) *image.NRGBA {
	const gap = 4
	size := a.Bounds().Size()
	out := image.NewNRGBA(image.Rect(0, 0, 2*size.X+gap, size.Y))
	draw.Draw(out, out.Bounds(), image.NewUniform(color.NRGBA{0x1e, 0x1e, 0x1e, 255}), image.Point{}, draw.Src)
	draw.Draw(out, image.Rect(0, 0, size.X, size.Y), a, a.Rect.Min, draw.Src)
	draw.Draw(out, image.Rect(size.X+gap, 0, 2*size.X+gap, size.Y), b, b.Rect.Min, draw.Src)
	return out
}

// Divide is the first left of a divider, at a share of the width, and the second
// right of it.
func Divide(a, b *image.NRGBA, at float64) *image.NRGBA {
	size := a.Bounds().Size()
	x := int(at * float64(size.X))
	out := image.NewNRGBA(image.Rect(0, 0, size.X, size.Y))
	draw.Draw(out, out.Bounds(), b, b.Rect.Min, draw.Src)
	draw.Draw(out, image.Rect(0, 0, x, size.Y), a, a.Rect.Min, draw.Src)
	draw.Draw(out, image.Rect(x-1, 0, x+1, size.Y), image.NewUniform(color.NRGBA{0xf0, 0xf0, 0xf0, 255}), image.Point{}, draw.Src)
	return out
}

// FalseColor shows the difference of each pixel: grey under 1, then blue by 2,
// green by 5, yellow by 10, red by 20 and beyond.
func FalseColor(r *Result) *image.NRGBA {
	steps := []struct {
		at    float64
		color [3]float64
	}{{0, [3]float64{20, 20, 20}}, {1, [3]float64{60, 60, 66}}, {2, [3]float64{50, 90, 190}}, {5, [3]float64{50, 160, 90}}, {10, [3]float64{225, 195, 70}}, {20, [3]float64{215, 60, 50}}}
	out := image.NewNRGBA(image.Rect(0, 0, r.Width, r.Height))
	for i, d := range r.differences {
		k := 1
		for k < len(steps)-1 && d > steps[k].at {
			k++
		}
		low, high := steps[k-1], steps[k]
		t := min(max((d-low.at)/(high.at-low.at), 0), 1)
		for c := range 3 {
			out.Pix[4*i+c] = uint8(low.color[c] + (high.color[c]-low.color[c])*t + 0.5)
		}
		out.Pix[4*i+3] = 255
	}
	return out
}
