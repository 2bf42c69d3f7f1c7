package scene

import (
	"math"
	"slices"

	"grotta/core/geom"
)

// Drawn is, by surface, what a face of a solid shows: convex polygons without
// what lies flat against another solid, each with a corner wherever one of
// another polygon lies on its edges. Drawn as fans round their middles, blocks
// side by side then show neither cracks nor their insides. Surfaces of meshes
// have none.
func (s *Scene) Drawn() map[int][][]geom.Vec3 {
	planes := map[[4]int64][]int{} // surfaces by what they face
	for i := range s.Surfaces {
		if f := &s.Surfaces[i]; f.Body().Solid != nil && f.Finish().Roles.Visible && !f.cutOut() && !s.isWater(f) {
			at := s.planeOf(f, 1)
			planes[at] = append(planes[at], i)
		}
	}
	drawn := map[int][][]geom.Vec3{}
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		if f.Body().Solid == nil {
			continue
		}
		pieces := [][]geom.Vec3{s.Outline(f)}
		for _, k := range planes[s.planeOf(f, -1)] {
			pieces = without(pieces, s.Outline(&s.Surfaces[k]), s.Normal(&s.Surfaces[k]))
		}
		drawn[i] = pieces
	}
	join(drawn)
	return drawn
}

// Open is the things whose backs can be seen from outside: blocks with a face that is not there, is seen
// through or holds water, and meshes but for those with two sides, whose backs are triangles of their own.
func (s *Scene) Open() map[string]bool {
	open := map[string]bool{}
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		if f.Body().Mesh != nil && s.OtherSide(int(f.First)) < 0 || !f.Finish().Roles.Visible || f.cutOut() || s.isWater(f) {
			open[f.Body().Entity] = true
		}
	}
	return open
}

// roundM is the distance, in metres, under which two planes or lines count as the same.
const roundM = 5e-4

func rounded(v geom.Vec3) [3]int64 {
	var r [3]int64
	for axis := range 3 {
		r[axis] = int64(math.Round(v[axis] / roundM))
	}
	return r
}

// planeOf names the plane of a solid's face, or with -1 the same seen from behind.
func (s *Scene) planeOf(f *Surface, side float64) [4]int64 {
	n := rounded(s.Normal(f).Mul(side))
	return [4]int64{n[0], n[1], n[2], int64(math.Round(side * s.distances[f.Body().distances+f.Face] / roundM))}
}

// without cuts a convex polygon out of others in its plane. normal is its own.
func without(pieces [][]geom.Vec3, cut []geom.Vec3, normal geom.Vec3) [][]geom.Vec3 {
	var kept [][]geom.Vec3
	for _, piece := range pieces {
		inside, apart := piece, [][]geom.Vec3(nil)
		for i, a := range cut {
			out := cut[(i+1)%len(cut)].Sub(a).Cross(normal).Normalize()
			var beyond []geom.Vec3
			if inside, beyond = split(inside, out, out.Dot(a)); beyond != nil {
				apart = append(apart, beyond)
			}
			if inside == nil {
				break
			}
		}
		if inside == nil {
			kept = append(kept, piece) // they do not meet: it stays in one
		} else {
			kept = append(kept, apart...)
		}
	}
	return kept
}

// split parts a convex polygon at a plane; nil where a side has no area.
func split(p []geom.Vec3, normal geom.Vec3, distance float64) (behind, before []geom.Vec3) {
	low, high := false, false
	for i, a := range p {
		b := p[(i+1)%len(p)]
		x, y := normal.Dot(a)-distance, normal.Dot(b)-distance
		low, high = low || x < -roundM, high || x > roundM
		if x <= roundM {
			behind = append(behind, a)
		}
		if x >= -roundM {
			before = append(before, a)
		}
		if x < -roundM && y > roundM || x > roundM && y < -roundM {
			cross := a.Add(b.Sub(a).Mul(x / (x - y)))
			behind, before = append(behind, cross), append(before, cross)
		}
	}
	if !low {
		behind = nil
	}
	if !high {
		before = nil
	}
	return behind, before
}

// lineOf names the straight line that an edge lies on: by its direction, either
// way, and its moment about the origin.
func lineOf(a, b geom.Vec3) [2][3]int64 {
	d := b.Sub(a).Normalize()
	for axis := range 3 {
		if math.Abs(d[axis]) > 1e-6 {
			if d[axis] < 0 {
				d = d.Mul(-1)
			}
			break
		}
	}
	return [2][3]int64{rounded(d), rounded(a.Cross(d))}
}

// join puts corners where those of other polygons lie on an edge.
func join(drawn map[int][][]geom.Vec3) {
	corners := map[[2][3]int64][]geom.Vec3{}
	for _, pieces := range drawn {
		for _, p := range pieces {
			for i, a := range p {
				b := p[(i+1)%len(p)]
				corners[lineOf(a, b)] = append(corners[lineOf(a, b)], a, b)
			}
		}
	}
	for _, pieces := range drawn {
		for k, p := range pieces {
			var whole []geom.Vec3
			for i, a := range p {
				b := p[(i+1)%len(p)]
				whole = append(append(whole, a), between(a, b, corners[lineOf(a, b)])...)
			}
			pieces[k] = whole
		}
	}
}

// between returns, in order, those of some points on its line that an edge passes.
func between(a, b geom.Vec3, points []geom.Vec3) []geom.Vec3 {
	along := b.Sub(a)
	length := along.Len()
	at := func(p geom.Vec3) float64 { return p.Sub(a).Dot(along) / length }
	var found []geom.Vec3
	for _, p := range points {
		t := at(p)
		if off := p.Sub(a).Sub(along.Mul(t / length)).Len(); off < roundM && t > weldM && t < length-weldM {
			found = append(found, p)
		}
	}
	slices.SortFunc(found, func(p, q geom.Vec3) int {
		if at(p) < at(q) {
			return -1
		}
		return 1
	})
	return slices.CompactFunc(found, func(p, q geom.Vec3) bool { return p.Sub(q).Len() < weldM })
}
