package source

import (
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// dome is a light that shines evenly into one half-space.
type dome struct{ ball }

func newDome(s shape, _ *level.Light, _ geom.Pose, _ *level.Level) kind { return &dome{ball{shape: s}} }

// unblocked is a point's light, in the half-space that the dome aims at.
func (d *dome) unblocked(p, n geom.Vec3) (arrival, bool) {
	a, ok := d.arrive(p, n)
	if !ok {
		return a, false
	}
	if a.toward.Dot(d.Aim) >= 0 {
		a.lux = 0
	}
	return a, a.lux > 0
}

func (d *dome) light(sc *scene.Scene, r Receiver, e Effort, turn float64) got {
	return cast(d, sc, r, e, turn)
}

func (d *dome) whyNothing(r Receiver) string { return d.whyFar(r, "the point is behind it") }
