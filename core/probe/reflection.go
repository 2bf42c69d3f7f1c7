package probe

import (
	"context"
	"math"
	"slices"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/parallel"
	"grotta/core/picture"
	"grotta/core/shot"
)

// Cube is what is seen from a point all round, and the same for rougher and rougher
// mirrors: each step has half the side of the one before.
type Cube struct {
	ID    string
	Side  int
	Steps []CubeStep // roughness from 0 to 1
}

// CubeStep is one roughness: six faces +x, -x, +y, -y, +z, -z, rows from the top,
// as seen from within with the faces' own right and up (see faceAxes).
type CubeStep struct {
	Side      int
	Roughness float64
	Faces     [6][]color.Linear
}

// faceAxes are the outward, right and up directions of each face.
var faceAxes = [6][3]geom.Vec3{
	{{1, 0, 0}, {0, 0, -1}, {0, 1, 0}}, {{-1, 0, 0}, {0, 0, 1}, {0, 1, 0}},
	{{0, 1, 0}, {1, 0, 0}, {0, 0, -1}}, {{0, -1, 0}, {1, 0, 0}, {0, 0, 1}},
	{{0, 0, 1}, {1, 0, 0}, {0, 1, 0}}, {{0, 0, -1}, {-1, 0, 0}, {0, 1, 0}},
}

// direction of a texel of a face.
func direction(face, x, y, side int) geom.Vec3 {
	a := &faceAxes[face]
	u, v := 2*(float64(x)+0.5)/float64(side)-1, 1-2*(float64(y)+0.5)/float64(side)
	return a[0].Add(a[1].Mul(u)).Add(a[2].Mul(v)).Normalize()
}

// at reads the nearest texel in a direction.
func (s *CubeStep) at(d geom.Vec3) color.Linear {
	face, most := 0, math.Inf(-1)
	for f := range 6 {
		if along := faceAxes[f][0].Dot(d); along > most {
			face, most = f, along
		}
	}
	a := &faceAxes[face]
	x := min(int((a[1].Dot(d)/most+1)/2*float64(s.Side)), s.Side-1)
	y := min(int((1-a[2].Dot(d)/most)/2*float64(s.Side)), s.Side-1)
	return s.Faces[face][max(y, 0)*s.Side+max(x, 0)]
}

// mirrorRays is how many directions a rough texel averages.
const mirrorRays = 128

// CaptureCube looks all round from a reflection's place, then averages for rougher
// mirrors by the GGX distribution (Walter et al., "Microfacet models for refraction
// through rough surfaces", 2007), seen along the normal.
func CaptureCube(ctx context.Context, p *bake.Prepared, lightmap *layer.Image, r *level.Reflection) (*Cube, error) {
	eye, at := shot.NewEye(p, lightmap), p.Scene.World.Pose(&r.Entity).Position
	c := &Cube{ID: r.ID, Side: r.Side}
	sharp, err := newStep(ctx, r.Side, 0, func(d geom.Vec3) color.Linear { return eye.Radiance(at, d) })
	if err != nil {
		return nil, err
	}
	c.Steps = []CubeStep{*sharp}
	levels := int(math.Log2(float64(r.Side))) - 1 // down to four texels a side
	for k := 1; k < levels; k++ {
		roughness := float64(k) / float64(levels-1)
		step, err := newStep(ctx, r.Side>>k, roughness, func(d geom.Vec3) color.Linear { return blurred(sharp, d, roughness) })
		if err != nil {
			return nil, err
		}
		c.Steps = append(c.Steps, *step)
	}
	return c, nil
}

func newStep(ctx context.Context, side int, roughness float64, radiance func(geom.Vec3) color.Linear) (*CubeStep, error) {
	s := &CubeStep{Side: side, Roughness: roughness}
	for face := range s.Faces {
		s.Faces[face] = make([]color.Linear, side*side)
	}
	return s, parallel.Each(ctx, 6*side, func(row int) {
		face, y := row/side, row%side
		for x := range side {
			s.Faces[face][y*side+x] = radiance(direction(face, x, y, side))
		}
	}, nil)
}

// blurred is what a mirror of a roughness shows in a direction.
func blurred(sharp *CubeStep, d geom.Vec3, roughness float64) color.Linear {
	u, v := geom.Axes(d)
	a2 := math.Pow(roughness, 4)
	var sum color.Linear
	total := 0.0
	for i := range mirrorRays {
		e := (float64(i) + 0.5) / mirrorRays
		cos := math.Sqrt((1 - e) / (1 + (a2-1)*e)) // of the half vector, by GGX
		sin := math.Sqrt(max(0, 1-cos*cos))
		sinA, cosA := math.Sincos(float64(i) * 2.399963229728653)
		half := u.Mul(sin * cosA).Add(v.Mul(sin * sinA)).Add(d.Mul(cos))
		toward := half.Mul(2 * half.Dot(d)).Sub(d)
		if weight := toward.Dot(d); weight > 0 {
			sum = sum.Add(sharp.at(toward).Scale(weight))
			total += weight
		}
	}
	return sum.Scale(1 / total)
}

// Picture lays a cube out: the six faces side by side, the roughness growing
// downward, each step at the left.
func (c *Cube) Picture() *picture.Picture {
	height := 0
	for _, s := range c.Steps {
		height += s.Side
	}
	out := &picture.Picture{Width: 6 * c.Side, Height: height, Pix: make([]float32, 3*6*c.Side*height)}
	top := 0
	for _, s := range c.Steps {
		for face := range 6 {
			for i, l := range s.Faces[face] {
				at := 3 * ((top+i/s.Side)*out.Width + face*s.Side + i%s.Side)
				for k := range 3 {
					out.Pix[at+k] = float32(l[k])
				}
			}
		}
		top += s.Side
	}
	return out
}

// Serves is the reflection that serves a point: of those whose box holds it the
// smallest, else the nearest; nil where there is none.
func Serves(l *level.Level, at geom.Vec3) *level.Reflection {
	var best *level.Reflection
	rank := math.Inf(1)
	world := l.World()
	for _, r := range l.Reflections {
		if !r.Enabled {
			continue
		}
		to := at.Sub(world.Pose(&r.Entity).Position)
		inside := math.Abs(to[0]) <= r.Size[0]/2 && math.Abs(to[1]) <= r.Size[1]/2 && math.Abs(to[2]) <= r.Size[2]/2
		order := 1e9 + to.Len()
		if inside {
			order = r.Size[0] * r.Size[1] * r.Size[2] / 1e12
		}
		if order < rank {
			best, rank = r, order
		}
	}
	return best
}

// AutoReflections are reflections for the zones of a level that have none: one in
// the middle of each of their boxes.
func AutoReflections(l *level.Level) []*level.Reflection {
	var all []*level.Reflection
	named := *l // grows by them, so that each gets an id of its own
	for _, z := range l.Zones {
		if slices.ContainsFunc(l.Reflections, func(r *level.Reflection) bool { return r.Zone == z.ID }) {
			continue
		}
		for _, b := range z.Boxes {
			r := level.Default[level.Reflection]()
			r.ID, r.Zone = named.FreshID("reflection-"+z.ID), z.ID
			for axis := range 3 {
				r.Size[axis] = b.Max[axis] - b.Min[axis]
				r.Transform.Position[axis] = (b.Max[axis] + b.Min[axis]) / 2
			}
			all = append(all, &r)
			named.Reflections = append(slices.Clip(named.Reflections), &r)
		}
	}
	return all
}
