package sky

import (
	"math"
	"sort"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// The sky in patches of about even size (Tregenza, "Subdivision of the sky
// hemisphere for luminance measurements", Lighting Research and Technology 19,
// 1987): rows of 12 degrees, and the zenith; then one patch for all that is below
// the horizon.
var rows = [...]int{30, 30, 24, 24, 18, 12, 6, 1}

// Patches is how many there are, with the one below the horizon.
const Patches = 146

// PatchOf is the patch that a unit direction lies in.
func PatchOf(d geom.Vec3) int {
	if d[1] < 0 {
		return Patches - 1
	}
	row := min(int(math.Asin(math.Min(d[1], 1))*180/math.Pi/12), len(rows)-1)
	first := 0
	for _, n := range rows[:row] {
		first += n
	}
	azimuth := math.Mod(math.Atan2(d[0], -d[2])/(2*math.Pi)+1, 1)
	return first + min(int(azimuth*float64(rows[row])), rows[row]-1)
}

// PatchMeans is the mean radiance of each patch by solid angle, relative to the
// sky's luminance.
func (s *Sky) PatchMeans() []color.Linear {
	const azimuths, heights = 360, 1200
	sums, counts := make([]color.Linear, Patches), make([]float64, Patches)
	for j := range heights { // even steps of the sine are even steps of solid angle
		y := -1 + 2*(float64(j)+0.5)/heights
		r := math.Sqrt(1 - y*y)
		for i := range azimuths {
			sin, cos := math.Sincos(2 * math.Pi * (float64(i) + 0.5) / azimuths)
			d := geom.Vec3{r * sin, y, -r * cos}
			k := PatchOf(d)
			sums[k] = sums[k].Add(s.Radiance(d))
			counts[k]++
		}
	}
	for k := range sums {
		if counts[k] > 0 {
			sums[k] = sums[k].Scale(1 / counts[k])
		}
	}
	return sums
}

// Sampled tells whether the sky should be sampled by its brightness, as an image
// with a sun in it must be.
func (s *Sky) Sampled() bool { return s.kind == level.SkyImage && s.image != nil }

// sampler picks pixels of a sky image by their luminance and solid angle.
type sampler struct {
	rows   []float64   // cumulative
	pixels [][]float64 // cumulative, in each row
}

func (s *Sky) buildSampler() {
	w, h := s.image.Width, s.image.Height
	mean := s.image.Mean().Luminance()
	t := &sampler{rows: make([]float64, h), pixels: make([][]float64, h)}
	sum := 0.0
	for y := range h {
		sin := math.Sin(math.Pi * (float64(y) + 0.5) / float64(h))
		row, total := make([]float64, w), 0.0
		for x := range w {
			i := 3 * (y*w + x)
			c := color.Linear{float64(s.image.Pix[i]), float64(s.image.Pix[i+1]), float64(s.image.Pix[i+2])}
			total += (c.Luminance() + 0.02*mean + 1e-9) * sin // the rest, since neighbours reach over
			row[x] = total
		}
		sum += total
		t.rows[y], t.pixels[y] = sum, row
	}
	s.sampler = t
}

// Sample turns two numbers of [0, 1) into a direction, and the density with
// which it comes, per steradian. Only where Sampled.
func (s *Sky) Sample(u, v float64) (geom.Vec3, float64) {
	t, w, h := s.sampler, s.image.Width, s.image.Height
	all := t.rows[h-1]
	y := min(sort.SearchFloat64s(t.rows, u*all), h-1)
	row := t.pixels[y]
	x := min(sort.SearchFloat64s(row, v*row[w-1]), w-1)
	share, below := row[x], 0.0
	if x > 0 {
		below = row[x-1]
		share -= below
	}
	fx := (v*row[w-1] - below) / math.Max(share, 1e-300)
	before := 0.0
	if y > 0 {
		before = t.rows[y-1]
	}
	fy := (u*all - before) / math.Max(t.rows[y]-before, 1e-300)
	theta := math.Pi * (float64(y) + fy) / float64(h)
	sinT, cosT := math.Sincos(theta)
	sinA, cosA := math.Sincos(2*math.Pi*((float64(x)+fx)/float64(w)-0.5) + s.turn)
	return geom.Vec3{sinT * sinA, cosT, -sinT * cosA}, s.pixelDensity(share, sinT)
}

// pixelDensity is that of a direction in a pixel with some share of all; within it
// the density falls as 1/sin θ, since θ is drawn evenly.
func (s *Sky) pixelDensity(share, sinTheta float64) float64 {
	t, w, h := s.sampler, s.image.Width, s.image.Height
	solid := 2 * math.Pi / float64(w) * math.Pi / float64(h) * math.Max(sinTheta, 1e-9)
	return share / t.rows[h-1] / solid
}

// Density is that with which Sample comes upon a direction, per steradian.
func (s *Sky) Density(dir geom.Vec3) float64 {
	w, h := s.image.Width, s.image.Height
	theta := math.Acos(math.Min(math.Max(dir[1], -1), 1))
	turns := (math.Atan2(dir[0], -dir[2])-s.turn)/(2*math.Pi) + 0.5
	x := min(int((turns-math.Floor(turns))*float64(w)), w-1)
	row := s.sampler.pixels[min(int(theta/math.Pi*float64(h)), h-1)]
	share := row[x]
	if x > 0 {
		share -= row[x-1]
	}
	return s.pixelDensity(share, math.Sin(theta))
}
