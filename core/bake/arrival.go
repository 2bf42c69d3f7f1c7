package bake

import (
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/source"
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
		if s.Weight == (color.Linear{}) || !s.IsBeam() {
			continue
		}
		if toward, unit := s.InAir(p.Scene, at, arrivalSamples, 0); unit != (color.Linear{}) {
			all = append(all, Arrival{toward, s.Weight.Mul(unit)})
		}
	}
	return all
}

// Ambient is the even light at a point, in lux.
func (p *Prepared) Ambient(at geom.Vec3) color.Linear {
	var sum color.Linear
	r := source.Receiver{Point: at, Origin: at}
	for i := range p.Sources {
		if s := &p.Sources[i]; s.IsAmbient() {
			unit, _ := s.Direct(p.Scene, &r, source.Steady(1), 0)
			sum = sum.Add(s.Weight.Mul(unit))
		}
	}
	return sum
}
