package bake

import (
	"grotta/core/color"
	"grotta/core/direct"
	"grotta/core/gather"
	"grotta/core/lightmap"
	"grotta/core/sampling"
	"grotta/core/source"
	"grotta/core/trace"
)

// UnmixedIrradiance computes a texel's direct light in float64 without layers or
// half-floats, with the shadow samples of a draft.
func (p *Prepared) UnmixedIrradiance(t *lightmap.Texel) color.Linear {
	var sum color.Linear
	r := direct.Receiver(p.Map, t)
	for i := range p.Sources {
		s := &p.Sources[i]
		if s.IsSky() {
			continue
		}
		unit, _ := s.Direct(p.Scene, &r, source.Careful(Draft.Samples()), sampling.TurnAt(s.Seed(), t.Origin))
		sum = sum.Add(s.Weight.Mul(unit))
	}
	return sum
}

// Light computes a source's direct light on a texel, with rays to all of the source.
func (p *Prepared) Light(s *source.Source, t *lightmap.Texel) color.Linear {
	r := direct.Receiver(p.Map, t)
	sum, _ := s.Sharp(p.Scene, &r, source.Careful(Good.Samples()), 1)
	return sum
}

// GatherRays are the rays that the texels of a good bake send for bounces and sky, in the
// order in which they are sent.
func (p *Prepared) GatherRays() (rays []trace.Ray) {
	gather.EachRay(p.Map, Good.Rays(), goodFans, func(r trace.Ray) { rays = append(rays, r) })
	return rays
}
