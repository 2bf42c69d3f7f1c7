package source

import (
	"fmt"
	"math"

	"grotta/core/color"
	"grotta/core/digest"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/sky"
)

// skyKind is the sky, whole or one patch of it.
type skyKind struct {
	shape
	sky *sky.Sky
}

// appendSky adds the sky whole, or as patches of even light each. Patches do not
// depend on the sky at hand: another one is other weights.
func appendSky(all []Source, l *level.Level, whole *sky.Sky) []Source {
	e, on := &l.Environment, 0.0
	if e.Sky.Lights {
		on = 1
	}
	if !l.Lightmap.Patches {
		return append(all, Source{
			ID: SkyID, Name: "Sky", Kind: SkyKind, Color: color.White, Strength: e.Sky.Luminance,
			Weight: color.White.Scale(e.Sky.Luminance * on),
			kind:   &skyKind{shape{Kind: SkyKind, Sky: skyDigest(l), Patch: -1, BounceScale: 1}, whole},
		})
	}
	for i, mean := range whole.PatchMeans() {
		all = append(all, Source{
			ID: fmt.Sprintf("%s:%03d", SkyID, i), Name: "Sky", Kind: SkyKind, Group: SkyID, Color: mean, Strength: e.Sky.Luminance,
			Weight: mean.Scale(e.Sky.Luminance * on),
			kind:   &skyKind{shape{Kind: SkyKind, Patch: i, BounceScale: 1}, whole},
		})
	}
	return all
}

// skyDigest names what decides the layer of a whole sky. Colours that the kind of sky
// does not show are in it all the same; another one costs a bake that was not needed.
func skyDigest(l *level.Level) digest.Sum {
	e := &l.Environment
	w := digest.New("sky", digestVersion).Text(e.Sky.Kind).Float(e.Sky.RotationDeg)
	if image := l.Image(e.Sky.Image); e.Sky.Kind == level.SkyImage && image != nil {
		return w.Sum256(digest.Bytes(image.Data)).Sum()
	}
	w.Text(e.Sky.Color).Text(e.Sky.HorizonColor).Text(e.Sky.GroundColor)
	if e.Sky.Kind == level.SkyClear && e.Sun != nil {
		to := e.Sun.Toward()
		w.Float(to[:]...)
	}
	return w.Sum()
}

func (k *skyKind) parameters() *shape { return &k.shape }
func (k *skyKind) reachM() float64    { return infinite }
func (k *skyKind) isSoft() bool       { return false }

// isSampled tells whether it has spots that are much brighter than the rest.
func (k *skyKind) isSampled() bool { return k.Patch < 0 && k.sky.Sampled() }

// IsSky tells whether a source is the sky or a patch of it. Its direct light comes by the
// rays that gather bounces, but for the bright spots of an image.
func (s *Source) IsSky() bool {
	_, ok := s.kind.(*skyKind)
	return ok
}

// IsPatch tells whether a source is one patch of the sky.
func (s *Source) IsPatch() bool {
	k, ok := s.kind.(*skyKind)
	return ok && k.Patch >= 0
}

// EvenSky is what a sky sends from a unit direction, for unit strength, without what
// Sharp has of it. It is for sources that are a sky.
func (s *Source) EvenSky(dir geom.Vec3) color.Linear {
	k := s.kind.(*skyKind)
	if k.Patch < 0 {
		return k.sky.Even(dir)
	}
	return k.radiance(dir)
}

// radiance is what a sky sends from a direction, for unit strength.
func (k *skyKind) radiance(dir geom.Vec3) color.Linear {
	if k.Patch < 0 {
		return k.sky.Radiance(dir)
	}
	if sky.PatchOf(dir) == k.Patch {
		return color.White
	}
	return color.Linear{}
}

// light is the sky's light: over the hemisphere by the cosine, and for an image
// with bright spots half by those; the two are weighed by the balance heuristic
// (Veach and Guibas, "Optimally combining sampling techniques for Monte Carlo
// rendering", 1995). Its noise falls with the samples.
func (k *skyKind) light(sc *scene.Scene, r Receiver, e Effort, turn float64) got {
	samples := e.Samples
	var sum color.Linear
	u, v := geom.Axes(r.Normal)
	open, above := 0.0, 0.0
	bright := 0 // samples by brightness
	if k.isSampled() {
		bright = samples / 2
	}
	// add takes a direction and the density with which the brightness finds it.
	add := func(dir geom.Vec3, density float64) {
		cos := dir.Dot(r.Normal)
		if cos <= 0 {
			return
		}
		above++
		if !sc.BlockedAlong(r.Origin, dir, math.Inf(1)) {
			open++
			sum = sum.Add(k.radiance(dir).Scale(cos / (float64(bright)*density + float64(samples-bright)*cos/math.Pi)))
		}
	}
	for i := range bright {
		add(k.sky.Sample(sampling.Pair(i, bright, turn)))
	}
	for i := range samples - bright {
		a, b := sampling.Pair(i, samples-bright, turn)
		dir, density := sampling.CosineDirection(r.Normal, u, v, a, b), 0.0
		if bright > 0 {
			density = k.sky.Density(dir)
		}
		add(dir, density)
	}
	if above == 0 {
		return got{}
	}
	return gotShare(sum, open/above)
}

// sharp is what the bright spots have beyond the rest.
func (k *skyKind) sharp(sc *scene.Scene, r Receiver, e Effort, turn float64) got {
	var sum color.Linear
	if !k.isSampled() {
		return gotShare(sum, 1)
	}
	var room [mostPlaces]geom.Vec3
	steps := r.spread(&room, turn)
	for i := range e.Samples {
		dir, density := k.sky.Sample(sampling.Pair(i, e.Samples, turn))
		if cos := dir.Dot(r.Normal); cos > 0 && !sc.BlockedAlong(startOf(steps, r.Origin, i), dir, math.Inf(1)) {
			sum = sum.Add(k.sky.Bright(dir).Scale(cos / density / float64(e.Samples)))
		}
	}
	return gotShare(sum, 1)
}
