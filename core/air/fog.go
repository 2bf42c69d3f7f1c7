package air

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
)

// Share is how much of what stands at a distance the haze hides, 0 to Max.
//
// With a density it is 1 - exp(-density (d - start)), Beer and Lambert's law;
// else it grows evenly from start to end.
func (h *Haze) Share(distance float64) float64 {
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
	return math.Min(share, h.Max)
}

// Depth is the optical depth of height fog along a ray: the closed integral of
// its density, which is even up to the base and exp(-(y - base) / falloff) times
// that above. from and to are heights, in metres.
func (h *HeightFog) Depth(from, to, distance float64) float64 {
	if math.Abs(to-from) < 1e-3*math.Max(distance, 1e-3) {
		return h.at((from+to)/2) * distance
	}
	return (h.below(to) - h.below(from)) / (to - from) * distance
}

// at is the density at a height.
func (h *HeightFog) at(y float64) float64 {
	return h.Density * math.Exp(-math.Max(y-h.BaseM, 0)/h.FalloffM)
}

// below is the integral of the density over height, from the base.
func (h *HeightFog) below(y float64) float64 {
	if y <= h.BaseM {
		return h.Density * (y - h.BaseM)
	}
	return h.Density * h.FalloffM * (1 - math.Exp(-(y-h.BaseM)/h.FalloffM))
}

// Share is how much of what stands at the end of a ray height fog hides.
func (h *HeightFog) Share(from, dir geom.Vec3, distance float64) float64 {
	if h.Max == 0 {
		return 0
	}
	return math.Min(1-math.Exp(-h.Depth(from[1], from[1]+dir[1]*distance, distance)), h.Max)
}

// Veil is the share of light that haze and height fog together hide, and what
// they send in its place, in nits: transmittances multiply, and colours count by
// optical depth.
func (s *Setting) Veil(from, dir geom.Vec3, distance float64) (share float64, nits color.Linear) {
	a, b := s.Haze.Share(distance), s.Height.Share(from, dir, distance)
	if a == 0 && b == 0 {
		return 0, color.Linear{}
	}
	depthA, depthB := -math.Log(1-math.Min(a, almostAll)), -math.Log(1-math.Min(b, almostAll))
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

// inside is 1 in a box, 0 outside, and comes in over the edge.
func (v *Volume) inside(p geom.Vec3) float64 {
	d := 1.0
	for axis := range 3 {
		depth := math.Min(p[axis]-v.Min[axis], v.Max[axis]-p[axis])
		if depth <= 0 {
			return 0
		}
		d *= smoothstep(0, v.EdgeM, depth)
	}
	return d
}

// span is where a ray is inside a box, from a to b; b <= a where it is not.
func span(min, max, from, dir geom.Vec3, end float64) (a, b float64) {
	a, b = 0, end
	for axis := range 3 {
		d := dir[axis]
		if math.Abs(d) < 1e-9 {
			d = 1e-9
		}
		t0, t1 := (min[axis]-from[axis])/d, (max[axis]-from[axis])/d
		a, b = math.Max(a, math.Min(t0, t1)), math.Min(b, math.Max(t0, t1))
	}
	return a, b
}

// fogSteps is how many steps a ray takes through fog volumes.
const fogSteps = 64

// VolumesAlong marches a ray through the fog volumes up to a distance: the share of
// light that gets through, and what is added, in nits: single scattering with an
// albedo of 1,
//
//	∫ T(t) σ(t) (own nits + E p(cos)) dt,
//
// where E is the light at the place and p the first two terms of Henyey and
// Greenstein's phase function (1941), (1 + 3 g cos) / 4π, never under 0.
func (a *Air) VolumesAlong(s *Setting, from, dir geom.Vec3, distance float64) (through float64, added color.Linear) {
	first, last := math.Inf(1), 0.0
	for i := range a.Volumes {
		if t0, t1 := span(a.Volumes[i].Min, a.Volumes[i].Max, from, dir, distance); t1 > t0 {
			first, last = math.Min(first, t0), math.Max(last, t1)
		}
	}
	if last <= first {
		return 1, added
	}
	through = 1
	step := (last - first) / fogSteps
	for i := range fogSteps {
		t := first + (float64(i)+0.5)*step
		p := from.Add(dir.Mul(t))
		density := 0.0 // of what the volumes bring themselves
		var sent color.Linear
		for k := range a.Volumes {
			v := &a.Volumes[k]
			d := v.inside(p)
			if d == 0 {
				continue
			}
			nits := v.Nits
			if v.Field != nil {
				nits = nits.Add(v.Field.Scattered(p, dir, s.Phase))
			}
			if v.Density == 0 {
				d *= s.density(p[1], t) // which the veil counts already
			} else {
				d *= v.Density
				density += d
			}
			sent = sent.Add(nits.Scale(d))
		}
		if sent == (color.Linear{}) && density == 0 {
			continue
		}
		// Within a step density and light are even, so the integral is exact there.
		kept, length := math.Exp(-density*step), step
		if density > 1e-9 {
			length = (1 - kept) / density
		}
		added = added.Add(sent.Scale(through * length * s.clear(from, dir, t)))
		if through *= kept; through < 1e-3 {
			break
		}
	}
	return through, added
}

// Through is what of a radiance arrives over a distance through all fog.
func (a *Air) Through(s *Setting, radiance color.Linear, from, dir geom.Vec3, distance float64) color.Linear {
	share, nits := s.Veil(from, dir, distance)
	radiance = radiance.Scale(1 - share).Add(nits)
	if len(a.Volumes) == 0 {
		return radiance
	}
	through, added := a.VolumesAlong(s, from, dir, distance)
	return radiance.Scale(through).Add(added)
}

// Hidden is the share of a light at a distance that all fog hides.
func (a *Air) Hidden(s *Setting, from, dir geom.Vec3, distance float64) float64 {
	share, _ := s.Veil(from, dir, distance)
	if len(a.Volumes) > 0 {
		through, _ := a.VolumesAlong(s, from, dir, distance)
		share = 1 - (1-share)*through
	}
	return share
}

// Field is the light in a box of air on a regular grid: at each cell's middle the
// light from all sides on something that would face each of them (red, green and
// blue, lux), and its luminance times its direction, toward the light, summed
// over the sources (x, y, z).
type Field struct {
	Min, Max geom.Vec3
	Cells    [3]int
	Values   []float32 // six a cell, x fastest, then y, then z
}

// NewField makes a dark one.
func NewField(min, max geom.Vec3, cells [3]int) *Field {
	return &Field{min, max, cells, make([]float32, 6*cells[0]*cells[1]*cells[2])}
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
func (f *Field) Scattered(p, dir geom.Vec3, g float64) color.Linear {
	v := f.at(p)
	light := color.Linear{v[0], v[1], v[2]}
	luminance := light.Luminance()
	if luminance <= 0 {
		return color.Linear{}
	}
	cos := (v[3]*dir[0] + v[4]*dir[1] + v[5]*dir[2]) / luminance
	return light.Scale(math.Max(0, 1+3*g*cos) / (4 * math.Pi))
}

// at reads all six values, trilinearly, even beyond the outer cells' middles.
func (f *Field) at(p geom.Vec3) (out [6]float64) {
	var low [3]int
	var t [3]float64
	for axis := range 3 {
		n := float64(f.Cells[axis])
		x := math.Min(math.Max((p[axis]-f.Min[axis])/(f.Max[axis]-f.Min[axis])*n-0.5, 0), n-1)
		low[axis] = min(int(x), max(f.Cells[axis]-2, 0))
		t[axis] = x - float64(low[axis])
	}
	for corner := range 8 {
		weight, index, stride := 1.0, 0, 1
		for axis := range 3 {
			at := low[axis]
			if corner>>axis&1 == 1 {
				weight *= t[axis]
				at = min(at+1, f.Cells[axis]-1)
			} else {
				weight *= 1 - t[axis]
			}
			index += at * stride
			stride *= f.Cells[axis]
		}
		if weight == 0 {
			continue
		}
		for k, v := range f.Values[6*index : 6*index+6] {
			out[k] += weight * float64(v)
		}
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
		return (1-share)*math.Min(1, angle*angle) >= leastContrast
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
