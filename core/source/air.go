package source

import (
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/scene"
)

// IsBeam tells whether a source shines from a place or a direction: a light, the sun or
// the moon, and not the sky, shining faces or ambient.
func (s *Source) IsBeam() bool {
	_, ok := s.kind.(beam)
	return ok
}

// InAir is a light's, sun's or moon's light at a point in the air for unit
// strength, on a surface that would face it, in lux; and the direction toward it.
// A point nearer to a light's middle than leastM counts as that far from it. It is for
// sources that are beams.
func (s *Source) InAir(sc *scene.Scene, at geom.Vec3, samples int, leastM float64) (toward geom.Vec3, unit color.Linear) {
	b := s.kind.(beam)
	p := b.parameters()
	toward = p.Aim.Mul(-1)
	if !b.isParallel() {
		to := p.Position.Sub(at)
		d, least := to.Len(), max(leastM, 1e-4)
		if toward = (geom.Vec3{0, 1, 0}); d > 1e-6 {
			toward = to.Mul(1 / d)
		}
		if d < least {
			at = p.Position.Sub(toward.Mul(least))
		}
	}
	r := Receiver{Point: at, Origin: at, Normal: toward}
	return toward, b.light(sc, r, Careful(samples), 0).lux
}

// Arrives tells whether anything of a beam would arrive at a place with nothing in the
// way, and why not where nothing does.
func (s *Source) Arrives(r *Receiver) (arrives bool, why string) {
	b := s.kind.(beam)
	if _, ok := b.unblocked(r.Point, r.Normal); ok {
		return true, ""
	}
	if (s.Kind == SunKind || s.Kind == MoonKind) && b.parameters().Aim[1] >= 0 {
		return false, "it is below the horizon"
	}
	return false, b.whyNothing(*r)
}

// Spots are places of a beam that a receiver may see, its middle first: where a ray from
// the receiver must get to unblocked. What has no end is cut at a distance.
func (s *Source) Spots(r *Receiver, endM float64) []geom.Vec3 {
	const samples = 64
	b := s.kind.(beam)
	a, ok := b.unblocked(r.Point, r.Normal)
	if !ok {
		return nil
	}
	end := func(dir geom.Vec3, distance float64) geom.Vec3 {
		return r.Origin.Add(dir.Mul(min(b.free(r.Origin, dir, distance), endM)))
	}
	skin := a.distance
	if k, round := s.kind.(interface {
		entry(cos, distance float64) float64
	}); round {
		skin = k.entry(1, a.distance)
	}
	spots := []geom.Vec3{end(a.toward, skin)}
	c := b.cone(a, 0)
	for i := range samples {
		if dir, distance, weight := b.toward(*r, a, c, i, samples, 0); weight > 0 {
			spots = append(spots, end(dir, distance))
		}
	}
	return spots
}
