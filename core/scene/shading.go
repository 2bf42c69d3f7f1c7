package scene

import (
	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/geom"
)

// A mesh with normals is lit as the curved surface that its triangles stand for. Light falls on it by
// the normals of its corners, and rays start where the curved surface is, so that flat triangles do
// not shade each other.

// shading is what a mesh with normals has beside its triangles.
type shading struct {
	turn mgl64.Quat // from its own space to the level's
}

// leastFacing is the least cosine of a shading normal to the triangle's own. Below it the file's
// normals say nothing about the triangle, such as those that face inward.
const leastFacing = 0.1

// leastCurve is the least cosine of a corner's normal to the triangle's own for a surface that curves. A
// cube whose normals were averaged over its corners does not: its faces stay where they are.
const leastCurve = 0.8

// CornerNormal is the shading normal at a corner of a triangle. It is the triangle's own where its
// body has none.
func (s *Scene) CornerNormal(triangle, corner int) geom.Vec3 {
	own, b := s.NormalOf(triangle), s.Surfaces[s.SurfaceOf[triangle]].Body()
	if b.shading == nil {
		return own
	}
	at, isBack := b.corner(triangle, corner)
	n := b.shading.turn.Rotate(b.Mesh.Normal(uint32(at))).Normalize()
	if isBack {
		n = n.Mul(-1)
	}
	if n.Dot(own) < leastFacing {
		return own
	}
	return n
}

// IsCurved tells whether the normal by which light falls on a triangle may differ from point to point.
func (s *Scene) IsCurved(triangle int) bool {
	return s.Surfaces[s.SurfaceOf[triangle]].Body().shading != nil
}

// ShadingNormal is the normal by which light falls on a point of a triangle: between those of its
// corners, by the point's barycentric weights.
func (s *Scene) ShadingNormal(triangle int, at geom.Vec3) geom.Vec3 {
	return s.lean.Of(s.uprightNormal(triangle, at))
}

func (s *Scene) uprightNormal(triangle int, at geom.Vec3) geom.Vec3 {
	if !s.IsCurved(triangle) {
		return s.NormalOf(triangle)
	}
	var n geom.Vec3
	for k, weight := range barycentric(s.CornersOf(triangle), at) {
		n = n.Add(s.CornerNormal(triangle, k).Mul(weight))
	}
	return n.Normalize()
}

// Lift is how far above a point of a triangle rays start, in metres, so that triangles of a curved
// surface do not shade each other: the mean of how far the planes across the corners' normals lie, by the
// point's barycentric weights. On a cylinder that is up to twice as far as the cylinder. Source: Hanika,
// "Hacking the shadow terminator", Ray Tracing Gems II (2021).
func (s *Scene) Lift(triangle int, at geom.Vec3) float64 {
	if !s.IsCurved(triangle) {
		return 0
	}
	corners, own, lift := s.CornersOf(triangle), s.NormalOf(triangle), 0.0
	for k, weight := range barycentric(corners, at) {
		n := s.CornerNormal(triangle, k)
		if n.Dot(own) < leastCurve {
			return 0
		}
		if under := corners[k].Sub(at).Dot(n); under > 0 {
			lift += weight * under * n.Dot(own)
		}
	}
	return lift
}

// barycentric is the weights of a triangle's corners at a point. Beside the triangle they are those
// of a place near it on the edge.
func barycentric(c [3]geom.Vec3, at geom.Vec3) (weights [3]float64) {
	normal := across(c)
	sum := 0.0
	for k := range weights {
		a, b := c[(k+1)%3], c[(k+2)%3]
		weights[k] = max(0, b.Sub(a).Cross(at.Sub(a)).Dot(normal))
		sum += weights[k]
	}
	for k := range weights {
		weights[k] /= sum
	}
	return weights
}
