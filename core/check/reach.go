package check

import (
	"iter"
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/overlap"
)

// tables hold, for every surface, its box and area, and where surfaces and the triangles of large ones are.
type tables struct {
	*boxIndex
	areas     []float64
	triangles map[int32]*boxIndex // of surfaces with more than manyTriangles
}

// manyTriangles is how many triangles of a surface are looked through one by one.
const manyTriangles = 128

func (s *subject) surfaces() *tables {
	if s.kept.tables != nil {
		return s.kept.tables
	}
	t := &tables{areas: make([]float64, len(s.Scene.Surfaces)), triangles: map[int32]*boxIndex{}}
	boxes := make([]geom.Bounds, len(s.Scene.Surfaces))
	for i := range s.Scene.Surfaces {
		b := geom.NoBounds()
		var parts []geom.Bounds
		for c := range s.Scene.Corners(&s.Scene.Surfaces[i]) {
			part := geom.NoBounds()
			for _, p := range c {
				b.Grow(p)
				part.Grow(p)
			}
			parts = append(parts, part)
			t.areas[i] += geom.TriangleArea(c[0], c[1], c[2])
		}
		if boxes[i] = b; len(parts) > manyTriangles {
			t.triangles[int32(i)] = newBoxIndex(parts, b, 0.25)
		}
	}
	t.boxIndex = newBoxIndex(boxes, s.Scene.Bounds, 2)
	s.kept.tables = t
	return t
}

// boxIndex finds the boxes that meet a box, by a grid.
type boxIndex struct {
	boxes []geom.Bounds
	grid  map[[3]int32][]int32
	large []int32 // boxes over many cells of the grid
	cellM float64
}

// newBoxIndex is an index of boxes within bounds; its cells are at least so large.
func newBoxIndex(boxes []geom.Bounds, within geom.Bounds, leastM float64) *boxIndex {
	t := &boxIndex{boxes: boxes, grid: map[[3]int32][]int32{}}
	if !within.Empty() {
		t.cellM = max(leastM, within.Max.Sub(within.Min).Len()/200)
	}
	for i, b := range boxes {
		low, high := t.cell(b.Min), t.cell(b.Max)
		if int(high[0]-low[0]+1)*int(high[1]-low[1]+1)*int(high[2]-low[2]+1) > 64 {
			t.large = append(t.large, int32(i))
			continue
		}
		t.each(low, high, func(c [3]int32) { t.grid[c] = append(t.grid[c], int32(i)) })
	}
	return t
}

func (t *boxIndex) cell(p geom.Vec3) (c [3]int32) {
	for i := range 3 {
		c[i] = int32(math.Floor(p[i] / t.cellM))
	}
	return c
}

func (t *boxIndex) each(low, high [3]int32, visit func([3]int32)) {
	for x := low[0]; x <= high[0]; x++ {
		for y := low[1]; y <= high[1]; y++ {
			for z := low[2]; z <= high[2]; z++ {
				visit([3]int32{x, y, z})
			}
		}
	}
}

// near are the boxes that meet a box, in order.
func (t *boxIndex) near(b geom.Bounds) []int32 {
	var found []int32
	take := func(i int32) {
		for axis := range 3 {
			if t.boxes[i].Min[axis] > b.Max[axis] || t.boxes[i].Max[axis] < b.Min[axis] {
				return
			}
		}
		found = append(found, i)
	}
	low, high := t.cell(b.Min), t.cell(b.Max)
	if cells := float64(high[0]-low[0]+1) * float64(high[1]-low[1]+1) * float64(high[2]-low[2]+1); cells > float64(len(t.grid))*2 {
		for i := range t.boxes {
			take(int32(i))
		}
		return found
	}
	t.each(low, high, func(c [3]int32) {
		for _, i := range t.grid[c] {
			take(i)
		}
	})
	for _, i := range t.large {
		take(i)
	}
	slices.Sort(found)
	return slices.Compact(found)
}

// cornersNear are the triangles of a surface that may meet a box.
func (s *subject) cornersNear(i int32, box geom.Bounds) iter.Seq[[3]geom.Vec3] {
	f := &s.Scene.Surfaces[i]
	index := s.surfaces().triangles[i]
	if index == nil {
		return s.Scene.Corners(f)
	}
	first, _ := s.Scene.TrianglesOf(f)
	return func(yield func([3]geom.Vec3) bool) {
		for _, k := range index.near(box) {
			if !yield(s.Scene.CornersOf(first + int(k))) {
				return
			}
		}
	}
}

// reached is reachedBy for a light of the level, computed once.
func (s *subject) reached(l *level.Light) []int32 {
	k := s.knownOf(l)
	if k.reached == nil {
		found := s.reachedBy(l)
		k.reached = &found
	}
	return *k.reached
}

// reachedBy are the surfaces that a light's range and cone reach and that face it, whether or not
// something stands in the way: what a target counts. The level need not have the light.
func (s *subject) reachedBy(l *level.Light) []int32 {
	t := s.surfaces()
	if s.Scene.Bounds.Empty() {
		return nil
	}
	pose := s.world.Pose(&l.Entity)
	end := math.Inf(1)
	if l.RangeM > 0 {
		end = l.RangeM
	}
	v := overlap.Reach(l, pose, end)
	box := v.Bounds(s.Scene.Bounds)
	for axis := range 3 {
		if box.Min[axis] > box.Max[axis] {
			return nil
		}
	}
	var found []int32
	for _, i := range t.near(box) {
		f := &s.Scene.Surfaces[i]
		if !f.Finish().Roles.ReceivesLight || !v.Meets(t.boxes[i]) {
			continue
		}
		for c := range s.cornersNear(i, box) {
			if s.faces(l, pose, c, f.Finish().Material.HasTwoSides()) && v.MeetsTriangle(c) {
				found = append(found, i)
				break
			}
		}
	}
	return found
}

// faces tells whether a triangle turns its front to a light.
func (s *subject) faces(l *level.Light, pose geom.Pose, c [3]geom.Vec3, twoSided bool) bool {
	if twoSided {
		return true
	}
	n := c[1].Sub(c[0]).Cross(c[2].Sub(c[0]))
	if l.Kind == level.Directional || l.Kind == level.BoxLight {
		return n.Dot(pose.Forward()) < 0
	}
	return n.Dot(pose.Position.Sub(c[0])) > 0
}
