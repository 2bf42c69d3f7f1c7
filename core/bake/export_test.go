package bake

import (
	"encoding/binary"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/lightmap"
)

// UnmixedIrradiance reckons a texel in float64 without layers or half-floats,
// with the same shadow samples as the bake takes.
func (p *Prepared) UnmixedIrradiance(t lightmap.Texel, n geom.Vec3, q Quality) color.Linear {
	var sum color.Linear
	for i := range p.Sources {
		s := &p.Sources[i]
		seed := binary.BigEndian.Uint64([]byte(p.Key(s, q)))
		unit, _ := s.direct(p.Scene, vec(t.Origin), n, q.Samples(), turn(seed, t.Index))
		sum = sum.Add(s.Weight.Scale(unit))
	}
	return sum
}
