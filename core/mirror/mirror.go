// Package mirror shows what is around a place in the materials that mirror. Around each reflection of a
// level, what is seen is captured all round, sharp and for rougher and rougher mirrors. A point of a surface
// then looks up the mirrored direction. The console's view follows the same formulas
// (web/src/engine/shaders/mirror.ts).
package mirror

import (
	"context"
	"math"
	"slices"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/parallel"
	"grotta/core/scene"
)

// Set is what is seen around the places of a level.
type Set struct {
	Width int    // of the sharpest step of each map; it is half as high
	Steps int    // from a mirror to the roughest, evenly over roughness, each half as wide as the one before
	Maps  []*Map // in the order of places
}

// Map is what is seen around one place, in nits, by direction: equirectangular, rows from straight up to
// straight down, the middle column north (-z).
type Map struct {
	Place
	Steps [][]color.Linear
}

// Limits of a set: together its maps take about 16 MB as half-floats.
const (
	mostSide   = 128 // texels of a quarter turn
	mostTexels = 2 << 20
	leastWidth = 8 // of the roughest step
)

// Capture looks all round from every place. radiance is what comes to a point along a unit direction, in
// nits, without what surfaces mirror. Its cost is one ray for each texel of the sharpest steps, 131 thousand
// for a place of 128 texels a side, 33 thousand for 64. Where there are so many places that their maps would
// not fit, all get coarser.
func Capture(ctx context.Context, places []Place, radiance func(from, dir geom.Vec3) color.Linear) (*Set, error) {
	side := 16
	for _, p := range places {
		side = max(side, min(p.Side, mostSide))
	}
	for side > 16 && len(places)*8*side*side*4/3 > mostTexels {
		side /= 2
	}
	s := &Set{Width: 4 * side}
	for w := s.Width; w >= leastWidth; w /= 2 {
		s.Steps++
	}
	for _, p := range places {
		m := &Map{Place: p}
		sharp, err := s.fill(ctx, 0, func(d geom.Vec3) color.Linear { return radiance(p.At, d) })
		if err != nil {
			return nil, err
		}
		m.Steps = append(m.Steps, sharp)
		for k, coarse := 1, sharp; k < s.Steps; k++ {
			coarse = halved(coarse, s.width(k-1))
			from, width, lobe := coarse, s.width(k), NewLobe(s.roughness(k), blurRays)
			rough, err := s.fill(ctx, k, func(d geom.Vec3) color.Linear {
				return lobe.Mean(d, func(toward geom.Vec3) color.Linear { return read(from, width, toward) })
			})
			if err != nil {
				return nil, err
			}
			m.Steps = append(m.Steps, rough)
		}
		s.Maps = append(s.Maps, m)
	}
	return s, nil
}

// blurRays is how many directions a texel of a rough step averages. They read a map that is as coarse as
// the step itself, which filters what lies between them (Křivánek and Colbert, "Real-time shading with
// filtered importance sampling", 2008).
const blurRays = 128

func (s *Set) width(step int) int         { return s.Width >> step }
func (s *Set) roughness(step int) float64 { return float64(step) / float64(s.Steps-1) }

// fill makes a step by direction.
func (s *Set) fill(ctx context.Context, step int, of func(geom.Vec3) color.Linear) ([]color.Linear, error) {
	width := s.width(step)
	height := width / 2
	out := make([]color.Linear, width*height)
	return out, parallel.Each(ctx, height, func(y int) {
		sinT, cosT := math.Sincos(math.Pi * (float64(y) + 0.5) / float64(height))
		for x := range width {
			sinA, cosA := math.Sincos(2 * math.Pi * ((float64(x)+0.5)/float64(width) - 0.5))
			out[y*width+x] = of(geom.Vec3{sinT * sinA, cosT, -sinT * cosA})
		}
	}, nil)
}

// halved is a map of half the width, each texel the mean of four.
func halved(from []color.Linear, width int) []color.Linear {
	out := make([]color.Linear, len(from)/4)
	for i := range out {
		x, y := i%(width/2), i/(width/2)
		at := 2*y*width + 2*x
		out[i] = from[at].Add(from[at+1]).Add(from[at+width]).Add(from[at+width+1]).Scale(0.25)
	}
	return out
}

// read takes a map in a direction, between its texels.
func read(m []color.Linear, width int, d geom.Vec3) color.Linear {
	height := width / 2
	x := (0.5+math.Atan2(d[0], -d[2])/(2*math.Pi))*float64(width) - 0.5
	y := min(max(math.Acos(min(max(d[1], -1), 1))/math.Pi*float64(height), 0.5), float64(height)-0.5) - 0.5
	x0, y0 := math.Floor(x), min(math.Floor(y), float64(height-2))
	fx, fy := x-x0, y-y0
	column := func(x float64) int { return (int(x) + width) % width }
	a, b := column(x0), column(x0+1)
	top, bottom := int(y0)*width, int(y0+1)*width
	return m[top+a].Scale((1 - fx) * (1 - fy)).Add(m[top+b].Scale(fx * (1 - fy))).
		Add(m[bottom+a].Scale((1 - fx) * fy)).Add(m[bottom+b].Scale(fx * fy))
}

// Radiance is what a mirror of a roughness shows at a point in a unit direction, in nits; black where the
// set is empty.
func (s *Set) Radiance(at, dir geom.Vec3, roughness float64) color.Linear {
	i := Serving(len(s.Maps), func(i int) *Place { return &s.Maps[i].Place }, at)
	if i < 0 {
		return color.Linear{}
	}
	m := s.Maps[i]
	d := m.seen(at, dir)
	step := min(max(roughness, 0), 1) * float64(s.Steps-1)
	k := min(int(step), s.Steps-2)
	f := step - float64(k)
	return read(m.Steps[k], s.width(k), d).Scale(1 - f).Add(read(m.Steps[k+1], s.width(k+1), d).Scale(f))
}

// Lobe is a set of directions as a rough surface spreads them, by the GGX distribution (Walter et al.,
// "Microfacet models for refraction through rough surfaces", 2007), seen along the normal.
type Lobe []geom.Vec3 // half vectors about +z

// NewLobe has so many directions.
func NewLobe(roughness float64, count int) Lobe {
	lobe, a2 := make(Lobe, count), math.Pow(roughness, 4)
	for i := range lobe {
		e := (float64(i) + 0.5) / float64(count)
		cos := math.Sqrt((1 - e) / (1 + (a2-1)*e))
		sin := math.Sqrt(max(0, 1-cos*cos))
		sinA, cosA := math.Sincos(float64(i) * goldenAngle)
		lobe[i] = geom.Vec3{sin * cosA, sin * sinA, cos}
	}
	return lobe
}

const goldenAngle = 2.399963229728653

// Mean is what a mirror that faces d shows of what is around it.
func (l Lobe) Mean(d geom.Vec3, radiance func(geom.Vec3) color.Linear) color.Linear {
	u, v := geom.Axes(d)
	var sum color.Linear
	total := 0.0
	for _, h := range l {
		half := u.Mul(h[0]).Add(v.Mul(h[1])).Add(d.Mul(h[2]))
		toward := half.Mul(2 * half.Dot(d)).Sub(d)
		if weight := toward.Dot(d); weight > 0 {
			sum = sum.Add(radiance(toward).Scale(weight))
			total += weight
		}
	}
	return sum.Scale(1 / total)
}

// Any tells whether anything of a level mirrors, by its material or by water on it.
func Any(sc *scene.Scene) bool {
	return slices.ContainsFunc(sc.Surfaces, func(f scene.Surface) bool {
		return f.Finish().Roles.Visible && Share(f.Finish().Material.Roughness) > 0
	})
}
