package source

import (
	"math"

	"grotta/core/geom"
)

// Lamp is a source as a ball that mirrors show.
type Lamp struct {
	At       geom.Vec3 // of its middle, metres; of the sun and the moon the direction toward it
	Parallel bool      // the sun or the moon
	RadiusM  float64   // of the sun and the moon its size at a distance of 1
	Aim      geom.Vec3
	CosInner float64 // of a spot, where it begins to fade; -1 of others
	CosOuter float64
	RangeM   float64 // 0 is endless
}

// leastLampM stands for the size of a lamp that has none.
const leastLampM = 0.03

// Lamp is what mirrors show of a source. Points, spots, the sun and the moon have one.
func (s *Source) Lamp() (Lamp, bool) {
	switch k := s.kind.(type) {
	case *point:
		return k.lamp(-1, -2), true
	case *spot:
		return k.lamp(k.CosInner, k.CosOuter), true
	case *directional:
		return Lamp{At: k.Aim.Mul(-1), Parallel: true, RadiusM: math.Tan(k.DiscRad), Aim: k.Aim, CosInner: -1, CosOuter: -2}, s.Kind == SunKind || s.Kind == MoonKind
	}
	return Lamp{}, false
}

func (b *ball) lamp(cosInner, cosOuter float64) Lamp {
	return Lamp{At: b.Position, RadiusM: max(b.RadiusM, leastLampM), Aim: b.Aim, CosInner: cosInner, CosOuter: cosOuter, RangeM: b.RangeM}
}

// Toward leads from a place to the middle of a lamp. The sun and the moon count as far away, and their
// radius with them.
func (l *Lamp) Toward(at geom.Vec3) (to geom.Vec3, radius float64) {
	if l.Parallel {
		return l.At, l.RadiusM
	}
	return l.At.Sub(at), l.RadiusM
}
