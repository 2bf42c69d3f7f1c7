package bake

import (
	"slices"
	"testing"

	"grotta/core/color"
	"grotta/core/geom"
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
		if s.isSky() {
			continue
		}
		unit, _ := s.direct(p.Scene, &r, q.Samples(), turn(s.seed(), t.Index))
		sum = sum.Add(s.Weight.Mul(unit))
	}
	return sum
}

// GatherRays are the rays that all texels send for bounces and sky, in the order
// in which they are sent.
func (p *Prepared) GatherRays(q Quality) (rays []trace.Ray) {
	for texels := range slices.Chunk(p.Texels.List, block) {
		eachRay(texels, q.Rays(), func(i int, dir geom.Vec3) { rays = append(rays, rayAlong(&texels[i], dir)) })
	}
	return rays
}

// InGroupsOf sets how many texels go together, until the end of a test.
func InGroupsOf(t testing.TB, n int) {
	was := groupTexels
	groupTexels = n
	t.Cleanup(func() { groupTexels = was })
}
