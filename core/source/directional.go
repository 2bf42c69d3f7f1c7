package source

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// directional is parallel light, from a point of the sky or a disc in it: a light, the
// sun or the moon.
type directional struct{ shape }

func newDirectional(s shape, light *level.Light, _ geom.Pose, _ *level.Level) kind {
	s.Position, s.RangeM, s.RadiusM = geom.Vec3{}, 0, 0
	s.DiscRad = light.AngularDeg / 2 * math.Pi / 180
	return &directional{s}
}

// appendDisc adds the sun or the moon, where the level has it.
func appendDisc(all []Source, id, name, kind string, sun *level.Sun) []Source {
	if sun == nil {
		return all
	}
	to := sun.Toward()
	src := Source{ID: id, Name: name, Kind: kind, Color: sun.Hue(), Strength: sun.Lux, FogShare: sun.FogShare}
	src.kind = &directional{shape{Kind: level.Directional, Aim: to.Mul(-1), DiscRad: sun.AngularDeg / 2 * math.Pi / 180, Patch: -1, BounceScale: 1, Shadows: sun.Shadows}}
	if sun.Enabled && to[1] > 0 {
		src.Weight = src.Color.Scale(sun.Lux)
	}
	return append(all, src)
}

func (d *directional) parameters() *shape { return &d.shape }
func (d *directional) reachM() float64    { return infinite }
func (d *directional) isSoft() bool       { return d.DiscRad > 0 }
func (d *directional) isWindow() bool     { return false }
func (d *directional) isParallel() bool   { return true }

func (d *directional) lets(_, _ geom.Vec3) bool { return true }

// unblocked is E cos θ; with a disc, E / (π sin²) over the disc.
func (d *directional) unblocked(_, n geom.Vec3) (arrival, bool) {
	a := d.arrive(n)
	return a, a.lux > 0
}

// arrive is what a disc in the sky sends to a surface facing n.
func (s *shape) arrive(n geom.Vec3) arrival {
	a := arrival{toward: s.Aim.Mul(-1), distance: infinite, tint: color.White}
	if s.DiscRad == 0 {
		a.lux = a.toward.Dot(n)
	} else {
		sin := math.Sin(s.DiscRad)
		a.lux = discFactor(a.toward.Dot(n), sin*sin) / (math.Pi * sin * sin)
	}
	return a
}

func (d *directional) light(sc *scene.Scene, r Receiver, e Effort, turn float64) got {
	return cast(d, sc, r, e, turn)
}

func (d *directional) cone(a arrival, turn float64) cone { return d.discCone(a, turn) }

func (s *shape) discCone(a arrival, turn float64) cone {
	return coneOf(a.toward, math.Sin(min(s.DiscRad*s.Shadows.Softness, math.Pi/2)), turn)
}

func (d *directional) toward(r Receiver, a arrival, c cone, i, samples int, _ float64) (dir geom.Vec3, distance, weight float64) {
	return towardDisc(r, a, c, i, samples)
}

// towardDisc is the direction to sample i of a disc in the sky.
func towardDisc(r Receiver, a arrival, c cone, i, samples int) (dir geom.Vec3, distance, weight float64) {
	if samples == 1 || c.cosMax >= 1 {
		return a.toward, a.distance, 1
	}
	dir, _ = c.direction(i, samples)
	return dir, a.distance, dir.Dot(r.Normal)
}

// free has no end.
func (d *directional) free(_, _ geom.Vec3, _ float64) float64 { return infinite }

func (d *directional) whyNothing(Receiver) string { return "the surface faces away from it" }
