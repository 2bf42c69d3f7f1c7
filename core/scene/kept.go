package scene

import (
	"slices"

	"grotta/core/geom"
	"grotta/core/trace"
)

// Kept tells, of each surface, which one of an earlier scene it was, where neither it nor anything that it
// could touch has changed since; -1 where something has. It is nil where too much differs. Levels share in
// memory what an edit did not touch, and only that counts as unchanged. reach is how far something may be from a surface and touch it, in metres.
func (s *Scene) Kept(was *Scene, reach func(surface int) float64) []int32 {
	now, then := s.Level, was.Level
	if now.Lightmap != then.Lightmap || !slices.Equal(now.Materials, then.Materials) || !slices.Equal(now.Images, then.Images) {
		return nil
	}
	before := map[string]span{}
	for _, at := range was.spans() {
		before[was.bodyOf(at).Entity] = at
	}
	kept := make([]int32, len(s.Surfaces))
	var changed []trace.Box
	for _, at := range s.spans() {
		b := s.bodyOf(at)
		old, known := before[b.Entity]
		same := known && s.isAsIn(was, at, old)
		if same {
			delete(before, b.Entity)
		} else {
			changed = append(changed, boxOf(s.boundsIn(at.first, at.end), 0))
		}
		for i := at.first; i < at.end; i++ {
			if kept[i] = -1; same {
				kept[i] = int32(old.first + i - at.first)
			}
		}
	}
	for _, gone := range before { // what is not there any more, or was another
		changed = append(changed, boxOf(was.boundsIn(gone.first, gone.end), 0))
	}
	boxes := trace.NewBoxes(changed)
	for i := range kept {
		if kept[i] < 0 {
			continue
		}
		bounds, away := s.boundsIn(i, i+1), 4*OffsetM+reach(i)
		if s.Surfaces[i].Body().shading != nil { // rays start off a curved surface, by less than it is large
			away += bounds.Max.Sub(bounds.Min).Len()
		}
		around := boxOf(bounds, away)
		boxes.Near(around, func(k int) {
			if changed[k].Meets(&around) {
				kept[i] = -1
			}
		})
	}
	return kept
}

// span is the surfaces of one body.
type span struct{ first, end int }

func (s *Scene) bodyOf(at span) *Body { return s.Surfaces[at.first].Body() }

// spans are the surfaces of each body that has any, in order.
func (s *Scene) spans() (all []span) {
	for first := 0; first < len(s.Surfaces); {
		end := first + 1
		for end < len(s.Surfaces) && s.Surfaces[end].Body() == s.Surfaces[first].Body() {
			end++
		}
		all = append(all, span{first, end})
		first = end
	}
	return all
}

// isAsIn tells whether a body is what it was in another scene, and stands where it stood.
func (s *Scene) isAsIn(was *Scene, at, then span) bool {
	b, old := s.bodyOf(at), was.bodyOf(then)
	if b.Solid != old.Solid || b.Mesh != old.Mesh || at.end-at.first != then.end-then.first {
		return false
	}
	return s.World.Pose(b.Base()) == was.World.Pose(old.Base())
}

// boundsIn is the box around some surfaces.
func (s *Scene) boundsIn(first, end int) geom.Bounds {
	bounds := geom.NoBounds()
	for i := first; i < end; i++ {
		for t := range s.Corners(&s.Surfaces[i]) {
			for _, v := range t {
				bounds.Grow(v)
			}
		}
	}
	return bounds
}
