package sky

import (
	"math"
	"sort"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/picture"
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
	row := min(int(math.Asin(min(d[1], 1))*180/math.Pi/12), len(rows)-1)
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

// brightTimes is by how much a spot of a sky image must outshine its mean to be
// sampled by itself, as a sun in it must be.
const brightTimes = 8

// Sampled tells whether the sky has such spots.
func (s *Sky) Sampled() bool { return s.sampler != nil }

// Bright is the radiance of a direction beyond what Even has of it: that of spots
// to be sampled.
func (s *Sky) Bright(d geom.Vec3) color.Linear {
	r := s.Radiance(d)
	return r.Scale(1 - s.evenShare(r))
}

// Even is the radiance of a direction, cut off where a spot is brighter than the
// rest.
func (s *Sky) Even(d geom.Vec3) color.Linear {
	r := s.Radiance(d)
	return r.Scale(s.evenShare(r))
}

func (s *Sky) evenShare(r color.Linear) float64 {
	if s.sampler == nil {
		return 1
	}
	return min(1, s.sampler.limit/max(r.Luminance(), 1e-300))
}

// sampler picks pixels of a sky image by their luminance over a limit and their
// solid angle.
type sampler struct {
	limit  float64
	rows   []float64   // cumulative
	pixels [][]float64 // cumulative, in each row
}

// newSampler is nil where nothing is brighter than the limit.
func newSampler(m *picture.Picture) *sampler {
	w, h := m.Width, m.Height
	luminance := func(x, y int) float64 {
		i := 3 * (min(max(y, 0), h-1)*w + (x+w)%w)
		return color.Linear{float64(m.Pix[i]), float64(m.Pix[i+1]), float64(m.Pix[i+2])}.Luminance()
	}
	sine := func(y int) float64 { return math.Sin(math.Pi * (float64(y) + 0.5) / float64(h)) }
	sum, all := 0.0, 0.0
	for y := range h {
		for x := range w {
			sum, all = sum+luminance(x, y)*sine(y), all+sine(y)
		}
	}
	t := &sampler{limit: brightTimes * sum / all, rows: make([]float64, h), pixels: make([][]float64, h)}
	sum = 0
	for y := range h {
		row, total := make([]float64, w), 0.0
		for x := range w {
			over := 0.0 // of the brightest that reading here blends in
			for k := range 9 {
				over = max(over, luminance(x+k%3-1, y+k/3-1)-t.limit)
			}
			total += over * sine(y)
			row[x] = total
		}
		sum += total
		t.rows[y], t.pixels[y] = sum, row
	}
	if sum == 0 {
		return nil
	}
	return t
}

// Sample turns two numbers of [0, 1) into a direction, and the density with
// which it comes, per steradian. Only where Sampled.
func (s *Sky) Sample(u, v float64) (geom.Vec3, float64) {
	t, w, h := s.sampler, s.image.Width, s.image.Height
	all := t.rows[h-1]
	y := min(sort.Search(h, func(i int) bool { return t.rows[i] > u*all }), h-1)
	row := t.pixels[y]
	x := min(sort.Search(w, func(i int) bool { return row[i] > v*row[w-1] }), w-1)
	share, below := row[x], 0.0
	if x > 0 {
		below = row[x-1]
		share -= below
	}
	fx := (v*row[w-1] - below) / max(share, 1e-300)
	before := 0.0
	if y > 0 {
		before = t.rows[y-1]
	}
	fy := (u*all - before) / max(t.rows[y]-before, 1e-300)
	theta := math.Pi * (float64(y) + fy) / float64(h)
	sinT, cosT := math.Sincos(theta)
	sinA, cosA := math.Sincos(2*math.Pi*((float64(x)+fx)/float64(w)-0.5) + s.turn)
	return geom.Vec3{sinT * sinA, cosT, -sinT * cosA}, s.pixelDensity(share, sinT)
}

// pixelDensity is the probability density of a direction in a pixel with some share of all; within it
// the density falls as 1/sin θ, since θ is drawn evenly.
func (s *Sky) pixelDensity(share, sinTheta float64) float64 {
	t, w, h := s.sampler, s.image.Width, s.image.Height
	solid := 2 * math.Pi / float64(w) * math.Pi / float64(h) * max(sinTheta, 1e-9)
	return share / t.rows[h-1] / solid
}

// Density is the probability density with which Sample returns a direction, per steradian.
func (s *Sky) Density(dir geom.Vec3) float64 {
	w, h := s.image.Width, s.image.Height
	theta := math.Acos(min(max(dir[1], -1), 1))
	turns := (math.Atan2(dir[0], -dir[2])-s.turn)/(2*math.Pi) + 0.5
	x := min(int((turns-math.Floor(turns))*float64(w)), w-1)
	row := s.sampler.pixels[min(int(theta/math.Pi*float64(h)), h-1)]
	share := row[x]
	if x > 0 {
		share -= row[x-1]
	}
	return s.pixelDensity(share, math.Sin(theta))
}
