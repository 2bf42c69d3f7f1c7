package source

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// tube is a shining cylinder along its own X; its length is the width of its shape.
type tube struct{ shape }

// minTubeM is the radius of a tube that has none, in metres.
const minTubeM = 0.01

func newTube(s shape, light *level.Light, pose geom.Pose, _ *level.Level) kind {
	s.Aim, s.Width = geom.Vec3{}, light.LengthM
	s.Right, _ = across(pose)
	s.RadiusM = max(light.RadiusM, minTubeM)
	return &tube{s}
}

func (t *tube) parameters() *shape { return &t.shape }
func (t *tube) reachM() float64    { return t.rangeOrEndless() }
func (t *tube) isSoft() bool       { return true }
func (t *tube) isWindow() bool     { return false }
func (t *tube) isParallel() bool   { return false }

func (t *tube) lets(_, _ geom.Vec3) bool { return true }

// unblocked is the integral of a thin cylinder along its axis, windowed to the range.
func (t *tube) unblocked(p, n geom.Vec3) (arrival, bool) {
	to := t.Position.Sub(p)
	d := to.Len()
	if t.RangeM > 0 && d >= t.RangeM {
		return arrival{}, false
	}
	a := arrival{toward: to.Mul(1 / max(d, 1e-9)), distance: d, tint: color.White}
	a.lux = t.irradiance(p, n) * t.window(d)
	return a, a.lux > 0
}

// irradiance is the irradiance by a thin cylinder of radius r and radiance 1: it shows
// a breadth of 2 r sin φ, so the integral along its axis is that of cos θ d / D⁴,
// which has a closed form. The part below the horizon is cut off. Its error is of
// the order of (r/d)², and d counts as at least r.
func (t *tube) irradiance(p, n geom.Vec3) float64 {
	a := t.Position.Sub(t.Right.Mul(t.Width / 2)).Sub(p)
	l1, l2 := a.Dot(t.Right), a.Dot(t.Right)+t.Width
	foot := a.Sub(t.Right.Mul(l1)) // of the axis, nearest the point
	height, slope := foot.Dot(n), t.Right.Dot(n)
	if h1, h2 := height+l1*slope, height+l2*slope; h1 < 0 && h2 < 0 {
		return 0
	} else if h1 < 0 {
		l1 = -height / slope
	} else if h2 < 0 {
		l2 = -height / slope
	}
	d := max(foot.Len(), t.RadiusM)
	along := func(l float64) float64 { return l/(d*(d*d+l*l)) + math.Atan(l/d)/(d*d) }
	across := func(l float64) float64 { return l * l / (d * (d*d + l*l)) }
	return max(0, t.RadiusM*((along(l2)-along(l1))*height+(across(l2)-across(l1))*slope))
}

func (t *tube) light(sc *scene.Scene, r Receiver, e Effort, turn float64) got {
	return cast(t, sc, r, e, turn)
}

func (t *tube) cone(arrival, float64) cone { return cone{cosMax: 1} }

func (t *tube) toward(r Receiver, _ arrival, _ cone, i, samples int, turn float64) (dir geom.Vec3, distance, weight float64) {
	_, u := math.Modf((float64(i)+0.5)/float64(samples) + turn/(2*math.Pi))
	dir, distance, weight = aim(r, t.Position.Add(t.Right.Mul((u-0.5)*t.Width*t.Shadows.Softness)))
	slant := dir.Dot(t.Right)
	return dir, distance, weight * math.Sqrt(max(0, 1-slant*slant))
}

// free is short of the tube by the near distance.
func (t *tube) free(_, _ geom.Vec3, distance float64) float64 {
	return max(distance-max(t.Shadows.NearM-t.RadiusM, 0), 0)
}

func (t *tube) whyNothing(r Receiver) string { return t.whyFar(r, "nothing of it arrives") }
