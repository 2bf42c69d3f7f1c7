package grade

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/parallel"
)

// golden is the angle between two neighbours of a sunflower spiral (Vogel, 1979).
const golden = 2.399963229728653

// sensorM is the height of the sensor that depth of field is computed for.
const sensorM = 0.024

// Blur is the radius of the circle of confusion of something at a depth along the
// axis, as a share of the picture's height: for a thin lens of focal length f and
// aperture f/N focused at s it is, across the sensor, f² |d - s| / (N d (s - f)).
func Blur(focus *level.Focus, tanHalf, depth float64) float64 {
	f := sensorM / 2 / tanHalf
	s := max(focus.FocusM, 1.05*f)
	across := f * f / focus.FStop * math.Abs(depth-s) / (depth * (s - f))
	return min(across/sensorM/2, mostBlur)
}

const (
	mostBlur  = 0.02 // of the height, radius
	focusTaps = 48
)

// axial turns distance from the eye into depth along the axis.
func (f *Frame) axial(x, y int) float64 {
	w, h := float64(f.Width), float64(f.Height)
	a, b := (2*(float64(x)+0.5)/w-1)*f.TanHalf*w/h, (1-2*(float64(y)+0.5)/h)*f.TanHalf
	return float64(f.Depth[y*f.Width+x]) / math.Sqrt(1+a*a+b*b)
}

// focus gathers each pixel's light from its circle of confusion. What is nearer
// and sharper than the pixel keeps its light to itself.
func (f *Frame) focus(set *level.Focus) {
	from := append([]float32(nil), f.Light...)
	blur, depth := make([]float32, len(f.Depth)), f.depths()
	parallel.All(f.Height, func(y int) {
		for i := y * f.Width; i < (y+1)*f.Width; i++ {
			blur[i] = float32(Blur(set, f.TanHalf, float64(depth[i])) * float64(f.Height))
		}
	})
	parallel.All(f.Height, func(y int) {
		for x := range f.Width {
			i := y*f.Width + x
			radius := float64(blur[i])
			if radius < 0.5 {
				continue
			}
			var sum [3]float32
			var total float32
			for k := range focusTaps {
				r := radius * math.Sqrt((float64(k)+0.5)/focusTaps)
				sin, cos := math.Sincos(float64(k) * golden)
				j := clamped(y+int(math.Floor(r*sin+0.5)), f.Height)*f.Width + clamped(x+int(math.Floor(r*cos+0.5)), f.Width)
				w := float32(1)
				if depth[j] < depth[i] {
					w = min(blur[j]/float32(radius), 1)
				}
				w = max(w, 1e-4)
				for c := range 3 {
					sum[c] += w * from[3*j+c]
				}
				total += w
			}
			for c := range 3 {
				f.Light[3*i+c] = sum[c] / total
			}
		}
	})
}

func clamped(i, n int) int { return min(max(i, 0), n-1) }

const shaftTaps = 48

// shafts adds streaks of sky away from the sun's place in the picture: the mean
// of the sky's light along the way from each pixel toward it (Mitchell,
// "Volumetric light scattering as a post-process", 2007).
func (f *Frame) shafts(set *level.ScreenShafts, white float64) {
	if f.Sun == nil || f.Sun[2] >= 0 {
		return // it is behind the camera
	}
	sx := (f.Sun[0]/-f.Sun[2]/f.TanHalf*float64(f.Height)/float64(f.Width) + 1) / 2 * float64(f.Width)
	sy := (1 - f.Sun[1]/-f.Sun[2]/f.TanHalf) / 2 * float64(f.Height)
	from := append([]float32(nil), f.Light...)
	most := float32(4 * white)
	parallel.All(f.Height, func(y int) {
		for x := range f.Width {
			px, py := float64(x)+0.5, float64(y)+0.5
			var sum [3]float32
			for k := range shaftTaps {
				t := set.Length * (float64(k) + 0.5) / shaftTaps
				i, j := int(math.Floor(px+(sx-px)*t)), int(math.Floor(py+(sy-py)*t))
				if i < 0 || j < 0 || i >= f.Width || j >= f.Height || f.Depth[j*f.Width+i] < Far {
					continue
				}
				w := float32(1 - t/set.Length)
				for c := range 3 {
					sum[c] += w * min(from[3*(j*f.Width+i)+c], most)
				}
			}
			// The streaks fade with the distance from the sun, over the picture's height.
			fade := set.Strength * math.Exp(-2*math.Hypot(px-sx, py-sy)/float64(f.Height)) * 2 / shaftTaps
			for c := range 3 {
				f.Light[3*(y*f.Width+x)+c] += float32(fade) * sum[c]
			}
		}
	})
}

// bloom adds what of the light is over the threshold, spread by a Gaussian.
func (f *Frame) bloom(set *level.Bloom, white float64) {
	sigma := set.Radius * float64(f.Height)
	step := bloomStep(sigma)
	w, h := (f.Width+step-1)/step, (f.Height+step-1)/step
	small := make([]float32, 3*w*h)
	parallel.All(h, func(y int) {
		for x := range w {
			var sum color.Linear
			n := 0.0
			for j := y * step; j < min((y+1)*step, f.Height); j++ {
				for i := x * step; i < min((x+1)*step, f.Width); i++ {
					sum, n = sum.Add(over(f.At(i, j), set.Threshold*white, Ceiling*white)), n+1
				}
			}
			for c := range 3 {
				small[3*(y*w+x)+c] = float32(sum[c] / n)
			}
		}
	})
	small = gauss(gauss(small, w, h, sigma/float64(step), 1, 0), w, h, sigma/float64(step), 0, 1)
	parallel.All(f.Height, func(y int) {
		for x := range f.Width {
			c := bilinear(small, w, h, (float64(x)+0.5)/float64(step)-0.5, (float64(y)+0.5)/float64(step)-0.5)
			f.Set(x, y, f.At(x, y).Add(c.Scale(set.Strength)))
		}
	})
}

// over is what of a light is brighter than a threshold, in its own hue.
func over(c color.Linear, threshold, ceiling float64) color.Linear {
	luminance := c.Luminance()
	if luminance <= threshold {
		return color.Linear{}
	}
	return c.Scale((min(luminance, ceiling) - threshold) / luminance)
}

// bloomStep is how many pixels, along a side, one of the blurred picture stands
// for: a power of two that leaves the blur at most six of them.
func bloomStep(sigma float64) int {
	step := 1
	for sigma/float64(step) > 6 {
		step *= 2
	}
	return step
}

// gauss blurs along one axis, to three standard deviations.
func gauss(from []float32, w, h int, sigma float64, dx, dy int) []float32 {
	reach := max(int(math.Ceil(3*sigma)), 1)
	weights := make([]float32, 2*reach+1)
	var total float32
	for i := range weights {
		d := float64(i - reach)
		weights[i] = float32(math.Exp(-d * d / (2 * sigma * sigma)))
		total += weights[i]
	}
	out := make([]float32, len(from))
	parallel.All(h, func(y int) {
		for x := range w {
			var sum [3]float32
			for i, weight := range weights {
				j := 3 * (clamped(y+dy*(i-reach), h)*w + clamped(x+dx*(i-reach), w))
				for c := range 3 {
					sum[c] += weight * from[j+c]
				}
			}
			for c := range 3 {
				out[3*(y*w+x)+c] = sum[c] / total
			}
		}
	})
	return out
}

func bilinear(p []float32, w, h int, x, y float64) color.Linear {
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := x-fx, y-fy
	at := func(i, j int) color.Linear {
		k := 3 * (clamped(j, h)*w + clamped(i, w))
		return color.Linear{float64(p[k]), float64(p[k+1]), float64(p[k+2])}
	}
	i, j := int(fx), int(fy)
	return at(i, j).Lerp(at(i+1, j), tx).Lerp(at(i, j+1).Lerp(at(i+1, j+1), tx), ty)
}

// Occlusion looks at so many points about a pixel, other ones from pixel to pixel of a
// square of occlusionSide, which are put together.
const (
	occlusionTaps = 16
	occlusionSide = 4
)

// occlusionTap is where point k lies, as a share of the radius, for a pixel of that square
// by rows: on a spiral that is turned and stretched from pixel to pixel.
func occlusionTap(k, pixel int) (x, y float64) {
	const pixels = occlusionSide * occlusionSide
	reach := (float64(k) + (float64(5*pixel%pixels)+0.5)/pixels) / occlusionTaps
	sin, cos := math.Sincos(float64(k)*golden + float64(pixel)*2*math.Pi/pixels)
	return reach * cos, reach * sin
}

// Occlude gives for each pixel the share of light that occlusion leaves, from
// depth alone: the estimator of McGuire, Mara and Luebke ("Scalable ambient
// obscurance", 2012),
//
//	A = max(0, 1 - 5 s / (r⁶ n) Σ max(0, r² - v²)³ max(0, (v·n - bias) / (v² + 0.01 r²)))
//
// over n points v of the surroundings, with the normal from the depth itself; and of that
// the mean over the pixels about it that are as far away, to less than r.
func Occlude(f *Frame, set *level.Occlusion) []float32 {
	rough, out := obscure(f, set), make([]float32, len(f.Depth))
	parallel.All(f.Height, func(y int) {
		for x := range f.Width {
			i := y*f.Width + x
			if out[i] = 1; f.Depth[i] >= Far {
				continue
			}
			sum, count := float32(0), float32(0)
			for qy := max(y-occlusionSide/2, 0); qy < min(y+occlusionSide/2, f.Height); qy++ {
				for qx := max(x-occlusionSide/2, 0); qx < min(x+occlusionSide/2, f.Width); qx++ {
					if q := qy*f.Width + qx; math.Abs(float64(f.Depth[q]-f.Depth[i])) < set.RadiusM {
						sum, count = sum+rough[q], count+1
					}
				}
			}
			out[i] = sum / count
		}
	})
	return out
}

// obscure is A for each pixel by its own points.
func obscure(f *Frame, set *level.Occlusion) []float32 {
	out, depth := make([]float32, len(f.Depth)), f.depths()
	r2 := set.RadiusM * set.RadiusM
	var taps [occlusionSide * occlusionSide][occlusionTaps][2]float64
	for pixel := range taps {
		for k := range occlusionTaps {
			taps[pixel][k][0], taps[pixel][k][1] = occlusionTap(k, pixel)
		}
	}
	parallel.All(f.Height, func(y int) {
		for x := range f.Width {
			i := y*f.Width + x
			if out[i] = 1; f.Depth[i] >= Far {
				continue
			}
			p := f.position(depth, x, y)
			n := f.normal(depth, x, y, p)
			spread := set.RadiusM / (2 * f.TanHalf * max(-p[2], 1e-3)) * float64(f.Height)
			sum := 0.0
			for _, tap := range taps[y%occlusionSide*occlusionSide+x%occlusionSide] {
				qx, qy := x+int(math.Floor(spread*tap[0]+0.5)), y+int(math.Floor(spread*tap[1]+0.5))
				if qx < 0 || qy < 0 || qx >= f.Width || qy >= f.Height || f.Depth[qy*f.Width+qx] >= Far {
					continue
				}
				v := f.position(depth, qx, qy).Sub(p)
				v2 := v.Dot(v)
				if v2 >= r2 {
					continue
				}
				near := r2 - v2
				sum += near * near * near * max(0, (v.Dot(n)-0.01*-p[2])/(v2+0.01*r2))
			}
			out[i] = float32(max(0, 1-5*set.Strength*set.RadiusM*sum/(r2*r2*r2*occlusionTaps)))
		}
	})
	return out
}

// depths is each pixel's depth along the axis.
func (f *Frame) depths() []float32 {
	out := make([]float32, len(f.Depth))
	parallel.All(f.Height, func(y int) {
		for x := range f.Width {
			out[y*f.Width+x] = float32(f.axial(x, y))
		}
	})
	return out
}

// position of a pixel in the camera's space, which looks along -Z.
func (f *Frame) position(depth []float32, x, y int) geom.Vec3 {
	w, h := float64(f.Width), float64(f.Height)
	d := float64(depth[y*f.Width+x])
	return geom.Vec3{(2*(float64(x)+0.5)/w - 1) * f.TanHalf * w / h * d, (1 - 2*(float64(y)+0.5)/h) * f.TanHalf * d, -d}
}

// normal of the surface in a pixel: from the nearer neighbour on each axis, or
// the only one at the rim.
func (f *Frame) normal(depth []float32, x, y int, p geom.Vec3) geom.Vec3 {
	slope := func(dx, dy, i, n int) geom.Vec3 {
		before, after := geom.Vec3{}, geom.Vec3{}
		if i > 0 {
			before = p.Sub(f.position(depth, x-dx, y-dy))
		}
		if i < n-1 {
			after = f.position(depth, x+dx, y+dy).Sub(p)
		}
		if i == n-1 || i > 0 && math.Abs(before[2]) < math.Abs(after[2]) {
			return before
		}
		return after
	}
	n := slope(0, 1, y, f.Height).Cross(slope(1, 0, x, f.Width))
	if n.Len() < 1e-12 {
		return p.Mul(-1 / max(p.Len(), 1e-9))
	}
	return n.Normalize()
}
