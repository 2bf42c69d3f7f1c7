// Package overlap tells where light reaches, as convex bodies, and where many of them share a point. It
// casts no rays.
package overlap

import (
	"math"

	"grotta/core/geom"
	"grotta/core/level"
)

// convex is a convex body that shadow volumes are cut from.
type convex interface {
	// distance is how far a point is outside, in metres; inside it is negative, and at least as
	// near to zero as the border is.
	distance(p geom.Vec3) float64
	// nearest is the point of the body that is nearest to p; p itself if it lies inside.
	nearest(p geom.Vec3) geom.Vec3
	// extent is a box round the body; sides may be infinite.
	extent() (low, high geom.Vec3)
}

// Volume is where a light reaches: what all its parts share. One without parts is everywhere.
type Volume struct {
	ID     string    // of the light
	Middle geom.Vec3 // of the light
	parts  []convex
}

// Everywhere tells whether it has no end.
func (v *Volume) Everywhere() bool { return len(v.parts) == 0 }

// Distance is about how far a point is outside, in metres; inside it is negative.
func (v *Volume) Distance(p geom.Vec3) float64 {
	far := math.Inf(-1)
	for _, part := range v.parts {
		far = max(far, part.distance(p))
	}
	return far
}

// Contains tells whether a point is inside.
func (v *Volume) Contains(p geom.Vec3) bool { return v.Distance(p) <= 0 }

// Shadow is where a light casts shadows; ok is false for one that casts none. Its shadow
// ends at the light's range or at reach_m, whichever comes first.
func Shadow(l *level.Light, pose geom.Pose) (v Volume, ok bool) {
	if !l.Shadows.Cast || l.Shadows.Depth == 0 {
		return v, false
	}
	end := math.Inf(1)
	for _, m := range []float64{l.RangeM, l.Shadows.ReachM} {
		if m > 0 {
			end = min(end, m)
		}
	}
	return Reach(l, pose, end), true
}

// Reach is where a light shines, as far as an end that may be infinite.
func Reach(l *level.Light, pose geom.Pose, end float64) Volume {
	at, aim := pose.Position, pose.Forward()
	v := Volume{ID: l.ID, Middle: at}
	if !math.IsInf(end, 1) && l.Kind != level.Directional && l.Kind != level.BoxLight && l.Kind != level.Tube {
		v.parts = append(v.parts, ball{at, end})
	}
	switch l.Kind {
	case level.Spot:
		sin, cos := math.Sincos(l.OuterDeg * math.Pi / 180)
		v.parts = append(v.parts, cone{at, aim, sin, cos})
	case level.Dome, level.Rect:
		v.parts = append(v.parts, half{aim.Mul(-1), -aim.Dot(at)})
	case level.Tube:
		if !math.IsInf(end, 1) {
			along := pose.Rotation.Rotate(geom.Vec3{l.LengthM / 2, 0, 0})
			v.parts = append(v.parts, capsule{at.Sub(along), at.Add(along), end})
		}
	case level.BoxLight:
		x, y := pose.Rotation.Rotate(geom.Vec3{1, 0, 0}), pose.Rotation.Rotate(geom.Vec3{0, 1, 0})
		v.parts = append(v.parts,
			half{x, x.Dot(at) + l.WidthM/2}, half{x.Mul(-1), -x.Dot(at) + l.WidthM/2},
			half{y, y.Dot(at) + l.HeightM/2}, half{y.Mul(-1), -y.Dot(at) + l.HeightM/2},
			half{aim.Mul(-1), -aim.Dot(at)})
		if !math.IsInf(end, 1) {
			v.parts = append(v.parts, half{aim, aim.Dot(at) + end})
		}
	}
	return v
}

// Bounds is a box round a volume, no larger than the one that it is cut to.
func (v *Volume) Bounds(within geom.Bounds) geom.Bounds {
	b := within
	for _, part := range v.parts {
		low, high := part.extent()
		for axis := range 3 {
			b.Min[axis] = max(b.Min[axis], low[axis])
			b.Max[axis] = min(b.Max[axis], high[axis])
		}
	}
	return b
}

// Meets tells whether it may share room with a box; it errs on the side of yes.
func (v *Volume) Meets(b geom.Bounds) bool {
	own := v.Bounds(b)
	for axis := range 3 {
		if own.Min[axis] > own.Max[axis] {
			return false
		}
	}
	middle := b.Min.Add(b.Max).Mul(0.5)
	return v.Distance(middle) <= b.Max.Sub(middle).Len()
}

// holds tells whether all of a box is inside; a convex body holds it if it holds its corners.
func (v *Volume) holds(b geom.Bounds) bool {
	for corner := range 8 {
		p := b.Min
		for axis := range 3 {
			if corner>>axis&1 == 1 {
				p[axis] = b.Max[axis]
			}
		}
		if !v.Contains(p) {
			return false
		}
	}
	return true
}

type ball struct {
	middle geom.Vec3
	radius float64
}

func (b ball) distance(p geom.Vec3) float64 { return p.Sub(b.middle).Len() - b.radius }

func (b ball) nearest(p geom.Vec3) geom.Vec3 {
	d := p.Sub(b.middle)
	if length := d.Len(); length > b.radius {
		return b.middle.Add(d.Mul(b.radius / length))
	}
	return p
}

func (b ball) extent() (low, high geom.Vec3) {
	r := geom.Vec3{b.radius, b.radius, b.radius}
	return b.middle.Sub(r), b.middle.Add(r)
}

// half is the half-space of points p with normal·p <= distance.
type half struct {
	normal geom.Vec3
	at     float64
}

func (h half) distance(p geom.Vec3) float64 { return h.normal.Dot(p) - h.at }

func (h half) nearest(p geom.Vec3) geom.Vec3 {
	return p.Sub(h.normal.Mul(max(0, h.distance(p))))
}

func (h half) extent() (low, high geom.Vec3) {
	low, high = everywhere()
	for axis := range 3 {
		switch h.normal[axis] {
		case 1:
			high[axis] = h.at
		case -1:
			low[axis] = -h.at
		}
	}
	return low, high
}

// capsule is all that lies within a distance of a straight line's part.
type capsule struct {
	from, to geom.Vec3
	radius   float64
}

func (c capsule) middle(p geom.Vec3) geom.Vec3 {
	along := c.to.Sub(c.from)
	if length := along.Dot(along); length > 0 {
		return c.from.Add(along.Mul(min(1, max(0, p.Sub(c.from).Dot(along)/length))))
	}
	return c.from
}

func (c capsule) distance(p geom.Vec3) float64 { return ball{c.middle(p), c.radius}.distance(p) }

func (c capsule) nearest(p geom.Vec3) geom.Vec3 { return ball{c.middle(p), c.radius}.nearest(p) }

func (c capsule) extent() (low, high geom.Vec3) {
	low, high = ball{c.from, c.radius}.extent()
	low2, high2 := ball{c.to, c.radius}.extent()
	for axis := range 3 {
		low[axis], high[axis] = min(low[axis], low2[axis]), max(high[axis], high2[axis])
	}
	return low, high
}

// cone has no end; its angle from the axis is under a right angle.
type cone struct {
	tip, axis geom.Vec3
	sin, cos  float64
}

func (c cone) distance(p geom.Vec3) float64 {
	d := p.Sub(c.tip)
	along := d.Dot(c.axis)
	across := d.Sub(c.axis.Mul(along)).Len()
	out := across*c.cos - along*c.sin // beyond the nearest edge
	if out > 0 && along*c.cos+across*c.sin < 0 {
		return d.Len() // behind the tip
	}
	return out
}

func (c cone) nearest(p geom.Vec3) geom.Vec3 {
	d := p.Sub(c.tip)
	along := d.Dot(c.axis)
	off := d.Sub(c.axis.Mul(along))
	across := off.Len()
	if across*c.cos <= along*c.sin {
		return p
	}
	reach := along*c.cos + across*c.sin // along the nearest edge
	if reach <= 0 {
		return c.tip
	}
	return c.tip.Add(c.axis.Mul(reach * c.cos)).Add(off.Mul(reach * c.sin / across))
}

// extent is everywhere: a cone is cut by the ball of its range.
func (c cone) extent() (low, high geom.Vec3) { return everywhere() }

func everywhere() (low, high geom.Vec3) {
	inf := math.Inf(1)
	return geom.Vec3{-inf, -inf, -inf}, geom.Vec3{inf, inf, inf}
}

// MeetsTriangle tells whether a volume and a triangle share a point: a point goes to the farthest
// body in turn until it lies in all.
func (v *Volume) MeetsTriangle(c [3]geom.Vec3) bool {
	p := c[0].Add(c[1]).Add(c[2]).Mul(1.0 / 3)
	for range 60 {
		far := math.Inf(-1)
		var worst convex
		for _, part := range v.parts {
			if d := part.distance(p); d > far {
				far, worst = d, part
			}
		}
		if worst == nil || far <= 1e-4 {
			return true
		}
		next := NearestOnTriangle(worst.nearest(p), c)
		if next.Sub(p).Len() < 1e-5 {
			return false
		}
		p = next
	}
	return false
}

// NearestOnTriangle is the point of a triangle nearest to p (Ericson, "Real-Time Collision
// Detection", 2005, 5.1.5).
func NearestOnTriangle(p geom.Vec3, c [3]geom.Vec3) geom.Vec3 {
	ab, ac, ap := c[1].Sub(c[0]), c[2].Sub(c[0]), p.Sub(c[0])
	d1, d2 := ab.Dot(ap), ac.Dot(ap)
	if d1 <= 0 && d2 <= 0 {
		return c[0]
	}
	bp := p.Sub(c[1])
	d3, d4 := ab.Dot(bp), ac.Dot(bp)
	if d3 >= 0 && d4 <= d3 {
		return c[1]
	}
	if vc := d1*d4 - d3*d2; vc <= 0 && d1 >= 0 && d3 <= 0 {
		return c[0].Add(ab.Mul(d1 / (d1 - d3)))
	}
	cp := p.Sub(c[2])
	d5, d6 := ab.Dot(cp), ac.Dot(cp)
	if d6 >= 0 && d5 <= d6 {
		return c[2]
	}
	if vb := d5*d2 - d1*d6; vb <= 0 && d2 >= 0 && d6 <= 0 {
		return c[0].Add(ac.Mul(d2 / (d2 - d6)))
	}
	if va := d3*d6 - d5*d4; va <= 0 && d4-d3 >= 0 && d5-d6 >= 0 {
		return c[1].Add(c[2].Sub(c[1]).Mul((d4 - d3) / ((d4 - d3) + (d5 - d6))))
	}
	va, vb, vc := d3*d6-d5*d4, d5*d2-d1*d6, d1*d4-d3*d2
	sum := 1 / (va + vb + vc)
	return c[0].Add(ab.Mul(vb * sum)).Add(ac.Mul(vc * sum))
}

// BoxVolume is all of a box.
func BoxVolume(b geom.Bounds) Volume {
	v := Volume{Middle: b.Min.Add(b.Max).Mul(0.5)}
	for axis := range 3 {
		n := geom.Vec3{}
		n[axis] = 1
		v.parts = append(v.parts, half{n, b.Max[axis]}, half{n.Mul(-1), -b.Min[axis]})
	}
	return v
}
