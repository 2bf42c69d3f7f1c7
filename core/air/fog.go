package air

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/grade"
	"grotta/core/level"
)

// Share is how much of what stands at a distance the haze hides, 0 to Max.
//
// With a density it is 1 - exp(-density (d - start)), Beer and Lambert's law;
// else it grows evenly from start to end.
func (h *ReadyHaze) Share(distance float64) float64 {
	if h.Max == 0 || distance <= h.StartM {
		return 0
	}
	share := 1.0
	switch {
	case h.Density > 0:
		share = 1 - math.Exp(-h.Density*(distance-h.StartM))
	case h.EndM > h.StartM:
		share = (distance - h.StartM) / (h.EndM - h.StartM)
	}
	if share = min(share, h.Max); distance >= Far {
		share *= h.Sky
	}
	return share
}

// Far is how far off the sky is.
const Far = grade.Far

// Depth is the optical depth of height fog along a ray: the closed integral of
// its density, which is even up to the base and exp(-(y - base) / falloff) times
// that above. from and to are heights, in metres.
func (h *ReadyHeightFog) Depth(from, to, distance float64) float64 {
	// Along level rays the difference below would lose its digits.
	if math.Abs(to-from) < 1e-7*max(distance, 1e-3) {
		return h.at((from+to)/2) * distance
	}
	return (h.below(to) - h.below(from)) / (to - from) * distance
}

// at is the density at a height.
func (h *ReadyHeightFog) at(y float64) float64 {
	return h.Density * math.Exp(-max(y-h.BaseM, 0)/h.FalloffM)
}

// below is the integral of the density over height, from the base.
func (h *ReadyHeightFog) below(y float64) float64 {
	if y <= h.BaseM {
		return h.Density * (y - h.BaseM)
	}
	return -h.Density * h.FalloffM * math.Expm1(-(y-h.BaseM)/h.FalloffM)
}

// Share is how much of what stands at the end of a ray height fog hides.
func (h *ReadyHeightFog) Share(from, dir geom.Vec3, distance float64) float64 {
	if h.Max == 0 {
		return 0
	}
	return min(1-math.Exp(-h.Depth(from[1], from[1]+dir[1]*distance, distance)), h.Max)
}

// Veil is the share of light that haze and height fog together hide, and what
// they send in its place, in nits: transmittances multiply, and colours count by
// optical depth.
func (s *Setting) Veil(from, dir geom.Vec3, distance float64) (share float64, nits color.Linear) {
	a, b := s.Haze.Share(distance), s.Height.Share(from, dir, distance)
	switch {
	case b == 0:
		return a, s.Haze.Nits.Scale(a)
	case a == 0:
		return b, s.Height.Nits.Scale(b)
	}
	depthA, depthB := -math.Log(1-min(a, almostAll)), -math.Log(1-min(b, almostAll))
	share = 1 - (1-a)*(1-b)
	return share, s.Haze.Nits.Lerp(s.Height.Nits, depthB/(depthA+depthB)).Scale(share)
}

// clear is the share of light that haze and height fog leave.
func (s *Setting) clear(from, dir geom.Vec3, distance float64) float64 {
	return (1 - s.Haze.Share(distance)) * (1 - s.Height.Share(from, dir, distance))
}

// density of haze and height fog together, at a height and a distance; of haze
// that grows evenly, one over the metres it takes.
func (s *Setting) density(y, distance float64) float64 {
	d := 0.0
	if s.Height.Max > 0 {
		d = s.Height.at(y)
	}
	switch {
	case s.Haze.Max == 0 || distance < s.Haze.StartM:
	case s.Haze.Density > 0:
		d += s.Haze.Density
	case s.Haze.EndM > s.Haze.StartM:
		d += 1 / (s.Haze.EndM - s.Haze.StartM)
	}
	return d
}

// almostAll bounds a share whose optical depth is taken.
const almostAll = 0.999999

// Volume is a box of fog. Its field, if any, is the light in it.
type Volume struct {
	ID      string       `json:"id"`
	Min     geom.Vec3    `json:"min"`
	Max     geom.Vec3    `json:"max"`
	EdgeM   float64      `json:"edge_m"`
	Density float64      `json:"density" doc:"Per metre; 0 where it only shows light in haze and height fog."`
	Nits    color.Linear `json:"nits"`
	Lit     bool         `json:"lit"`
	Field   *Field       `json:"-"`
}

// shows tells whether a setting shows a volume: those that only show light in haze
// and height fog it may leave out.
func (s *Setting) shows(v *Volume) bool { return v.Density > 0 || s.Lit == level.LitEverywhere }

// inside is 1 in a box, 0 outside, and comes in over the edge.
func (v *Volume) inside(p *geom.Vec3) float64 {
	x := min(p[0]-v.Min[0], v.Max[0]-p[0])
	y := min(p[1]-v.Min[1], v.Max[1]-p[1])
	z := min(p[2]-v.Min[2], v.Max[2]-p[2])
	switch least := min(x, y, z); {
	case least <= 0:
		return 0
	case least >= v.EdgeM:
		return 1
	}
	return smoothstep(0, v.EdgeM, x) * smoothstep(0, v.EdgeM, y) * smoothstep(0, v.EdgeM, z)
}

// span is where a ray is inside a box, from a to b; b <= a where it is not.
func span(low, high, from, dir *geom.Vec3, end float64) (a, b float64) {
	a, b = 0, end
	for axis := range 3 {
		d := dir[axis]
		if math.Abs(d) < 1e-9 {
			d = 1e-9
		}
		t0, t1 := (low[axis]-from[axis])/d, (high[axis]-from[axis])/d
		a, b = max(a, min(t0, t1)), min(b, max(t0, t1))
	}
	return a, b
}

// fogSteps is how many steps a ray takes through fog volumes.
const fogSteps = 64

// Passage is what fog volumes do to a ray, at even steps along it: how much light
// they let through up to there, and what they have added, in nits. It is single
// scattering with an albedo of 1,
//
//	∫ T(t) σ(t) (own nits + E p(cos)) dt,
//
// where E is the light at the place and p the first two terms of Henyey and
// Greenstein's phase function (1941), (1 + 3 g cos) / 4π, never under 0.
type Passage struct {
	first, step float64
	steps       [fogSteps + 1]passageStep
}

type passageStep struct{ through, r, g, b float32 }

// March follows a ray through the fog volumes as far as a distance; false where
// there are none on it.
func (a *Air) March(s *Setting, from, dir geom.Vec3, distance float64, out *Passage) bool {
	first, last := math.Inf(1), 0.0
	for i := range a.Volumes {
		v := &a.Volumes[i]
		if t0, t1 := span(&v.Min, &v.Max, &from, &dir, distance); t1 > t0 && s.shows(v) {
			first, last = min(first, t0), max(last, t1)
		}
	}
	if last <= first {
		return false
	}
	step := (last - first) / fogSteps
	through := 1.0
	var added color.Linear
	bare := s.Haze.Max == 0 && s.Height.Max == 0
	out.first, out.step = first, step
	out.steps[0] = passageStep{through: 1}
	for i := range fogSteps {
		t := first + (float64(i)+0.5)*step
		p := from.Add(dir.Mul(t))
		density := 0.0 // of what the volumes bring themselves
		var sent color.Linear
		for k := range a.Volumes {
			v := &a.Volumes[k]
			d := v.inside(&p)
			if d == 0 || !s.shows(v) {
				continue
			}
			nits := v.Nits
			if v.Field != nil && s.Lit != level.LitNowhere {
				nits = nits.Add(v.Field.Scattered(&p, &dir, s.Phase))
			}
			if v.Density == 0 {
				d *= s.density(p[1], t) // which the veil counts already
			} else {
				d *= v.Density
				density += d
			}
			sent = sent.Add(nits.Scale(d))
		}
		if density > 0 || sent != (color.Linear{}) {
			// Within a step density and light are even, so the integral is exact there.
			kept, length := math.Exp(-density*step), step
			if density > 1e-9 {
				length = (1 - kept) / density
			}
			if length *= through; !bare {
				length *= s.clear(from, dir, t)
			}
			added = added.Add(sent.Scale(length))
			through *= kept
		}
		out.steps[i+1] = passageStep{float32(through), float32(added[0]), float32(added[1]), float32(added[2])}
	}
	return true
}

// At is the share of light that gets through up to a distance, and what is added.
func (p *Passage) At(distance float64) (through float64, added color.Linear) {
	x := (distance - p.first) / p.step
	if x <= 0 {
		return 1, color.Linear{}
	}
	i := int(min(x, fogSteps-1))
	t := min(x-float64(i), 1)
	a, b := &p.steps[i], &p.steps[i+1]
	mix := func(u, v float32) float64 { return float64(u) + float64(v-u)*t }
	return mix(a.through, b.through), color.Linear{mix(a.r, b.r), mix(a.g, b.g), mix(a.b, b.b)}
}

// VolumesAlong is what fog volumes do to one ray that ends at a distance.
func (a *Air) VolumesAlong(s *Setting, from, dir geom.Vec3, distance float64) (through float64, added color.Linear) {
	var p Passage
	if !a.March(s, from, dir, distance, &p) {
		return 1, added
	}
	return p.At(distance)
}

// Field is the light in a box of air on a regular grid: at each cell's middle the
// light from all sides on something that would face each of them (red, green and
// blue, lux), and its luminance times its direction, toward the light, summed
// over the sources (x, y, z).
type Field struct {
	Min, Max geom.Vec3
	Cells    [3]int
	Values   []float32 // six a cell, x fastest, then y, then z

	scale geom.Vec3 // cells a metre
}

// NewField makes a dark one.
func NewField(min, max geom.Vec3, cells [3]int) *Field {
	f := &Field{Min: min, Max: max, Cells: cells, Values: make([]float32, 6*cells[0]*cells[1]*cells[2])}
	for axis := range 3 {
		f.scale[axis] = float64(cells[axis]) / (max[axis] - min[axis])
	}
	return f
}

// Middle of a cell.
func (f *Field) Middle(x, y, z int) geom.Vec3 {
	size := f.Max.Sub(f.Min)
	return f.Min.Add(geom.Vec3{
		size[0] * (float64(x) + 0.5) / float64(f.Cells[0]),
		size[1] * (float64(y) + 0.5) / float64(f.Cells[1]),
		size[2] * (float64(z) + 0.5) / float64(f.Cells[2]),
	})
}

// Scattered is what fog at a point sends back along a ray for each unit of
// optical depth, in nits.
func (f *Field) Scattered(p, dir *geom.Vec3, g float64) color.Linear {
	v := f.at(p)
	light := color.Linear{float64(v[0]), float64(v[1]), float64(v[2])}
	luminance := light.Luminance()
	if luminance <= 0 {
		return color.Linear{}
	}
	cos := (float64(v[3])*dir[0] + float64(v[4])*dir[1] + float64(v[5])*dir[2]) / luminance
	return light.Scale(max(0, 1+3*g*cos) / (4 * math.Pi))
}

// at reads all six values, trilinearly; beyond the outer cells' middles they stay.
func (f *Field) at(p *geom.Vec3) (out [6]float32) {
	var low, next [3]int // of the lower cell, and from it to the upper
	var t [3]float32
	stride := 6
	for axis, n := range f.Cells {
		x := (p[axis]-f.Min[axis])*f.scale[axis] - 0.5
		if x > 0 && n > 1 {
			i := min(int(x), n-2)
			low[axis], next[axis], t[axis] = i*stride, stride, float32(min(x-float64(i), 1))
		}
		stride *= n
	}
	base := low[0] + low[1] + low[2]
	for corner := range 4 { // pairs along x
		at, weight := base, float32(1)
		if corner&1 == 1 {
			at, weight = at+next[1], t[1]
		} else {
			weight = 1 - t[1]
		}
		if corner&2 == 2 {
			at, weight = at+next[2], weight*t[2]
		} else {
			weight *= 1 - t[2]
		}
		if weight == 0 {
			continue
		}
		a, b := f.Values[at:at+6:at+6], f.Values[at+next[0]:at+next[0]+6:at+next[0]+6]
		u, v := weight*(1-t[0]), weight*t[0]
		out[0] += u*a[0] + v*b[0]
		out[1] += u*a[1] + v*b[1]
		out[2] += u*a[2] + v*b[2]
		out[3] += u*a[3] + v*b[3]
		out[4] += u*a[4] + v*b[4]
		out[5] += u*a[5] + v*b[5]
	}
	return out
}

// Contrast that an eye just sees, of something large (Koschmieder, 1924, as WMO
// has it for meteorological range: 0.02 was his, 0.05 is theirs).
const leastContrast = 0.05

// acuityRad is what a good eye resolves: one minute of arc.
const acuityRad = math.Pi / 180 / 60

// VanishM is the distance at which a thing of a size, black against the fog,
// vanishes for an eye at a height: where its contrast, which fog weakens, is no
// longer seen. Under one minute of arc the contrast also counts by its area
// (Ricco's law). It is at most limit.
func (s *Setting) VanishM(sizeM, eyeY, limit float64) float64 {
	seen := func(d float64) bool {
		share, _ := s.Veil(geom.Vec3{0, eyeY, 0}, geom.Vec3{1, 0, 0}, d)
		angle := sizeM / d / acuityRad
		return (1-share)*min(1, angle*angle) >= leastContrast
	}
	if seen(limit) {
		return limit
	}
	low, high := 0.0, limit
	for range 60 {
		if mid := (low + high) / 2; seen(mid) {
			low = mid
		} else {
			high = mid
		}
	}
	return low
}
