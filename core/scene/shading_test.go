package scene_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// prism is a ring of so many sides about y, of radius 1 and height 1, with the normals of a cylinder.
func prism(sides int, twoSided bool) *level.Level {
	l := level.New("Prism")
	tin := level.Default[level.Material]()
	tin.ID, tin.TwoSided = "tin", twoSided
	l.Materials = append(l.Materials, &tin)
	m := level.Default[level.Mesh]()
	m.ID, m.Surface.Material, m.Transform.Position = "prism", "tin", level.Vec{3, 0, 0}
	m.Transform.Rotation = [4]float64{0, math.Sin(0.4), 0, math.Cos(0.4)}
	for i := range sides {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(sides))
		m.Positions, m.Normals = append(m.Positions, cos, 0, sin, cos, 1, sin), append(m.Normals, 2*cos, 0, 2*sin, 2*cos, 0, 2*sin)
		a, c := uint32(2*i), uint32(2*((i+1)%sides))
		m.Indices = append(m.Indices, a, a+1, c+1, a, c+1, c)
	}
	l.Meshes = append(l.Meshes, &m)
	return l
}

// Normals and heights over the triangles are those of the cylinder that a prism stands for.
func TestAPrismStandsForACylinder(t *testing.T) {
	for _, twoSided := range []bool{false, true} {
		s := scene.Build(prism(12, twoSided))
		for triangle := range s.Triangles() {
			side := 1.0
			if s.Surfaces[s.SurfaceOf[triangle]].IsBack() {
				side = -1
			}
			c := s.CornersOf(triangle)
			for _, w := range [][3]float64{{1, 0, 0}, {0, 0, 1}, {0.5, 0.25, 0.25}, {0.2, 0.5, 0.3}} {
				at := c[0].Mul(w[0]).Add(c[1].Mul(w[1])).Add(c[2].Mul(w[2]))
				out := at.Sub(geom.Vec3{3, at[1], 0})
				n := s.ShadingNormal(triangle, at)
				assert.InDelta(t, side, n.Dot(out.Normalize()), 0.002)
				if lift := s.Lift(triangle, at); side > 0 {
					away := 1 - out.Len() // of the cylinder
					assert.GreaterOrEqual(t, lift, away-1e-6, "triangles shade nothing")
					assert.LessOrEqual(t, lift, 2.1*away+1e-6)
				} else {
					assert.Zero(t, lift, "inside, triangles shade nothing")
				}
			}
		}
	}
	// A square prism with such normals is a box that was smoothed by mistake: nothing is lifted.
	s := scene.Build(prism(4, false))
	require.Positive(t, s.Triangles())
	for triangle := range s.Triangles() {
		c := s.CornersOf(triangle)
		middle := c[0].Add(c[1]).Add(c[2]).Mul(1.0 / 3)
		assert.Zero(t, s.Lift(triangle, middle))
		assert.Less(t, s.ShadingNormal(triangle, c[0]).Dot(s.NormalOf(triangle)), 0.75, "it is lit as it says")
	}
}
