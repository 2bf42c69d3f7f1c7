// Package trace answers two questions about rays and triangles: what does this
// ray meet first, and does it meet anything at all. It knows nothing of
// materials or lights.
//
// A scene is a bounding volume hierarchy. Where the processor has AVX2 it is
// eight wide and walked by whole-ray assembly (wide.go, kernel_amd64.s, which
// kernel/ generates); elsewhere it is binary and walked in Go (binary.go). Both
// do the same float32 operations in the same order on each triangle, so both
// find the same hits, bit for bit. Triangles are met from both sides.
package trace

import (
	"math"

	"grotta/core/lists"
)

// Vec is a point or direction, in metres.
type Vec = [3]float32

// Triangle has three corners.
type Triangle struct{ A, B, C Vec }

// Ray starts at Origin and runs along Dir, which need not be of unit length,
// from distance 0 to Max, in units of Dir's length.
type Ray struct {
	Origin, Dir Vec
	Max         float32
}

// Hit is where a ray first meets a triangle: at Origin + T Dir, and at
// (1-U-V) A + U B + V C of the triangle.
type Hit struct {
	Triangle int32 // index in the list given to New
	T, U, V  float32
}

// Packet is eight rays side by side, and what they meet. They are traced faster than
// one by one where they start near each other and run alike.
type Packet struct {
	Origin, Dir [3][8]float32 // by axis
	Max         [8]float32
	Triangle    [8]int32
	T, U, V     [8]float32
}

// Put sets ray i.
func (p *Packet) Put(i int, r *Ray) {
	for axis := range 3 {
		p.Origin[axis][i], p.Dir[axis][i] = r.Origin[axis], r.Dir[axis]
	}
	p.Max[i] = r.Max
}

// Fill makes the rays from n on the same as the one before.
func (p *Packet) Fill(n int) {
	for last := p.Ray(n - 1); n < len(p.Max); n++ {
		p.Put(n, &last)
	}
}

// Ray is ray i.
func (p *Packet) Ray(i int) Ray {
	return Ray{
		Vec{p.Origin[0][i], p.Origin[1][i], p.Origin[2][i]},
		Vec{p.Dir[0][i], p.Dir[1][i], p.Dir[2][i]}, p.Max[i],
	}
}

// Hit is what ray i meets; its triangle is -1 where that is nothing.
func (p *Packet) Hit(i int) Hit { return Hit{p.Triangle[i], p.T[i], p.U[i], p.V[i]} }

// closestEach traces the rays one by one.
func (p *Packet) closestEach(closest func(Ray) (Hit, bool)) {
	for i := range p.Max {
		h, _ := closest(p.Ray(i))
		p.Triangle[i], p.T[i], p.U[i], p.V[i] = h.Triangle, h.T, h.U, h.V
	}
}

func (p *Packet) occludedEach(occluded func(Ray) bool) (rays uint8) {
	for i := range p.Max {
		if occluded(p.Ray(i)) {
			rays |= 1 << i
		}
	}
	return rays
}

// edgeSlack widens triangles by this share of the determinant so that no ray
// slips between two that share an edge.
const edgeSlack = 1e-4

// Scene is a built hierarchy. It is read only and may be used from any number
// of goroutines.
type Scene struct {
	wide   *wide
	binary *binary   // where there is no wide one
	placed *placings // other scenes that stand in it; nil for none
}

// New builds a scene. Triangles with a corner that is not finite are left out.
// Time grows as n log n; the hierarchy takes 50 to 100 bytes a triangle.
func New(triangles []Triangle) *Scene { return NewOf(listed(triangles)) }

// List is triangles by their numbers, of which a scene takes some.
type List struct {
	Len   int
	At    func(i int) Triangle
	Takes func(i int) bool
	Count int // of those that it takes
}

func listed(triangles []Triangle) List {
	return List{len(triangles), func(i int) Triangle { return triangles[i] }, func(int) bool { return true }, len(triangles)}
}

// NewOf builds a scene of those triangles of a list that it takes. Hits tell them by
// their numbers in it.
func NewOf(list List) *Scene {
	if HasWide() {
		return &Scene{wide: newWide(list)}
	}
	return &Scene{binary: newBinary(list)}
}

// NewPortable builds a scene that is walked in Go on every machine.
func NewPortable(triangles []Triangle) *Scene { return &Scene{binary: newBinary(listed(triangles))} }

// The two kinds are told apart by hand, as what goes through an interface would have to
// be on the heap.

// Closest finds the first triangle that a ray meets; of several at the same
// distance, the first in the list.
func (s *Scene) Closest(r Ray) (Hit, bool) {
	hit, ok := s.closest(r)
	if s.placed != nil {
		s.placed.closest(&r, &hit)
		ok = hit.Triangle >= 0
	}
	return hit, ok
}

// closest is Closest of its own triangles.
func (s *Scene) closest(r Ray) (Hit, bool) {
	if s.wide != nil {
		return s.wide.Closest(r)
	}
	return s.binary.Closest(r)
}

// ClosestOf is Closest of a packet's rays.
func (s *Scene) ClosestOf(p *Packet) {
	if s.wide != nil {
		s.wide.ClosestOf(p)
	} else {
		p.closestEach(s.binary.Closest)
	}
	if s.placed != nil {
		for i := range p.Max {
			ray, hit := p.Ray(i), p.Hit(i)
			s.placed.closest(&ray, &hit)
			p.Triangle[i], p.T[i], p.U[i], p.V[i] = hit.Triangle, hit.T, hit.U, hit.V
		}
	}
}

// Occluded tells whether a ray meets anything before its end.
func (s *Scene) Occluded(r Ray) bool {
	return s.occluded(r) || s.placed != nil && s.placed.occluded(&r)
}

// occluded is Occluded by its own triangles.
func (s *Scene) occluded(r Ray) bool {
	if s.wide != nil {
		return s.wide.Occluded(r)
	}
	return s.binary.Occluded(r)
}

// OccludedOf is Occluded of a packet's rays, a bit for each. It leaves no hits.
func (s *Scene) OccludedOf(p *Packet) (rays uint8) {
	if s.wide != nil {
		rays = s.wide.OccludedOf(p)
	} else {
		rays = p.occludedEach(s.binary.Occluded)
	}
	if s.placed != nil {
		for i := range p.Max {
			if ray := p.Ray(i); rays>>i&1 == 0 && s.placed.occluded(&ray) {
				rays |= 1 << i
			}
		}
	}
	return rays
}

// Empty tells whether there is nothing to meet.
func (s *Scene) Empty() bool {
	if s.placed != nil {
		return false
	}
	if s.wide != nil {
		return len(s.wide.lines) == 0
	}
	return len(s.binary.nodes) == 0
}

// MemoryBytes is what it takes in memory.
func (s *Scene) MemoryBytes() (sum int) {
	if s.wide != nil {
		sum = lists.MemoryBytes(s.wide.lines)
	} else {
		sum = lists.MemoryBytes(s.binary.nodes) + lists.MemoryBytes(s.binary.tris) + lists.MemoryBytes(s.binary.index)
	}
	if s.placed != nil {
		sum += s.placed.memoryBytes()
	}
	return sum
}

// Each calls found for every triangle that a ray meets, in no order.
func (s *Scene) Each(r Ray, found func(Hit)) {
	if s.wide != nil {
		s.wide.Each(r, found)
	} else {
		s.binary.Each(r, found)
	}
	if s.placed != nil {
		s.placed.hits(&r, found)
	}
}

func itemsOf(list List) []item {
	items := make([]item, 0, list.Count)
	for i := range list.Len {
		if !list.Takes(i) {
			continue
		}
		if t := list.At(i); finite(&t.A) && finite(&t.B) && finite(&t.C) {
			items = append(items, item{boxOf(&t), int32(i)})
		}
	}
	return items
}

// meet is the test of Moller and Trumbore (1997) for a corner a and the edges
// from it, with slack on the edges. The float32 conversions keep compilers from
// fusing products and sums, which would round otherwise than the kernel does.
func meet(a, e1, e2 *Vec, r *Ray) (t, u, v float32, ok bool) {
	dx, dy, dz := r.Dir[0], r.Dir[1], r.Dir[2]
	px, py, pz := float32(dy*e2[2])-float32(dz*e2[1]), float32(dz*e2[0])-float32(dx*e2[2]), float32(dx*e2[1])-float32(dy*e2[0])
	det := float32(float32(e1[0]*px)+float32(e1[1]*py)) + float32(e1[2]*pz)
	sx, sy, sz := r.Origin[0]-a[0], r.Origin[1]-a[1], r.Origin[2]-a[2]
	u = float32(float32(sx*px)+float32(sy*py)) + float32(sz*pz)
	neg := det < 0
	if neg {
		det, u = -det, -u
	}
	slack := float32(det * edgeSlack)
	if !(det > 0) || u < -slack || u > det+slack {
		return 0, 0, 0, false
	}
	qx, qy, qz := float32(sy*e1[2])-float32(sz*e1[1]), float32(sz*e1[0])-float32(sx*e1[2]), float32(sx*e1[1])-float32(sy*e1[0])
	v = float32(float32(dx*qx)+float32(dy*qy)) + float32(dz*qz)
	t = float32(float32(e2[0]*qx)+float32(e2[1]*qy)) + float32(e2[2]*qz)
	if neg {
		v, t = -v, -t
	}
	if !(v >= -slack) || !(u+v <= det+slack) || !(t >= 0) {
		return 0, 0, 0, false
	}
	return t / det, u / det, v / det, true
}

// inverse is 1/d, kept finite so that 0 x infinity cannot arise.
func inverse(d Vec) Vec {
	var inv Vec
	for i, x := range d {
		if x > -1e-20 && x < 1e-20 {
			inv[i] = float32(math.Copysign(1e20, float64(x)))
		} else {
			inv[i] = 1 / x
		}
	}
	return inv
}

func sub(a, b Vec) Vec { return Vec{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }

func finite(v *Vec) bool {
	s := v[0] + v[1] + v[2]
	return s-s == 0
}
