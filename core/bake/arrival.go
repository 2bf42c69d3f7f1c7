package bake

import (
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// Arrival is the light of one source at a point in the air, on a surface that
// would face it, in lux; it comes from about one direction.
type Arrival struct {
	Toward geom.Vec3
	Light  color.Linear
}

// arrivalSamples is how many shadow rays go to a source with a size.
const arrivalSamples = 16

// Arrivals are the sources that shine on a point by themselves: lights, sun and
// moon. Sky and shining surfaces are seen by rays and are not among them.
func (p *Prepared) Arrivals(at geom.Vec3) []Arrival {
	var all []Arrival
	for i := range p.Sources {
		s := &p.Sources[i]
		if s.Weight == (color.Linear{}) {
			continue
		}
		switch s.shape.Kind {
		case AmbientKind, SkyKind, EmissiveKind:
			continue
		}
		if toward, unit := s.InAir(p.Scene, at, arrivalSamples, 0); unit != (color.Linear{}) {
			all = append(all, Arrival{toward, s.Weight.Mul(unit)})
		}
	}
	return all
}

// InAir is a light's, sun's or moon's light at a point in the air for unit
// strength, on a surface that would face it, in lux; and the direction toward it.
// A point nearer to a light's middle than leastM counts as that far from it.
func (s *Source) InAir(sc *scene.Scene, at geom.Vec3, samples int, leastM float64) (toward geom.Vec3, unit color.Linear) {
	toward = s.shape.Aim.Mul(-1)
	if s.shape.Kind != level.Directional && s.shape.Kind != level.BoxLight {
		to := s.shape.Position.Sub(at)
		d, least := to.Len(), max(leastM, 1e-4)
		if toward = (geom.Vec3{0, 1, 0}); d > 1e-6 {
			toward = to.Mul(1 / d)
		}
		if d < least {
			at = s.shape.Position.Sub(toward.Mul(least))
		}
	}
	r := receiver{point: at, origin: at, normal: toward}
	unit, _ = s.direct(sc, &r, careful(samples), 0)
	return toward, unit
}

// Ambient is the even light at a point, in lux.
func (p *Prepared) Ambient(at geom.Vec3) color.Linear {
	var sum color.Linear
	for i := range p.Sources {
		if s := &p.Sources[i]; s.shape.Kind == AmbientKind && s.zones.holds(at, s.shape.Zone) {
			sum = sum.Add(s.Weight)
		}
	}
	return sum
}
