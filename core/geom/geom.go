// Package geom holds the shapes that everything else is made of: poses, planes,
// convex faces, boxes, and the pairs of axes that lie in a plane. Metres,
// right-handed. It knows nothing of light.
package geom

import (
	"math"
	"slices"

	"github.com/go-gl/mathgl/mgl64"
)

// Vec3 is a point or direction.
type Vec3 = mgl64.Vec3

// Pose is a rigid place: rotate, then move.
type Pose struct {
	Position Vec3
	Rotation mgl64.Quat
}

// Identity is the pose that changes nothing.
func Identity() Pose { return Pose{Rotation: mgl64.QuatIdent()} }

// Apply takes a point from the pose's own space to the outer one.
func (p Pose) Apply(v Vec3) Vec3 { return p.Rotation.Rotate(v).Add(p.Position) }

// Carry gives the outer pose of something that stands at inner in p's space.
func (p Pose) Carry(inner Pose) Pose {
	return Pose{p.Apply(inner.Position), p.Rotation.Mul(inner.Rotation).Normalize()}
}

// Seen gives the pose in p's space of something that stands at outer: Carry undone.
func (p Pose) Seen(outer Pose) Pose {
	back := p.Rotation.Inverse()
	return Pose{back.Rotate(outer.Position.Sub(p.Position)), back.Mul(outer.Rotation).Normalize()}
}

// Forward is the pose's -Z: where a light or a camera looks.
func (p Pose) Forward() Vec3 { return p.Rotation.Rotate(Vec3{0, 0, -1}) }

// LookRotation turns -Z toward forward and keeps +Y as upright as it can.
func LookRotation(forward Vec3) mgl64.Quat {
	f := forward.Normalize()
	up := Vec3{0, 1, 0}
	if math.Abs(f[1]) > 0.9999 {
		up = Vec3{0, 0, -1}
	}
	right := f.Cross(up).Normalize()
	up = right.Cross(f)
	return Basis(right, up, f.Mul(-1))
}

// Basis is the rotation that turns the axes x, y and z into three unit vectors at right angles, of
// a right-handed set.
func Basis(x, y, z Vec3) mgl64.Quat {
	return mgl64.Mat4ToQuat(mgl64.Mat3FromCols(x, y, z).Mat4()).Normalize()
}

// Plane holds the points with Normal·p = Distance; inside is below it.
type Plane struct {
	Normal   Vec3
	Distance float64
}

// BoxPlanes are the faces +x, -x, +y, -y, +z, -z of a box centred on the origin.
func BoxPlanes(size Vec3) []Plane {
	planes := make([]Plane, 0, 6)
	for axis := range 3 {
		for _, sign := range []float64{1, -1} {
			var n Vec3
			n[axis] = sign
			planes = append(planes, Plane{n, size[axis] / 2})
		}
	}
	return planes
}

// reach is how far ConvexFaces looks; a face that comes near it is unbounded.
const reach = 1e6

// ConvexFaces cuts each plane by all the others and returns what is left of it,
// counter-clockwise seen from outside. A plane that does not touch the solid
// gives an empty polygon. Cost is quadratic in the number of planes.
func ConvexFaces(planes []Plane) [][]Vec3 {
	faces := make([][]Vec3, len(planes))
	for i := range planes {
		faces[i] = ConvexFace(planes, i)
	}
	return faces
}

// ConvexFace is a face of a convex solid.
func ConvexFace(planes []Plane, face int) []Vec3 {
	p := planes[face]
	u, v := Axes(p.Normal)
	c := p.Normal.Mul(p.Distance)
	u, v = u.Mul(reach), v.Mul(reach)
	var rooms [2][16]Vec3 // used by turns; most faces have fewer corners
	polygon, spare := append(rooms[0][:0], c.Sub(u).Sub(v), c.Add(u).Sub(v), c.Add(u).Add(v), c.Sub(u).Add(v)), rooms[1][:0]
	for j, q := range planes {
		if j == face {
			continue
		}
		if p.Normal.Dot(q.Normal) > 1-1e-9 && (q.Distance < p.Distance-1e-9 || j < face && q.Distance <= p.Distance+1e-9) {
			return nil // hidden behind, or doubled by, a parallel plane
		}
		if polygon, spare = clip(spare[:0], polygon, q), polygon; len(polygon) < 3 {
			return nil
		}
	}
	return slices.Clone(polygon)
}

// clip adds the part of a convex polygon that is inside a plane to an empty one.
func clip(out, polygon []Vec3, p Plane) []Vec3 {
	const slack = 1e-9
	for i, a := range polygon {
		b := polygon[(i+1)%len(polygon)]
		da, db := p.Normal.Dot(a)-p.Distance, p.Normal.Dot(b)-p.Distance
		if da <= slack {
			out = append(out, a)
		}
		if da < -slack && db > slack || da > slack && db < -slack {
			out = append(out, a.Add(b.Sub(a).Mul(da/(da-db))))
		}
	}
	return out
}

// Axes are two unit vectors that make a right-handed frame with unit n:
// u x v = n. Upright faces get an upright v, floors a v along -z, so that
// neighbouring faces of a wall share their directions.
func Axes(n Vec3) (u, v Vec3) {
	up := Vec3{0, 1, 0}
	if math.Abs(n[1]) > 0.99 {
		up = Vec3{0, 0, -1}
	}
	u = up.Cross(n).Normalize()
	return u, n.Cross(u)
}

// Bounds is an axis-aligned box.
type Bounds struct{ Min, Max Vec3 }

// NoBounds holds nothing and grows from there.
func NoBounds() Bounds {
	inf := math.Inf(1)
	return Bounds{Vec3{inf, inf, inf}, Vec3{-inf, -inf, -inf}}
}

// Grow widens the box to hold p.
func (b *Bounds) Grow(p Vec3) {
	for i := range 3 {
		b.Min[i] = min(b.Min[i], p[i])
		b.Max[i] = max(b.Max[i], p[i])
	}
}

// Distance2 is the square of the distance from p to the box; 0 inside.
func (b *Bounds) Distance2(p Vec3) (sum float64) {
	for i := range 3 {
		d := max(b.Min[i]-p[i], p[i]-b.Max[i], 0)
		sum += d * d
	}
	return sum
}

// Empty tells whether the box holds nothing.
func (b Bounds) Empty() bool { return b.Min[0] > b.Max[0] }

// Contains tells whether p is inside.
func (b Bounds) Contains(p Vec3) bool {
	for i := range 3 {
		if p[i] < b.Min[i] || p[i] > b.Max[i] {
			return false
		}
	}
	return true
}

// TriangleArea is in square metres.
func TriangleArea(a, b, c Vec3) float64 { return b.Sub(a).Cross(c.Sub(a)).Len() / 2 }
