package probe

import (
	"context"
	"math"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/mirror"
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
// mirrors (mirror.Lobe).
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
		lobe := mirror.NewLobe(roughness, mirrorRays)
		step, err := newStep(ctx, r.Side>>k, roughness, func(d geom.Vec3) color.Linear { return lobe.Mean(d, sharp.at) })
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
