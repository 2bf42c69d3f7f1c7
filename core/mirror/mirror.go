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
		s.Maps = append(s.Maps, &Map{Place: p})
	}
	err := s.fill(ctx, 0, func(d geom.Vec3, sent []color.Linear) {
		for i, p := range places {
			sent[i] = radiance(p.At, d)
		}
	})
	coarse := make([][]color.Linear, len(places)) // the sharpest step, as coarse as the one that is made
	for k := 1; k < s.Steps && err == nil; k++ {
		for i, m := range s.Maps {
			if k == 1 {
				coarse[i] = m.Steps[0]
			}
			coarse[i] = halved(coarse[i], s.width(k-1))
		}
		lobe, width := NewLobe(s.roughness(k), blurRays), s.width(k)
		err = s.fill(ctx, k, func(d geom.Vec3, sent []color.Linear) {
			total := 0.0
			lobe.Each(d, func(toward geom.Vec3, weight float64) {
				at := between(width, toward)
				for i, from := range coarse {
					sent[i] = sent[i].Add(at.read(from).Scale(weight))
				}
				total += weight
			})
			for i := range sent {
				sent[i] = sent[i].Scale(1 / total)
			}
		})
	}
	if err != nil {
		return nil, err
	}
	return s, nil
}

// blurRays is how many directions a texel of a rough step averages. They read a map that is as coarse as
// the step itself, which filters what lies between them (Křivánek and Colbert, "Real-time shading with
// filtered importance sampling", 2008).
const blurRays = 128

func (s *Set) width(step int) int         { return s.Width >> step }
func (s *Set) roughness(step int) float64 { return float64(step) / float64(s.Steps-1) }

// fill makes a step of all maps, by direction. of tells what each place is sent from a direction.
func (s *Set) fill(ctx context.Context, step int, of func(d geom.Vec3, sent []color.Linear)) error {
	width := s.width(step)
	height := width / 2
	for _, m := range s.Maps {
		m.Steps = append(m.Steps, make([]color.Linear, width*height))
	}
	return parallel.Each(ctx, height, func(y int) {
		sent := make([]color.Linear, len(s.Maps))
		sinT, cosT := math.Sincos(math.Pi * (float64(y) + 0.5) / float64(height))
		for x := range width {
			sinA, cosA := math.Sincos(2 * math.Pi * ((float64(x)+0.5)/float64(width) - 0.5))
			clear(sent)
			of(geom.Vec3{sinT * sinA, cosT, -sinT * cosA}, sent)
			for i, m := range s.Maps {
				m.Steps[step][y*width+x] = sent[i]
			}
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

// spot is where a direction lies between four texels of a map, with their weights.
type spot struct {
	texels  [4]int
	weights [4]float64
}

// between finds the texels of a map about a direction.
func between(width int, d geom.Vec3) spot {
	height := width / 2
	x := (0.5+math.Atan2(d[0], -d[2])/(2*math.Pi))*float64(width) - 0.5
	y := min(max(math.Acos(min(max(d[1], -1), 1))/math.Pi*float64(height), 0.5), float64(height)-0.5) - 0.5
	x0, y0 := math.Floor(x), min(math.Floor(y), float64(height-2))
	fx, fy := x-x0, y-y0
	column := func(x float64) int { return (int(x) + width) % width }
	a, b := column(x0), column(x0+1)
	top, bottom := int(y0)*width, int(y0+1)*width
	return spot{[4]int{top + a, top + b, bottom + a, bottom + b}, [4]float64{(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy}}
}

// read is what a map has there.
func (s *spot) read(m []color.Linear) (c color.Linear) {
	w, x, y, z := s.weights[0], s.weights[1], s.weights[2], s.weights[3]
	p, q, r, t := &m[s.texels[0]], &m[s.texels[1]], &m[s.texels[2]], &m[s.texels[3]]
	for i := range c {
		c[i] = w*p[i] + x*q[i] + y*r[i] + z*t[i]
	}
	return c
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
	sharper, rougher := between(s.width(k), d), between(s.width(k+1), d)
	return sharper.read(m.Steps[k]).Scale(1 - f).Add(rougher.read(m.Steps[k+1]).Scale(f))
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
	var sum color.Linear
	total := 0.0
	l.Each(d, func(toward geom.Vec3, weight float64) {
		sum = sum.Add(radiance(toward).Scale(weight))
		total += weight
	})
	return sum.Scale(1 / total)
}

// Each visits the directions from which a mirror that faces d shows light, with what each counts for.
func (l Lobe) Each(d geom.Vec3, visit func(toward geom.Vec3, weight float64)) {
	u, v := geom.Axes(d)
	for _, h := range l {
		half := u.Mul(h[0]).Add(v.Mul(h[1])).Add(d.Mul(h[2]))
		toward := half.Mul(2 * half.Dot(d)).Sub(d)
		if weight := toward.Dot(d); weight > 0 {
			visit(toward, weight)
		}
	}
}

// Any tells whether anything of a level mirrors, by its material or by water on it.
func Any(sc *scene.Scene) bool {
	return slices.ContainsFunc(sc.Surfaces, func(f scene.Surface) bool {
		return f.Finish().Roles.Visible && Share(f.Finish().Material.Roughness) > 0
	})
}
