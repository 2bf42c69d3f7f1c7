package bake

import (
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/core/color"
	"grotta/core/direct"
	"grotta/core/gather"
	"grotta/core/lightmap"
	"grotta/core/source"
	"grotta/core/trace"
)

// UnmixedIrradiance computes the direct light of texels without layers, with the shadow samples
// of a draft.
func (p *Prepared) UnmixedIrradiance(t testing.TB) (sum []color.Linear) {
	sum = make([]color.Linear, len(p.Texels.List))
	lit, err := direct.Bake(t.Context(), p.Map, source.All(p.Sources), direct.Rays{Shadow: Draft.Samples()}, nil)
	require.NoError(t, err)
	for i := range p.Sources {
		var lux direct.Chunk
		for k := range p.Chunks() {
			if p.Sources[i].IsSky() || lit[i].IsDark(k) {
				continue
			}
			lit[i].Read(k, &lux)
			for j := range p.Chunk(k) {
				unit := color.Linear{float64(lux[0][j]), float64(lux[1][j]), float64(lux[2][j])}
				at := &sum[k*chunk+j]
				*at = at.Add(p.Sources[i].Weight.Mul(unit))
			}
		}
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
