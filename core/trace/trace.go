// Package trace answers two questions about rays and triangles: what does this
// ray meet first, and does it meet anything at all. It knows nothing of
// materials or lights.
//
// The scene is a binary bounding volume hierarchy, built by binned surface-area
// heuristic (Wald, "On fast construction of SAH-based bounding volume
// hierarchies", 2007). Triangles are met from both sides. Everything is float32.
package trace

import "math"

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

// edgeSlack widens triangles by this share of the determinant so that no ray
// slips between two that share an edge.
const edgeSlack = 1e-4

// Scene is a built hierarchy. It is read only and may be used from any number
// of goroutines.
type Scene struct {
	nodes []node
	tris  []prepared
	index []int32 // of prepared triangle in the caller's list
}

// node is inner when count is 0: its children are first and first+1.
type node struct {
	min   Vec
	first int32
	max   Vec
	count int32
}

// prepared holds a corner and the two edges from it.
type prepared struct{ a, e1, e2 Vec }

// New builds a scene. Triangles with a corner that is not finite are left out.
// Time grows as n log n; memory is about 100 bytes a triangle.
func New(triangles []Triangle) *Scene {
	b := builder{}
	for i, t := range triangles {
		if !finite(t.A) || !finite(t.B) || !finite(t.C) {
			continue
		}
		box := emptyBox()
		box.grow(t.A)
		box.grow(t.B)
		box.grow(t.C)
		b.items = append(b.items, item{box, box.centre(), int32(i)})
	}
	s := &Scene{}
	if len(b.items) == 0 {
		return s
	}
	b.nodes = make([]node, 1, 2*len(b.items))
	b.split(0, 0, len(b.items))
	s.nodes = b.nodes
	s.tris = make([]prepared, len(b.items))
	s.index = make([]int32, len(b.items))
	for i, it := range b.items {
		t := triangles[it.index]
		s.tris[i] = prepared{t.A, sub(t.B, t.A), sub(t.C, t.A)}
		s.index[i] = it.index
	}
	return s
}

// Closest finds the first triangle that a ray meets.
func (s *Scene) Closest(r Ray) (Hit, bool) {
	best := Hit{Triangle: -1, T: r.Max}
	s.walk(r, func(i int32, limit float32) (float32, bool) {
		if t, u, v, ok := s.tris[i].meet(r.Origin, r.Dir, limit); ok {
			best = Hit{s.index[i], t, u, v}
			return t, false
		}
		return limit, false
	})
	return best, best.Triangle >= 0
}

// Occluded tells whether a ray meets anything before its end.
func (s *Scene) Occluded(r Ray) bool {
	if len(s.nodes) == 0 {
		return false
	}
	inv, origin := inverse(r.Dir), r.Origin
	var stack [64]int32
	top, at := 0, int32(0)
	if _, ok := slab(&s.nodes[0], origin, inv, r.Max); !ok {
		return false
	}
	for {
		n := &s.nodes[at]
		if n.count > 0 {
			for i := n.first; i < n.first+n.count; i++ {
				if _, _, _, ok := s.tris[i].meet(origin, r.Dir, r.Max); ok {
					return true
				}
			}
		} else {
			_, hitA := slab(&s.nodes[n.first], origin, inv, r.Max)
			_, hitB := slab(&s.nodes[n.first+1], origin, inv, r.Max)
			switch {
			case hitA && hitB:
				stack[top] = n.first + 1
				top++
				at = n.first
				continue
			case hitA:
				at = n.first
				continue
			case hitB:
				at = n.first + 1
				continue
			}
		}
		if top == 0 {
			return false
		}
		top--
		at = stack[top]
	}
}

// Each calls found for every triangle that a ray meets, in no order.
func (s *Scene) Each(r Ray, found func(Hit)) {
	s.walk(r, func(i int32, limit float32) (float32, bool) {
		if t, u, v, ok := s.tris[i].meet(r.Origin, r.Dir, limit); ok {
			found(Hit{s.index[i], t, u, v})
		}
		return limit, false
	})
}

// walk visits the triangles of the leaves along a ray, near ones first. The
// visitor returns how far the ray still matters, and whether it is done.
func (s *Scene) walk(r Ray, visit func(i int32, limit float32) (float32, bool)) {
	if len(s.nodes) == 0 {
		return
	}
	type entry struct {
		at   int32
		near float32
	}
	var stack [64]entry
	inv, limit := inverse(r.Dir), r.Max
	top, at := 0, int32(0)
	if _, ok := slab(&s.nodes[0], r.Origin, inv, limit); !ok {
		return
	}
	for {
		n := &s.nodes[at]
		descended := false
		if n.count > 0 {
			for i := n.first; i < n.first+n.count; i++ {
				done := false
				if limit, done = visit(i, limit); done {
					return
				}
			}
		} else {
			a, b := n.first, n.first+1
			nearA, hitA := slab(&s.nodes[a], r.Origin, inv, limit)
			nearB, hitB := slab(&s.nodes[b], r.Origin, inv, limit)
			if hitA && hitB {
				if nearB < nearA {
					a, b, nearB = b, a, nearA
				}
				stack[top] = entry{b, nearB}
				top++
			} else if hitB {
				a = b
			}
			if hitA || hitB {
				at, descended = a, true
			}
		}
		for !descended {
			if top == 0 {
				return
			}
			top--
			if stack[top].near <= limit {
				at, descended = stack[top].at, true
			}
		}
	}
}

// meet is the test of Moller and Trumbore (1997) with slack on the edges, so
// that shared edges are closed.
func (p *prepared) meet(origin, dir Vec, limit float32) (t, u, v float32, ok bool) {
	px, py, pz := dir[1]*p.e2[2]-dir[2]*p.e2[1], dir[2]*p.e2[0]-dir[0]*p.e2[2], dir[0]*p.e2[1]-dir[1]*p.e2[0]
	det := p.e1[0]*px + p.e1[1]*py + p.e1[2]*pz
	if det == 0 {
		return
	}
	sx, sy, sz := origin[0]-p.a[0], origin[1]-p.a[1], origin[2]-p.a[2]
	u = sx*px + sy*py + sz*pz
	qx, qy, qz := sy*p.e1[2]-sz*p.e1[1], sz*p.e1[0]-sx*p.e1[2], sx*p.e1[1]-sy*p.e1[0]
	v = dir[0]*qx + dir[1]*qy + dir[2]*qz
	t = p.e2[0]*qx + p.e2[1]*qy + p.e2[2]*qz
	if det < 0 {
		det, u, v, t = -det, -u, -v, -t
	}
	slack := det * edgeSlack
	if u < -slack || v < -slack || u+v > det+slack || t < 0 || t >= limit*det {
		return 0, 0, 0, false
	}
	inv := 1 / det
	return t * inv, u * inv, v * inv, true
}

// slab clips a ray against a node's box and returns where it enters.
func slab(n *node, origin, inv Vec, limit float32) (float32, bool) {
	near, far := float32(0), limit
	for axis := range 3 {
		a, b := (n.min[axis]-origin[axis])*inv[axis], (n.max[axis]-origin[axis])*inv[axis]
		if a > b {
			a, b = b, a
		}
		if a > near {
			near = a
		}
		if b < far {
			far = b
		}
	}
	// Rounding can shrink a box by an ulp or two; give it back.
	return near, near <= far*(1+4e-7)
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

func finite(v Vec) bool {
	s := v[0] + v[1] + v[2]
	return s-s == 0
}
