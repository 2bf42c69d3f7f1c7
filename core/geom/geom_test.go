package geom_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"grotta/core/geom"
)

func drawUnit(t *rapid.T, name string) geom.Vec3 {
	v := geom.Vec3{rapid.Float64Range(-1, 1).Draw(t, name+"x"), rapid.Float64Range(-1, 1).Draw(t, name+"y"), rapid.Float64Range(-1, 1).Draw(t, name+"z")}
	if v.Len() < 0.05 {
		return geom.Vec3{0, 1, 0}
	}
	return v.Normalize()
}

func TestAxesMakeARightHandedFrame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := drawUnit(t, "n")
		u, v := geom.Axes(n)
		assert.InDelta(t, 1, u.Len(), 1e-12)
		assert.InDelta(t, 0, u.Dot(n), 1e-12)
		assert.InDelta(t, 1, u.Cross(v).Dot(n), 1e-12)
	})
}

func TestLookRotationLooksThere(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := drawUnit(t, "f")
		got := geom.Pose{Rotation: geom.LookRotation(f)}.Forward()
		assert.InDelta(t, 1, got.Dot(f), 1e-6)
	})
}

func TestCarryIsApplyTwice(t *testing.T) {
	outer := geom.Pose{Position: geom.Vec3{1, 2, 3}, Rotation: geom.LookRotation(geom.Vec3{1, 0, 0})}
	inner := geom.Pose{Position: geom.Vec3{0, 5, -2}, Rotation: geom.LookRotation(geom.Vec3{0, 1, 1})}
	p := geom.Vec3{0.3, -0.7, 2}
	a, b := outer.Carry(inner).Apply(p), outer.Apply(inner.Apply(p))
	assert.InDelta(t, 0, a.Sub(b).Len(), 1e-12)
}

// Euler's formula holds of any closed convex solid: V - E + F = 2.
func TestConvexFacesCloseTheSolid(t *testing.T) {
	planes := geom.BoxPlanes(geom.Vec3{2, 2, 2})
	planes = append(planes, geom.Plane{Normal: geom.Vec3{1, 1, 1}.Normalize(), Distance: 1.2}) // a corner cut off
	planes = append(planes, geom.Plane{Normal: geom.Vec3{0, 1, 0}, Distance: 9})               // and one that touches nothing
	corners, edges, faces := map[[3]int]bool{}, 0, 0
	key := func(v geom.Vec3) [3]int {
		return [3]int{int(math.Round(v[0] * 1e5)), int(math.Round(v[1] * 1e5)), int(math.Round(v[2] * 1e5))}
	}
	for i, f := range geom.ConvexFaces(planes) {
		if len(f) == 0 {
			continue
		}
		faces++
		edges += len(f)
		for _, v := range f {
			corners[key(v)] = true
			require.InDelta(t, planes[i].Distance, planes[i].Normal.Dot(v), 1e-6)
		}
	}
	assert.Equal(t, 7, faces)
	assert.Equal(t, 2, len(corners)-edges/2+faces)
}

func TestDistanceToABox(t *testing.T) {
	b := geom.NoBounds()
	b.Grow(geom.Vec3{0, 0, 0})
	b.Grow(geom.Vec3{2, 1, 3})
	for _, c := range []struct {
		p    geom.Vec3
		want float64
	}{{geom.Vec3{1, 0.5, 1}, 0}, {geom.Vec3{2, 1, 3}, 0}, {geom.Vec3{4, 0.5, 1}, 4}, {geom.Vec3{-3, -4, 1}, 25}, {geom.Vec3{3, 3, 5}, 1 + 4 + 4}} {
		assert.InDelta(t, c.want, b.Distance2(c.p), 1e-12, "%v", c.p)
	}
}
