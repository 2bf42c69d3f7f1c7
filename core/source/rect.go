package source

import (
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// rect is a shining rectangle, on one side.
type rect struct {
	shape
	polygon polygon
}

func newRect(s shape, light *level.Light, pose geom.Pose, _ *level.Level) kind {
	s.RadiusM = 0
	s.Right, s.Up = across(pose)
	s.Width, s.Height = light.WidthM, light.HeightM
	corner := func(x, y float64) geom.Vec3 {
		return pose.Position.Add(s.Right.Mul(x * light.WidthM / 2)).Add(s.Up.Mul(y * light.HeightM / 2))
	}
	return &rect{s, newPolygon([]geom.Vec3{corner(-1, -1), corner(-1, 1), corner(1, 1), corner(1, -1)})}
}

func (k *rect) parameters() *shape { return &k.shape }
func (k *rect) reachM() float64    { return k.rangeOrEndless() }
func (k *rect) isSoft() bool       { return true }
func (k *rect) isWindow() bool     { return false }
func (k *rect) isParallel() bool   { return false }

func (k *rect) lets(_, _ geom.Vec3) bool { return true }

// unblocked is Lambert's polygon formula, windowed to the range.
func (k *rect) unblocked(p, n geom.Vec3) (arrival, bool) {
	to := k.Position.Sub(p)
	d := to.Len()
	if k.RangeM > 0 && d >= k.RangeM {
		return arrival{}, false
	}
	a := arrival{toward: to.Mul(1 / max(d, 1e-9)), distance: d, tint: color.White}
	a.lux = k.polygon.irradiance(p, n) * k.window(d)
	return a, a.lux > 0
}

func (k *rect) light(sc *scene.Scene, r Receiver, e Effort, turn float64) got {
	return cast(k, sc, r, e, turn)
}

func (k *rect) cone(arrival, float64) cone { return cone{cosMax: 1} }

func (k *rect) toward(r Receiver, _ arrival, _ cone, i, _ int, turn float64) (dir geom.Vec3, distance, weight float64) {
	at := k.polygon.point(i, turn)
	dir, distance, weight = aim(r, k.Position.Add(at.Sub(k.Position).Mul(k.Shadows.Softness)))
	return dir, distance, weight * max(0, -dir.Dot(k.Aim))
}

// aim is the direction from a place to a spot of a source, how far it is, and the cosine
// at the place over the square of that.
func aim(r Receiver, at geom.Vec3) (dir geom.Vec3, distance, weight float64) {
	to := at.Sub(r.Origin)
	d := max(to.Len(), 1e-6)
	to = to.Mul(1 / d)
	return to, d, to.Dot(r.Normal) / (d * d)
}

// free is short of the rectangle by the near distance.
func (k *rect) free(_, _ geom.Vec3, distance float64) float64 {
	return max(distance-max(k.Shadows.NearM, scene.OffsetM), 0)
}

func (k *rect) whyNothing(r Receiver) string { return k.whyFar(r, "the point is behind it") }
