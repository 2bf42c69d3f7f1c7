package shot

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// Water is seen as its surface, which mirrors and sends back what deep water scatters, and what is beneath it, tinted by
// the water between. Rays are not bent at the surface. Seen from within, water is clear.

// basinM is how far behind the end of the water a surface still counts as beneath it: the ground that it stands on.
const basinM = 0.02

// flatFrom is the cosine to straight up from which on a surface of water has waves.
const flatFrom = 0.99

// onWater is the radiance of a place on the surface of water along a unit direction.
func (e *Eye) onWater(hit *scene.Seen, w *scene.Water, dir geom.Vec3) color.Linear {
	surface := &e.p.Scene.Surfaces[hit.Surface]
	n := e.p.Scene.Normal(surface)
	if dir.Dot(n) >= 0 { // from within
		light, _ := e.lookAmong(e.scene.SeeThroughWater, hit.Point, dir)
		return light
	}
	material := surface.Finish().Material
	if n[1] > flatFrom {
		n, material = e.waves(hit, w, n, material, dir)
	}
	matt, shown := 1.0, color.Linear{}
	if e.Mirrors != nil {
		matt, shown = e.mirrored(hit.Point, n, material, surface.Finish().Albedo, dir)
	}
	var scattered color.Linear
	if lux, ok := e.luxOn(hit); ok {
		scattered = surface.Finish().Albedo.Mul(e.limit(lux.Scale(1 / math.Pi)))
	}
	return shown.Add(e.beneath(hit, w, dir, matt, scattered))
}

// waves turns a normal as waves have it. What of them is finer than a pixel makes the surface rougher instead: the
// variance of a slope is half the square of the roughness of a lobe (Toksvig, "Mipmapping normal maps", 2005).
func (e *Eye) waves(hit *scene.Seen, w *scene.Water, n geom.Vec3, m *level.Material, dir geom.Vec3) (geom.Vec3, *level.Material) {
	pixel := hit.Distance * e.pixel / max(-dir.Dot(n), leastCosine)
	x, z, variance := w.Slope(hit.Point[0], hit.Point[2], e.seconds, e.wind[0], e.wind[2], pixel)
	rough := *m
	rough.Roughness = math.Pow(math.Pow(m.Roughness, 4)+2*variance, 0.25)
	n = geom.Vec3{-x, 1, -z}.Normalize()
	if away := -dir.Dot(n); away < leastCosine { // a slope that faces away is behind the one before it
		n = n.Sub(dir.Mul(leastCosine - away)).Normalize()
	}
	return n, &rough
}

// leastCosine is the least cosine at which water is seen.
const leastCosine = 0.02

// beneath is what is seen through the surface of water, of which a share goes through, with what the water scatters.
// Past the bottom of water, and where there is nothing, it is so deep that nothing is left.
func (e *Eye) beneath(hit *scene.Seen, w *scene.Water, dir geom.Vec3, share float64, scattered color.Linear) color.Linear {
	_, end, leaves := w.Span(hit.Point, dir)
	below, ok := e.scene.SeeThroughWater(hit.Point, dir, far)
	if !ok || below.Distance > end+basinM && leaves[1] < bottomFrom {
		return scattered.Scale(share)
	}
	left := e.p.Scene.BetweenWater(hit.Point.Sub(dir.Mul(hit.Distance)), dir, hit.Distance+below.Distance)
	seen := e.radiance(&below, dir).Mul(left)
	return seen.Add(scattered.Scale(1 - mean(left))).Scale(share)
}

// bottomFrom is the height of a normal below which a face is the bottom of water.
const bottomFrom = -0.5

func mean(c color.Linear) float64 { return (c[0] + c[1] + c[2]) / 3 }

// inPuddle is the normal and the material of a place of the ground, where water stands on it.
func (e *Eye) inPuddle(at, n geom.Vec3, m *level.Material) (geom.Vec3, *level.Material) {
	share := 0.0
	if n[1] > 0 {
		share = e.p.Scene.Puddles().At(at)
	}
	if share == 0 {
		return n, m
	}
	wet := *m
	wet.Roughness += share * (level.WaterRoughness - m.Roughness)
	return n.Mul(1 - share).Add(geom.Vec3{0, share, 0}).Normalize(), &wet
}
