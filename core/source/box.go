package source

import (
	"math"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// box is parallel light through a rectangle.
type box struct{ shape }

func newBox(s shape, light *level.Light, pose geom.Pose, _ *level.Level) kind {
	s.RangeM, s.RadiusM = 0, 0
	s.DiscRad = light.AngularDeg / 2 * math.Pi / 180
	s.Right, s.Up = across(pose)
	s.Width, s.Height = light.WidthM, light.HeightM
	return &box{s}
}

func (b *box) parameters() *shape { return &b.shape }
func (b *box) reachM() float64    { return infinite }
func (b *box) isSoft() bool       { return b.DiscRad > 0 }
func (b *box) isWindow() bool     { return true }
func (b *box) isParallel() bool   { return true }

// unblocked is directional light, where the rectangle is in its way.
func (b *box) unblocked(p, n geom.Vec3) (arrival, bool) {
	if b.DiscRad == 0 && !b.lets(p, b.Aim.Mul(-1)) {
		return arrival{}, false
	}
	a := b.arrive(n)
	return a, a.lux > 0
}

func (b *box) light(sc *scene.Scene, r Receiver, e Effort, turn float64) got {
	return cast(b, sc, r, e, turn)
}

func (b *box) cone(a arrival, turn float64) cone { return b.discCone(a, turn) }

func (b *box) toward(r Receiver, a arrival, c cone, i, samples int, _ float64) (dir geom.Vec3, distance, weight float64) {
	return towardDisc(r, a, c, i, samples)
}

// lets tells whether a line from a point toward a direction passes the
// rectangle from its shining side.
func (b *box) lets(p, toward geom.Vec3) bool {
	cos := -toward.Dot(b.Aim)
	if cos <= 1e-9 {
		return false
	}
	to := b.Position.Sub(p)
	t := -to.Dot(b.Aim) / cos
	if t <= 0 {
		return false
	}
	off := toward.Mul(t).Sub(to)
	return math.Abs(off.Dot(b.Right)) <= b.Width/2 && math.Abs(off.Dot(b.Up)) <= b.Height/2
}

// isFine holds where the edge of its rectangle crosses a texel.
func (b *box) isFine(r *Receiver, half float64) bool {
	to := r.Point.Sub(b.Position)
	x, y := math.Abs(to.Dot(b.Right))-b.Width/2, math.Abs(to.Dot(b.Up))-b.Height/2
	return x < half && y < half && (x > -half || y > -half)
}

// free is as far as the rectangle.
func (b *box) free(p, dir geom.Vec3, _ float64) float64 {
	return max(b.Position.Sub(p).Dot(b.Aim)/dir.Dot(b.Aim)-b.Shadows.NearM, 0)
}

func (b *box) whyNothing(Receiver) string {
	return "the point is not in its beam, or faces away from it"
}
