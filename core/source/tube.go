package source

import (
	"math"

	"gonum.org/v1/gonum/integrate/quad"

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

// unblocked is what a shining cylinder sends, windowed to the range.
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

// irradiance is the irradiance by a cylinder of radius r and radiance 1, whose ends are dark. Seen
// from the point, the cylinder is made of lines along its axis. Each line has a closed form, and they
// are summed over the angle that the cylinder fills across its axis. An even step of the angle on the
// cylinder's own circle makes that sum smooth. The point's distance to the axis counts as r at least.
func (t *tube) irradiance(p, n geom.Vec3) float64 {
	a := t.Position.Sub(t.Right.Mul(t.Width / 2)).Sub(p)
	l1 := a.Dot(t.Right)
	l2 := l1 + t.Width
	foot := a.Sub(t.Right.Mul(l1)) // of the axis, nearest the point
	distance := foot.Len()
	toAxis := foot.Mul(1 / max(distance, 1e-12))
	side := t.Right.Cross(toAxis)
	d := max(distance, t.RadiusM*(1+1e-6))
	up, aside, slope := toAxis.Dot(n), side.Dot(n), t.Right.Dot(n)
	nodes := farTube
	if d < nearTube*t.RadiusM {
		nodes = closeTube
	}
	sum := 0.0
	for _, node := range nodes {
		sin := t.RadiusM / d * node.sin // of the line's angle to the axis, from the point
		cos := math.Sqrt(1 - sin*sin)
		rho := d*cos - t.RadiusM*node.cos // how far the line is
		sum += node.weight * t.RadiusM / d * node.cos / cos * line(rho, cos*up+sin*aside, slope, l1, l2)
	}
	return max(0, sum)
}

// line is the irradiance, for each radian across, by a line at a distance that shines evenly as part
// of a surface. It goes from l1 to l2 along its own direction, whose cosine to the receiver's normal is
// slope. up is that of the direction to its foot. What is below the horizon is cut off.
func line(distance, up, slope, l1, l2 float64) float64 {
	height := distance * up
	h1, h2 := height+l1*slope, height+l2*slope
	switch {
	case h1 <= 0 && h2 <= 0:
		return 0
	case h1 < 0:
		l1 = -height / slope
	case h2 < 0:
		l2 = -height / slope
	}
	q := distance * distance
	along := func(l float64) float64 { return (l*distance/(q+l*l) + math.Atan2(l, distance)) / 2 }
	return up*(along(l2)-along(l1)) + slope*(l2*l2/(q+l2*l2)-l1*l1/(q+l1*l1))/2
}

// nearTube is the distance in radii under which the lines of a tube are summed at more places.
const nearTube = 4

var farTube, closeTube = tubeNodes(4), tubeNodes(16)

// tubeNode is a place of Gauss's rule on the half circle of a tube that faces a point.
type tubeNode struct{ sin, cos, weight float64 }

func tubeNodes(count int) (nodes []tubeNode) {
	x, weights := make([]float64, count), make([]float64, count)
	quad.Legendre{}.FixedLocations(x, weights, -math.Pi/2, math.Pi/2)
	for i := range x {
		sin, cos := math.Sincos(x[i])
		nodes = append(nodes, tubeNode{sin, cos, weights[i]})
	}
	return nodes
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
