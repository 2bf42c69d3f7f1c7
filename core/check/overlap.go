package check

import (
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
)

// volume is where a shadow-casting light reaches: a ball, for a spot cut to its
// cone. Both are convex, and so is what they share. A light without a range
// reaches everywhere along its cone, a directional light everywhere.
type volume struct {
	id         string
	everywhere bool
	middle     geom.Vec3
	radius     float64 // infinite where it has no range
	cone       bool
	aim        geom.Vec3
	sin, cos   float64 // of the outer angle
}

func shadowVolumes(s *subject) []volume {
	var all []volume
	for _, l := range s.shining() {
		if !l.Shadows.Cast {
			continue
		}
		pose := s.world.Pose(&l.Entity)
		v := volume{id: l.ID, middle: pose.Position, radius: l.RangeM}
		if l.RangeM == 0 {
			v.radius = math.Inf(1)
		}
		v.everywhere = l.Kind == level.Directional || l.Kind == level.Point && l.RangeM == 0
		if l.Kind == level.Spot {
			v.cone, v.aim = true, pose.Forward()
			v.sin, v.cos = math.Sincos(l.OuterDeg * math.Pi / 180)
		}
		all = append(all, v)
	}
	return all
}

// crowd is a set of lights that all reach one point.
type crowd struct {
	ids      []string
	point    geom.Vec3
	cutShort bool // the search stopped early; there may be a larger one
}

// tests bounds the search; a level with under some hundred local lights ends
// well before it.
const tests = 60_000

// deepest finds the largest set of volumes that share a point, and the point.
//
// Volumes are convex, so whether a set shares a point is asked by projecting a
// point onto each in turn until it lies in all (cyclic projections; Bregman,
// 1965). Sets grow by branch and bound over volumes that meet in pairs. The
// answer is proven by its point; overlaps thinner than a millimetre may be
// missed.
func deepest(volumes []volume) crowd {
	var local []volume
	var base []string
	for _, v := range volumes {
		if v.everywhere {
			base = append(base, v.id)
		} else {
			local = append(local, v)
		}
	}
	s := search{volumes: local, left: tests}
	s.meets = make([][]bool, len(local))
	for i := range local {
		s.meets[i] = make([]bool, len(local))
		for j := range i {
			_, ok := s.common([]int{i, j}, local[i].inner())
			s.meets[i][j], s.meets[j][i] = ok, ok
		}
	}
	candidates := make([]int, len(local))
	for i := range candidates {
		candidates[i] = i
	}
	// Volumes with many neighbours first: a large set is found early and cuts the rest.
	degree := func(i int) (n int) {
		for _, m := range s.meets[i] {
			if m {
				n++
			}
		}
		return n
	}
	slices.SortStableFunc(candidates, func(a, b int) int { return degree(b) - degree(a) })
	s.grow(nil, geom.Vec3{}, candidates)
	out := crowd{point: s.point, cutShort: s.left <= 0}
	var among geom.Vec3
	for _, i := range s.best {
		out.ids = append(out.ids, local[i].id)
		among = among.Add(local[i].middle.Mul(1 / float64(len(s.best))))
	}
	// Of all points that prove it, one near the lights is one that a player sees.
	if point, ok := s.common(s.best, among); ok && len(s.best) > 0 {
		out.point = point
	}
	out.ids = append(out.ids, base...)
	slices.Sort(out.ids)
	return out
}

type search struct {
	volumes []volume
	meets   [][]bool
	best    []int
	point   geom.Vec3
	left    int
}

func (s *search) grow(set []int, at geom.Vec3, candidates []int) {
	if len(set) > len(s.best) {
		s.best, s.point = slices.Clone(set), at
	}
	for k, i := range candidates {
		if len(set)+len(candidates)-k <= len(s.best) || s.left <= 0 {
			return
		}
		start := at
		if len(set) == 0 {
			start = s.volumes[i].inner()
		}
		grown := append(slices.Clone(set), i)
		point, ok := s.common(grown, start)
		if !ok {
			continue
		}
		var next []int
		for _, j := range candidates[k+1:] {
			if s.meets[i][j] {
				next = append(next, j)
			}
		}
		s.grow(grown, point, next)
	}
}

// shrinkM pulls volumes in while projecting, so that the point found lies well
// within all of them.
const shrinkM = 0.001

func (s *search) common(set []int, p geom.Vec3) (geom.Vec3, bool) {
	s.left--
	for range 150 {
		inside := true
		for _, i := range set {
			v := &s.volumes[i]
			inside = inside && v.contains(p)
			p = v.project(p)
		}
		if inside {
			return p, true
		}
	}
	return p, false
}

// inner is a point well inside.
func (v *volume) inner() geom.Vec3 {
	if !v.cone {
		return v.middle
	}
	return v.middle.Add(v.aim.Mul(min(v.radius, 10) / 2))
}

func (v *volume) contains(p geom.Vec3) bool {
	d := p.Sub(v.middle)
	length := d.Len()
	return length <= v.radius && (!v.cone || d.Dot(v.aim) >= length*v.cos)
}

// project moves p into the ball, then into the cone.
func (v *volume) project(p geom.Vec3) geom.Vec3 {
	d := p.Sub(v.middle)
	if length, r := d.Len(), v.radius-shrinkM; length > r {
		d = d.Mul(r / length)
	}
	if v.cone {
		d = v.intoCone(d.Sub(v.aim.Mul(shrinkM))).Add(v.aim.Mul(shrinkM))
	}
	return v.middle.Add(d)
}

// intoCone is the nearest point of the cone with its tip at the origin.
func (v *volume) intoCone(d geom.Vec3) geom.Vec3 {
	along := d.Dot(v.aim)
	off := d.Sub(v.aim.Mul(along))
	across := off.Len()
	if across*v.cos <= along*v.sin { // inside
		return d
	}
	reach := along*v.cos + across*v.sin // along the nearest edge of the cone
	if reach <= 0 {
		return geom.Vec3{}
	}
	return v.aim.Mul(reach * v.cos).Add(off.Mul(reach * v.sin / across))
}
