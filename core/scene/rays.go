package scene

import (
	"grotta/core/geom"
	"grotta/core/trace"
)

// OffsetM is how far from a surface rays start, so that they do not meet it.
const OffsetM = 0.002

// Blocked tells whether anything that casts shadows lies between two points. The
// ray goes from the lit point to the light.
func (s *Scene) Blocked(from, to geom.Vec3) bool { return s.blocked(segment(from, to)) }

// BlockedAlong is Blocked from a point along a direction for a length, which may
// be infinite.
func (s *Scene) BlockedAlong(from, dir geom.Vec3, length float64) bool {
	return s.blocked(Along(from, dir, length))
}

// Along is the ray from a point along a direction for a length, which may be infinite.
func Along(from, dir geom.Vec3, length float64) trace.Ray {
	return trace.Ray{Origin: f32(from), Dir: f32(dir), Max: float32(length)}
}

// BlockedOf is Blocked along the first n rays of a packet, a bit for each.
func (s *Scene) BlockedOf(p *trace.Packet, n int) (rays uint8) {
	const few = 3 // are no slower one by one
	blocked := s.blocked
	if n >= few {
		p.Fill(n)
		rays, blocked = s.shadow.OccludedOf(p)&(1<<n-1), s.blockedCarefully
	}
	for i := range n {
		if rays>>i&1 == 0 && blocked(p.Ray(i)) {
			rays |= 1 << i
		}
	}
	return rays
}

func (s *Scene) blocked(ray trace.Ray) bool {
	if s.shadow.Occluded(ray) {
		return true
	}
	return s.blockedCarefully(ray)
}

func (s *Scene) blockedCarefully(ray trace.Ray) bool {
	if s.careful.Empty() {
		return false
	}
	h, ok := s.careful.Closest(ray)
	stops := ok && s.stops(h, ray.Dir, true)
	if stops || !ok { // else it passes a hole, and what is behind counts
		return stops
	}
	s.careful.Each(ray, func(h trace.Hit) { stops = stops || s.stops(h, ray.Dir, true) })
	return stops
}

// stops tells whether a hit on a careful surface stops light. Rays run against the light:
// where a ray leaves through the front of a surface, the light enters through the front.
func (s *Scene) stops(h trace.Hit, dir trace.Vec, direct bool) bool {
	i := int(h.Triangle)
	f := &s.Surfaces[s.SurfaceOf[i]]
	if f.cutOut() {
		u, v := s.uv(f, i, h)
		if !f.Finish().Image.Opaque(u, v, f.Finish().Material.Cutoff) {
			return false
		}
	}
	backPasses := direct && s.Level.Lightmap.Backs == "pass" && f.Body().Mesh != nil && !f.Finish().Material.HasTwoSides()
	return !backPasses || s.facing(i).Dot(vec(dir)) > 0
}

// Meeting is what a ray of light meets.
type Meeting struct {
	Surface, Triangle int
	T                 float64
	Front             bool
	Normal            geom.Vec3 // in which it faces, of any length
}

// Meet finds what first stops light along a ray, from whichever side.
func (s *Scene) Meet(ray trace.Ray) (Meeting, bool) {
	h, _ := s.shadow.Closest(ray)
	return s.meeting(ray, h)
}

// Trace finds what stops the rays of a packet; Met is Meet of one of them then.
func (s *Scene) Trace(p *trace.Packet) { s.shadow.ClosestOf(p) }

// Met tells what a ray of a traced packet meets.
func (s *Scene) Met(p *trace.Packet, i int) (Meeting, bool) { return s.meeting(p.Ray(i), p.Hit(i)) }

// meeting is what a ray meets whose first hit in the main hierarchy is known.
func (s *Scene) meeting(ray trace.Ray, h trace.Hit) (Meeting, bool) {
	if !s.careful.Empty() {
		h = s.meetCarefully(ray, h)
	}
	i := int(h.Triangle)
	if i < 0 {
		return Meeting{}, false
	}
	normal := s.facing(i)
	front := normal.Dot(vec(ray.Dir)) <= 0
	if back := s.OtherSide(i); !front && back >= 0 {
		i, normal, front = back, normal.Mul(-1), true
	}
	return Meeting{int(s.SurfaceOf[i]), i, float64(h.T), front, normal}, true
}

// meetCarefully returns the nearer of a hit, unless its triangle is -1, and the first hit on a
// careful surface that stops light.
func (s *Scene) meetCarefully(ray trace.Ray, first trace.Hit) trace.Hit {
	if first.Triangle >= 0 {
		ray.Max = first.T
	}
	if h, ok := s.careful.Closest(ray); !ok {
		return first
	} else if s.stops(h, ray.Dir, false) {
		return h
	}
	s.careful.Each(ray, func(h trace.Hit) {
		if (first.Triangle < 0 || h.T < first.T) && s.stops(h, ray.Dir, false) {
			first = h
		}
	})
	return first
}

// segment is the ray from the first point to the second.
func segment(from, to geom.Vec3) trace.Ray {
	o, t := f32(from), f32(to)
	return trace.Ray{Origin: o, Dir: trace.Vec{t[0] - o[0], t[1] - o[1], t[2] - o[2]}, Max: 1}
}

// Blockers are the ids of the entities between two points, nearest first, each
// once, with the point where the line first meets it.
func (s *Scene) Blockers(from, to geom.Vec3) []Blocker {
	var found []Blocker
	at, ray := map[string]int{}, segment(from, to)
	for _, t := range []*trace.Scene{s.shadow, s.careful} {
		t.Each(ray, func(h trace.Hit) {
			if t == s.careful && !s.stops(h, ray.Dir, true) {
				return
			}
			id := s.Surfaces[s.SurfaceOf[h.Triangle]].Body().Entity
			if i, ok := at[id]; ok {
				found[i].share = min(found[i].share, float64(h.T))
				return
			}
			at[id] = len(found)
			found = append(found, Blocker{ID: id, share: float64(h.T)})
		})
	}
	sortBlockers(found)
	for i := range found {
		found[i].Point = from.Add(to.Sub(from).Mul(found[i].share))
	}
	return found
}

// Blocker is what stands in the way of a light, and where.
type Blocker struct {
	ID    string
	Point geom.Vec3
	share float64
}

func sortBlockers(b []Blocker) {
	for i := 1; i < len(b); i++ {
		for j := i; j > 0 && (b[j].share < b[j-1].share || b[j].share == b[j-1].share && b[j].ID < b[j-1].ID); j-- {
			b[j], b[j-1] = b[j-1], b[j]
		}
	}
}

// Seen is what a camera ray meets.
type Seen struct {
	Surface  int
	Triangle int
	Point    geom.Vec3 // of what sways: where it is at rest
	Distance float64
	U, V     float64 // weights of the triangle's second and third corner
}

// See finds the first visible surface along a unit direction.
func (s *Scene) See(from, dir geom.Vec3, far float64) (Seen, bool) {
	return s.see(s.seen, from, dir, far)
}

// SeeThroughWater is See where all water is away.
func (s *Scene) SeeThroughWater(from, dir geom.Vec3, far float64) (Seen, bool) {
	return s.see(s.dry, from, dir, far)
}

func (s *Scene) see(among []*trace.Scene, from, dir geom.Vec3, far float64) (Seen, bool) {
	ray, passed := trace.Ray{Origin: f32(from), Dir: f32(dir), Max: float32(far)}, 0.0
	for {
		h, ok := s.firstVisible(among, ray)
		if !ok {
			return Seen{}, false
		}
		h = s.within(among, ray, h)
		t := int(h.Triangle)
		distance := passed + float64(h.T)
		if f := &s.Surfaces[s.SurfaceOf[t]]; f.cutOut() {
			if u, v := s.uv(f, t, h); !f.Finish().Image.Opaque(u, v, f.Finish().Material.Cutoff) {
				passed = distance + OffsetM
				ray.Origin, ray.Max = f32(from.Add(dir.Mul(passed))), float32(far-passed)
				continue
			}
		}
		u, v := float64(h.U), float64(h.V)
		if back := s.OtherSide(t); back >= 0 && s.facing(t).Dot(dir) > 0 {
			t, u, v = back, v, u
		}
		seen := Seen{
			Surface:  int(s.SurfaceOf[t]),
			Triangle: t,
			Point:    from.Add(dir.Mul(distance)),
			Distance: distance,
			U:        u, V: v,
		}
		if s.Surfaces[seen.Surface].Body().Bend != nil {
			c := s.CornersOf(t)
			seen.Point = c[0].Mul(1 - seen.U - seen.V).Add(c[1].Mul(seen.U)).Add(c[2].Mul(seen.V))
		}
		return seen, true
	}
}

// within returns the hit to show where a ray met a triangle only by the slack of its edges: the
// first hit inside a triangle, if that is right behind. Without this, hidden faces between
// blocks side by side would show as specks, as the slack makes them stick out.
func (s *Scene) within(among []*trace.Scene, ray trace.Ray, h trace.Hit) trace.Hit {
	const behindM = 0.005
	inside := func(h trace.Hit) bool { return h.U >= 0 && h.V >= 0 && h.U+h.V <= 1 }
	if inside(h) {
		return h
	}
	ray.Max = min(ray.Max, h.T+behindM)
	for _, t := range among {
		t.Each(ray, func(other trace.Hit) {
			if s.shows(other) && inside(other) && (!inside(h) || other.T < h.T) {
				h = other
			}
		})
	}
	return h
}

// firstVisible is the first visible triangle that a ray meets.
func (s *Scene) firstVisible(among []*trace.Scene, ray trace.Ray) (first trace.Hit, found bool) {
	nearer := func(h trace.Hit) {
		if s.shows(h) && (!found || h.T < first.T || h.T == first.T && h.Triangle < first.Triangle) {
			first, found = h, true
		}
	}
	for _, t := range among {
		if h, ok := t.Closest(ray); ok && !s.shows(h) { // a blocker: what is behind it counts
			t.Each(ray, nearer)
		} else if ok {
			nearer(h)
		}
	}
	return first, found
}

func (s *Scene) shows(h trace.Hit) bool {
	return s.Surfaces[s.SurfaceOf[h.Triangle]].Finish().Roles.Visible
}
