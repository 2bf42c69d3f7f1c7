package ledger

import (
	"math"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/source"
)

// A narrow spot lights a small place, which paths rarely meet. So each place on a path also looks for
// light of it by a ray from the spot. The two ways are weighed by the balance heuristic (Veach and
// Guibas, "Optimally combining sampling techniques for Monte Carlo rendering", 1995).

// cone is a narrow spot among the sources.
type cone struct {
	source int
	at     geom.Vec3
	axis   sampling.Frame
	cosMax float64
	solid  float64 // angle
}

// narrowSr is the solid angle up to which a spot is narrow.
const narrowSr = 1.0

// conesOf lists the narrow spots among some sources, by the number of the source; nil for the others.
func conesOf(p *bake.Prepared, lit []int) []*cone {
	cones := make([]*cone, len(p.Sources))
	for _, i := range lit {
		at, aim, cosOuter, ok := p.Sources[i].Cone()
		if solid := 2 * math.Pi * (1 - cosOuter); ok && solid > 0 && solid < narrowSr {
			cones[i] = &cone{i, at, sampling.FrameOf(aim), cosOuter, solid}
		}
	}
	return cones
}

// bounced is the light of the spot on a place that comes by one place more. a and b are 0 to 1.
func (c *cone) bounced(p *bake.Prepared, r *source.Receiver, a, b, side, turn float64) (light color.Linear) {
	cos := 1 - a*(1-c.cosMax)
	sin := math.Sqrt(max(0, 1-cos*cos))
	dir := c.axis.Toward(&geom.Vec3{sin * math.Cos(2*math.Pi*b), sin * math.Sin(2*math.Pi*b), cos})
	bright, albedo, share, ok := meetLit(p, c.at, dir)
	if !ok {
		return light
	}
	shows := bright
	if side < share {
		shows = otherSide(&bright)
	}
	to := shows.Origin.Sub(r.Origin)
	d := to.Len()
	cosHere, cosThere := to.Dot(r.Normal)/d, -to.Dot(shows.Normal)/d
	if d == 0 || cosHere <= 0 || cosThere <= 0 || p.Scene.Blocked(r.Origin, shows.Origin) {
		return light
	}
	lux, _ := p.Sources[c.source].Direct(p.Scene, &bright, source.Steady(pathSamples), turn)
	density := c.density(p, &bright, d*d/cosThere)
	if density == 0 {
		return light
	}
	byCosine := cosHere / math.Pi
	return albedo.Mul(lux).Scale(byCosine / (density + byCosine))
}

// density is how likely rays from the spot find a lit place, for each steradian that it fills seen from
// another place; area is the area of one steradian there.
func (c *cone) density(p *bake.Prepared, lit *source.Receiver, area float64) float64 {
	to := c.at.Sub(lit.Point)
	d := to.Len()
	if -to.Dot(c.axis.N) < c.cosMax*d || p.Scene.Blocked(lit.Origin, lit.Origin.Add(to.Mul(1-scene.OffsetM/d))) {
		return 0
	}
	return max(0, to.Dot(lit.Normal)) / (d * d * d) * area / c.solid
}
