package bake

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
)

// goboSettings are a gobo's, beside its image.
type goboSettings struct{ fovDeg, focusM, blur, spill float64 }

// projected is the colour that a gobo lets through toward a point: the image on
// a plane square to the axis, averaged over a square that grows with the distance
// from the focus, and the share that spills past it.
func (s *Source) projected(p geom.Vec3) color.Linear {
	g := s.goboSet
	to := p.Sub(s.shape.Position)
	depth := to.Dot(s.shape.Aim)
	spilt := color.White.Scale(g.spill)
	if depth <= 0 {
		return spilt
	}
	half := depth * math.Tan(g.fovDeg/2*math.Pi/180)
	u, v := 0.5+to.Dot(s.shape.Right)/(2*half), 0.5-to.Dot(s.shape.Up)/(2*half)
	if u < 0 || u > 1 || v < 0 || v > 1 {
		return spilt
	}
	size := 0.0
	if g.focusM > 0 {
		size = g.blur * min(1, math.Abs(depth-g.focusM)/g.focusM)
	}
	const side = 5
	var sum color.Linear
	for i := range side * side {
		du, dv := (float64(i%side)/(side-1)-0.5)*size, (float64(i/side)/(side-1)-0.5)*size
		sum = sum.Add(s.gobo.At(min(max(u+du, 0), 0.999999), min(max(v+dv, 0), 0.999999)))
		if size == 0 {
			return sum.Scale(1 - g.spill).Add(spilt)
		}
	}
	return sum.Scale((1 - g.spill) / (side * side)).Add(spilt)
}
