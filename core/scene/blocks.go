package scene

import (
	"cmp"
	"slices"

	"grotta/core/geom"
	"grotta/core/lists"
	"grotta/core/trace"
)

// Blocks are the solids about a surface that cast shadows.
type Blocks struct {
	scene   *Scene
	own     *Body // that the surface is of
	surface int32 // its number
	near    []*Body
	around  []geom.Bounds // of those of them that are another
	many    bool          // so that each point asks for those about itself
}

// BlocksNear returns the blocks within a distance of a surface.
func (s *Scene) BlocksNear(f *Surface, distance float64) Blocks {
	const many = 16
	near := geom.NoBounds()
	for t := range s.Corners(f) {
		for _, v := range t {
			near.Grow(v)
		}
	}
	list := Blocks{scene: s, own: f.Body(), surface: s.SurfaceOf[f.First]}
	if f.IsBack() {
		list.surface = s.SurfaceOf[s.OtherSide(int(f.First))]
	}
	s.blocksAt.Near(boxOf(near, distance), func(i int) {
		if list.many {
			return
		}
		b := &s.bodies[s.blocks[i]]
		own := s.boundsOf(b)
		if !meet(own, near, distance) {
			return
		}
		if list.many = len(list.near) == many; !list.many {
			list.near = append(list.near, b)
			if b != list.own {
				list.around = append(list.around, own)
			}
		}
	})
	return list
}

func (s *Scene) findBlocks() {
	var boxes []trace.Box
	for i := range s.bodies {
		if b := &s.bodies[i]; b.corners < b.cornersEnd && b.Solid.Surface.CastsShadow && !s.isWater(&s.Surfaces[s.SurfaceOf[b.first]]) {
			s.blocks, boxes = append(s.blocks, int32(i)), append(boxes, boxOf(s.boundsOf(b), OffsetM))
		}
	}
	s.blocks, s.blocksAt = lists.Exact(s.blocks), trace.NewBoxes(boxes)
	boxes = nil
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		if f.Body().Mesh == nil || f.IsBack() || !f.Finish().Roles.CastsShadow {
			continue
		}
		around := geom.NoBounds()
		for t := range s.Corners(f) {
			for _, v := range t {
				around.Grow(v)
			}
		}
		s.meshes, boxes = append(s.meshes, int32(i)), append(boxes, boxOf(around, 0))
	}
	s.meshes, s.meshBoxes, s.meshesAt = lists.Exact(s.meshes), lists.Exact(boxes), trace.NewBoxes(boxes)
}

// boundsOf returns the box around a solid.
func (s *Scene) boundsOf(b *Body) geom.Bounds {
	corners := s.corners[b.corners:b.cornersEnd]
	low, high := corners[0], corners[0]
	for _, at := range corners[1:] {
		for axis, x := range at {
			if x < low[axis] {
				low[axis] = x
			}
			if x > high[axis] {
				high[axis] = x
			}
		}
	}
	return geom.Bounds{Min: vec(low), Max: vec(high)}
}

// boxOf returns some bounds, widened by a distance on every side.
func boxOf(b geom.Bounds, distance float64) trace.Box {
	away := geom.Vec3{distance, distance, distance}
	return trace.Around(b.Min.Sub(away), b.Max.Add(away))
}

// Hold tells whether one of them holds a point, or comes nearer to it than
// OffsetM/2: rays from there would start at its surface and go on within.
func (l *Blocks) Hold(p geom.Vec3) (held bool) {
	if !l.many {
		return slices.ContainsFunc(l.near, func(b *Body) bool { return l.scene.holds(b, p, OffsetM/2) })
	}
	s := l.scene
	s.blocksAt.Near(boxOf(geom.Bounds{Min: p, Max: p}, OffsetM), func(i int) {
		held = held || s.holds(&s.bodies[s.blocks[i]], p, OffsetM/2)
	})
	return held
}

// Apart tells whether nothing that casts shadows comes near a box, but for the solid or the
// surface that they are asked for.
func (l *Blocks) Apart(box geom.Bounds) bool {
	apart := true
	around := boxOf(box, OffsetM)
	l.scene.meshesAt.Near(around, func(i int) {
		apart = apart && (l.scene.meshes[i] == l.surface || !l.scene.meshBoxes[i].Meets(&around))
	})
	if !l.many || !apart {
		return apart && !slices.ContainsFunc(l.around, func(b geom.Bounds) bool { return meet(b, box, OffsetM) })
	}
	l.scene.blocksAt.Near(boxOf(box, OffsetM), func(i int) {
		b := &l.scene.bodies[l.scene.blocks[i]]
		apart = apart && (b == l.own || !meet(l.scene.boundsOf(b), box, OffsetM))
	})
	return apart
}

// meet tells whether two boxes come within a distance of each other.
func meet(a, b geom.Bounds, distance float64) bool {
	for axis := range 3 {
		if a.Min[axis] > b.Max[axis]+distance || a.Max[axis] < b.Min[axis]-distance {
			return false
		}
	}
	return true
}

// Inside is the id of a solid that holds a point deeper than OffsetM/2, the first of
// several, or "".
func (s *Scene) Inside(p geom.Vec3) string {
	first := len(s.bodies)
	s.blocksAt.Near(boxOf(geom.Bounds{Min: p, Max: p}, 0), func(i int) {
		if at := int(s.blocks[i]); at < first && s.holds(&s.bodies[at], p, -OffsetM/2) {
			first = at
		}
	})
	if first == len(s.bodies) {
		return ""
	}
	return s.bodies[first].Entity
}

// holds tells whether a point is no farther out of a solid than a margin: of its faces,
// and of its bounds, as its edges may be sharper than a box's.
func (s *Scene) holds(b *Body, p geom.Vec3, margin float64) bool {
	planes := cmp.Or(len(b.Solid.Planes), 6)
	for i := range planes {
		if s.normalOf(b, i).Dot(p) > s.distances[int(b.distances)+i]+margin {
			return false
		}
	}
	if len(b.Solid.Planes) == 0 {
		return true
	}
	bounds := s.boundsOf(b)
	for axis := range 3 {
		if p[axis] > bounds.Max[axis]+margin || p[axis] < bounds.Min[axis]-margin {
			return false
		}
	}
	return true
}
