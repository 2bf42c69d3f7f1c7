package bake

import (
	"grotta/core/color"
	"grotta/core/lightmap"
)

// UnmixedIrradiance reckons a texel's direct light in float64 without layers or
// half-floats, with the same shadow samples as the bake takes.
func (p *Prepared) UnmixedIrradiance(t *lightmap.Texel, q Quality) color.Linear {
	var sum color.Linear
	r := receiverOf(t)
	for i := range p.Sources {
		s := &p.Sources[i]
		if s.isSmooth() {
			continue
		}
		unit, _ := s.direct(p.Scene, &r, q.Samples(), turn(s.seed(), t.Index))
		sum = sum.Add(s.Weight.Mul(unit))
	}
	return sum
}
