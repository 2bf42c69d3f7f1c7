package source

import (
	"fmt"
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/photometry"
	"grotta/core/scene"
)

// point is a light at a point, or a shining ball, to all sides.
type point struct{ ball }

func newPoint(s shape, light *level.Light, pose geom.Pose, l *level.Level) kind {
	profile := profileOf(&s, light, pose, l)
	if profile == nil {
		s.Aim = geom.Vec3{} // it shines alike to all sides
	}
	return &point{ball{s, profile}}
}

func (p *point) unblocked(at, n geom.Vec3) (arrival, bool) {
	a, ok := p.arrive(at, n)
	if !ok {
		return a, false
	}
	a.lux *= p.share(a.toward.Mul(-1))
	return a, a.lux > 0
}

func (p *point) light(sc *scene.Scene, r Receiver, e Effort, turn float64) got {
	return cast(p, sc, r, e, turn)
}

// ball is what point, spot and dome have in common: a point, or a ball with a radius.
type ball struct {
	shape
	profile *photometry.Profile // nil for evenly
}

func (b *ball) parameters() *shape { return &b.shape }
func (b *ball) reachM() float64    { return b.rangeOrEndless() }
func (b *ball) isSoft() bool       { return b.RadiusM > 0 }
func (b *ball) isWindow() bool     { return false }
func (b *ball) isParallel() bool   { return false }

func (b *ball) lets(_, _ geom.Vec3) bool { return true }

// arrive is what a ball sends to a point facing n, by its falloff: I cos θ / d², windowed
// by (1 - (d/range)^4) clamped to [0, 1] (glTF, KHR_lights_punctual); other falloffs take
// the place of 1/d². A ball of radius r has its radiance I / (π r²) over its disc, see
// discFactor.
func (b *ball) arrive(p, n geom.Vec3) (arrival, bool) {
	to := b.Position.Sub(p)
	d := to.Len()
	if b.RangeM > 0 && d >= b.RangeM {
		return arrival{}, false
	}
	d = max(d, b.RadiusM, 1e-4) // the inside of the ball is as bright as its skin
	a := arrival{toward: to.Mul(1 / d), distance: d, tint: color.White}
	cos := a.toward.Dot(n)
	if b.RadiusM == 0 {
		a.lux = cos / (d * d)
	} else {
		q := min(b.RadiusM/d, 1)
		a.lux = discFactor(cos, q*q) / (math.Pi * b.RadiusM * b.RadiusM)
	}
	if a.lux <= 0 {
		return a, false
	}
	a.lux *= b.falloff(d) * d * d
	return a, true
}

func (b *ball) cone(a arrival, turn float64) cone {
	return coneOf(a.toward, min(b.RadiusM*b.Shadows.Softness/a.distance, 0.99999), turn)
}

func (b *ball) toward(r Receiver, a arrival, c cone, i, samples int, _ float64) (dir geom.Vec3, distance, weight float64) {
	if samples == 1 || c.cosMax >= 1 {
		return a.toward, b.entry(1, a.distance), 1
	}
	dir, cos := c.direction(i, samples)
	return dir, b.entry(cos, a.distance), dir.Dot(r.Normal)
}

// entry is how far a ray goes to the skin of the ball, for a ray whose angle to
// the middle has this cosine.
func (b *ball) entry(cos, distance float64) float64 {
	under := b.RadiusM*b.RadiusM - distance*distance*(1-cos*cos)
	return distance*cos - math.Sqrt(max(0, under))
}

// free is short of the source by the near distance.
func (b *ball) free(_, _ geom.Vec3, distance float64) float64 {
	return max(distance-max(b.Shadows.NearM-b.RadiusM, 0), 0)
}

func (b *ball) whyNothing(r Receiver) string { return b.whyFar(r, "nothing of it arrives") }

// whyFar says whether range or facing are why nothing arrives from a place; else it is
// for another reason.
func (s *shape) whyFar(r Receiver, otherwise string) string {
	to := s.Position.Sub(r.Point)
	d := to.Len()
	switch {
	case s.RangeM > 0 && d >= s.RangeM:
		return fmt.Sprintf("it is %.2f m away and its range ends at %.2f m", d, s.RangeM)
	case to.Dot(r.Normal) <= 0:
		return "the surface faces away from it"
	}
	return otherwise
}

// rangeOrEndless is the range; infinite where it is 0.
func (s *shape) rangeOrEndless() float64 {
	if s.RangeM == 0 {
		return infinite
	}
	return s.RangeM
}

// falloff is what takes the place of 1/d², per square metre.
func (s *shape) falloff(d float64) float64 { return level.Falloff(s.Falloff, s.RangeM, s.Terms, d) }

// window brings the light to nothing at the range.
func (s *shape) window(d float64) float64 { return level.Window(s.RangeM, d) }
