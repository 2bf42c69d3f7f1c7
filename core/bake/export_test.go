package bake

import (
	"grotta/core/color"
	"grotta/core/lightmap"
	"grotta/core/trace"
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

// GatherRays are the rays that some texels send for bounces and sky, in the order
// in which they are sent.
func (p *Prepared) GatherRays(texels []lightmap.Texel, q Quality) (rays []trace.Ray) {
	for i := range texels {
		t := &texels[i]
		about, fan := frameOf(t.Normal), fanOf(q.Rays(), turn(gatherSeed, t.Index))
		for k := range fan {
			rays = append(rays, rayAlong(t, about.turn(&fan[k])))
		}
	}
	return rays
}
