package scene

import (
	"cmp"
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// Water is a block that water fills.
type Water struct {
	*level.Water
	scene *Scene
	body  *Body
	fades color.Linear
}

// isWater tells whether a surface bounds water in a block.
func (s *Scene) isWater(f *Surface) bool { return f.Body().filled }

// TakesLight tells whether a surface has texels. The sides of water have none: light goes through them.
func (s *Scene) TakesLight(f *Surface) bool {
	return f.Finish().Roles.ReceivesLight && (!s.isWater(f) || s.Normal(f)[1] > 0.5)
}

// WaterOf is the water that a surface bounds; nil for other surfaces.
func (s *Scene) WaterOf(f *Surface) *Water {
	if !s.isWater(f) {
		return nil
	}
	for i := range s.Waters {
		if s.Waters[i].body == f.Body() {
			return &s.Waters[i]
		}
	}
	return nil
}

// findWaters lists the blocks that water fills, in the order of the document.
func (s *Scene) findWaters() {
	for i := range s.bodies {
		b := &s.bodies[i]
		if b.corners == b.cornersEnd {
			continue
		}
		if f := &s.Surfaces[s.SurfaceOf[b.first]]; s.isWater(f) && f.Finish().Roles.Visible {
			w := f.Finish().Material.Water
			s.Waters = append(s.Waters, Water{w, s, b, w.Fades()})
		}
	}
}

// Through is the share of light that is left after so many metres of it.
func (w *Water) Through(metres float64) color.Linear {
	return color.Linear{math.Exp(-w.fades[0] * metres), math.Exp(-w.fades[1] * metres), math.Exp(-w.fades[2] * metres)}
}

// ID is that of the block.
func (w *Water) ID() string { return w.body.Entity }

// Planes calls visit with the planes that bound it: points p with normal·p <= distance are within.
func (w *Water) Planes(visit func(normal geom.Vec3, distance float64)) {
	for i := range cmp.Or(len(w.body.Solid.Planes), 6) {
		if d := w.scene.distances[int(w.body.distances)+i]; !math.IsInf(d, 1) {
			visit(w.scene.normalOf(w.body, i), d)
		}
	}
}

// Span is the part of a ray, in units of its direction, that lies within the water, and the normal of the plane by which
// it leaves; it ends before it begins where there is none.
func (w *Water) Span(from, dir geom.Vec3) (in, out float64, leaves geom.Vec3) {
	in, out = math.Inf(-1), math.Inf(1)
	w.Planes(func(n geom.Vec3, distance float64) {
		above, along := n.Dot(from)-distance, n.Dot(dir)
		switch {
		case along > 0:
			if t := -above / along; t < out {
				out, leaves = t, n
			}
		case along < 0:
			in = max(in, -above/along)
		case above > 0:
			out = math.Inf(-1)
		}
	})
	return in, out, leaves
}

// BetweenWater is the share of light that is left on its way along a unit direction for so many metres, where it goes
// through water. Water about the start counts nothing: seen from within it is clear.
func (s *Scene) BetweenWater(from, dir geom.Vec3, distance float64) color.Linear {
	left := color.White
	for i := range s.Waters {
		w := &s.Waters[i]
		if in, out, _ := w.Span(from, dir); in > 0 && in < out && in < distance {
			left = left.Mul(w.Through(min(out, distance) - in))
		}
	}
	return left
}

// UnderWater is the share of the light on a surface at a point that comes through water above it: what enters the water,
// less what the water takes away straight up from there (the diffuse attenuation of irradiance; Kirk, "Light and
// Photosynthesis in Aquatic Ecosystems", 2011). White where there is none.
func (s *Scene) UnderWater(p geom.Vec3) color.Linear {
	share := color.White
	for i := range s.Waters {
		w := &s.Waters[i]
		if in, out, _ := w.Span(p, geom.Vec3{0, 1, 0}); in <= 0 && out > 0 {
			share = share.Mul(w.Through(out)).Scale(level.Entering())
		}
	}
	return share
}
