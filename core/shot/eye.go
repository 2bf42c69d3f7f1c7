package shot

import (
	"math"

	"grotta/core/air"
	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/mirror"
	"grotta/core/scene"
	"grotta/core/sky"
	"grotta/core/source"
)

// Eye sees a level's surfaces and sky under a lightmap, without air and look.
type Eye struct {
	// Moving is the light on a surface that takes no lightmap because it moves, in
	// lux; where it is nil it is computed at the point itself.
	Moving func(at, normal geom.Vec3) color.Linear

	// Mirrors are what is seen around the level's reflections; where it is nil nothing mirrors.
	Mirrors *mirror.Set

	// LightMax is the most light on a surface that is shown, as the nits of a white
	// one, on each channel; 0 is no limit.
	LightMax float64

	p        *bake.Prepared
	scene    *scene.Scene // p's, or as the wind has it
	lightmap *layer.Image
	sky      *sky.Sky
	discs    []air.ReadyDisc

	seconds float64   // when water's waves are where they are
	wind    geom.Vec3 // metres a second
	pixel   float64   // metres of a pixel that is a metre away

	lamps     []lamp
	leastLamp float64 // nits
}

// NewEye makes one. Without a lightmap light is computed at each point, as on moving surfaces.
func NewEye(p *bake.Prepared, lightmap *layer.Image) *Eye {
	return &Eye{p: p, scene: p.Scene, lightmap: lightmap, sky: sky.OfLevel(p.Scene.Level), wind: air.Wind(p.Scene.Level), pixel: coarsePixel}
}

// coarsePixel is that of an eye whose pixels are not known.
const coarsePixel = 0.005

// movingPaths is how many paths bring bounced light to a moving surface where no
// probe does.
const movingPaths = 8

// OnMoving is the light on a moving surface, in lux.
func (e *Eye) OnMoving(at, normal geom.Vec3) color.Linear {
	if e.Moving != nil {
		return e.Moving(at, normal)
	}
	return ledger.Light(e.p, at.Add(normal.Mul(scene.OffsetM)), normal, bake.Draft.Samples(), movingPaths)
}

// Radiance is what comes to a point along a unit direction, in nits.
func (e *Eye) Radiance(from, dir geom.Vec3) color.Linear {
	light, _ := e.look(from, dir)
	return light
}

// look is the radiance along a ray, and how far it goes.
func (e *Eye) look(from, dir geom.Vec3) (color.Linear, float64) {
	return e.lookAmong(e.scene.See, from, dir)
}

// lookAmong is look among what a way of seeing finds.
func (e *Eye) lookAmong(see func(from, dir geom.Vec3, far float64) (scene.Seen, bool), from, dir geom.Vec3) (color.Linear, float64) {
	hit, ok := see(from, dir, far)
	if !ok {
		light := e.sky.Radiance(dir).Scale(e.p.Scene.Level.Environment.Sky.Luminance)
		for i := range e.discs {
			light = light.Add(e.discs[i].Along(dir))
		}
		return light, far
	}
	return e.radiance(&hit, dir), hit.Distance
}

// radiance is that of a place along the ray that sees it.
func (e *Eye) radiance(hit *scene.Seen, dir geom.Vec3) color.Linear {
	surface := &e.p.Scene.Surfaces[hit.Surface]
	if w := e.p.Scene.WaterOf(surface); w != nil {
		return e.onWater(hit, w, dir)
	}
	material := surface.Finish().Material
	albedo := e.p.Scene.AlbedoAt(hit.Triangle, hit.Point, hit.U, hit.V)
	light, matt := albedo.Scale(material.Emission), albedo
	if e.Mirrors != nil && mirror.Share(material.Roughness) > 0 {
		var shown color.Linear
		n, share := e.p.Scene.ShadingNormal(hit.Triangle, hit.Point), 1.0
		n, material = e.inPuddle(hit.Point, n, material)
		share, shown = e.mirrored(hit.Point, n, material, albedo, dir)
		matt, light = albedo.Scale(share), light.Add(shown)
	}
	// A matt surface of albedo a under E lux sends a E / π nits.
	if lux, ok := e.luxOn(hit); ok {
		light = light.Add(matt.Mul(e.limit(lux.Scale(1 / math.Pi))))
	}
	return light
}

// luxOn is the light on a place, if it takes any.
func (e *Eye) luxOn(hit *scene.Seen) (lux color.Linear, ok bool) {
	c := e.p.Layout.ChartOf[hit.Surface]
	if c >= 0 && e.lightmap != nil {
		chart := &e.p.Layout.Charts[c]
		x, y := chart.At(hit.Point)
		return e.lightmap.At(chart.Page(), x, y), true
	}
	if c < 0 && e.p.Scene.Surfaces[hit.Surface].Finish().Material.Lighting != "dynamic" {
		return lux, false
	}
	return e.OnMoving(hit.Point, e.p.Scene.ShadingNormal(hit.Triangle, hit.Point)), true
}

func (e *Eye) limit(nits color.Linear) color.Linear {
	if e.LightMax > 0 {
		for c := range nits {
			nits[c] = min(nits[c], e.LightMax)
		}
	}
	return nits
}

// mirrored is which share a surface keeps of its albedo beside its mirror, and the nits that it mirrors.
func (e *Eye) mirrored(at, n geom.Vec3, m *level.Material, albedo color.Linear, dir geom.Vec3) (share float64, shown color.Linear) {
	along := dir.Dot(n)
	share, weight := mirror.Split(m, albedo, math.Abs(along))
	shown = weight.Mul(e.Mirrors.Radiance(at, dir.Sub(n.Mul(2*along)), m.Roughness))
	if along > 0 {
		n = n.Mul(-1)
	}
	for i := range e.lamps {
		lamp := &e.lamps[i]
		to, radius := lamp.Toward(at)
		if lamp.RangeM > 0 && to.Dot(to) > lamp.RangeM*lamp.RangeM {
			continue
		}
		light := mirror.Highlight(m, albedo, n, dir.Mul(-1), to, radius).Mul(lamp.source.Weight)
		if light.Luminance() <= e.leastLamp*to.Dot(to) {
			continue // not to be seen, also with nothing in the way
		}
		_, lux := lamp.source.InAir(e.p.Scene, at.Add(n.Mul(scene.OffsetM)), 1, lamp.RadiusM)
		shown = shown.Add(light.Mul(lux))
	}
	return share, shown
}

// lamp is a source that mirrors show.
type lamp struct {
	source.Lamp
	source *source.Source
}

// showsLamps has mirrors show the level's lamps, those that would add no less than so many nits.
func (e *Eye) showsLamps(leastNits float64) {
	e.leastLamp, e.lamps = leastNits, nil
	for i := range e.p.Sources {
		s := &e.p.Sources[i]
		if l, ok := s.Lamp(); ok && s.Weight != (color.Linear{}) {
			e.lamps = append(e.lamps, lamp{l, s})
		}
	}
}
