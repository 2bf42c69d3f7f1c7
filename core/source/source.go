// Package source is everything that lights a level: lights, the sun and the moon, the
// sky, materials that shine, and the even light that stands for more. It says what each
// sends to a place, with rays for its shadows, and what its baked layer depends on.
//
// Each kind is a file with a type of its own behind the interface kind. To add one, add
// its file, and its line in newLight or in List. The kinds that shine from a place or a
// direction share how shadows are sampled (shadow.go). It knows nothing of lightmaps.
package source

import (
	"math"
	"slices"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
	"grotta/core/sky"
)

// Source is anything that lights: a light, the sun, the moon, the sky or a patch
// of it, a material that shines, or the ambient of the level or of a zone. Its
// Weight is what the mix multiplies its layer by.
type Source struct {
	ID       string
	Name     string
	Kind     string
	Group    string       // id under which sources are shown as one, such as the sky's patches
	Color    color.Linear // without its strength
	Strength float64      // whether it is on or off
	Weight   color.Linear // Color times Strength, or nothing where it is off
	Flicker  *level.Flicker
	FogShare float64 // how strongly lit fog shows it

	kind kind
}

// Kinds of sources that are no lights.
const (
	AmbientKind  = "ambient"
	SkyFillKind  = "sky_fill"
	SunKind      = "sun"
	MoonKind     = "moon"
	SkyKind      = "sky"
	EmissiveKind = "emissive"
)

// IDs of sources that are no entities. A zone's ambient has "ambient:" and the
// zone's id, its sky fill "sky_fill:" and that; a material that shines "emissive:" and
// the material's; a patch of the sky "sky:" and its number.
const (
	AmbientID = "ambient:level"
	SunID     = "sun"
	MoonID    = "moon"
	SkyID     = "sky"
)

// kind is how one kind of source lights.
type kind interface {
	// parameters are all that its layer depends on beside the scene.
	parameters() *shape
	// reachM is how far from its position it lights anything directly, in metres;
	// infinite where it has no end.
	reachM() float64
	// isSoft tells whether its shadows have penumbras.
	isSoft() bool
	// light is its light on a place. turn spins the pattern of samples.
	light(sc *scene.Scene, r Receiver, e Effort, turn float64) got
}

// List is what can light a level: lights in document order, then sun,
// moon, sky, shining materials and ambients. Lights that are off are there too,
// with no weight, so that they can be switched on by a mix.
func List(l *level.Level, sc *scene.Scene) []Source {
	var all []Source
	for _, light := range l.Lights {
		if light.Surfaces {
			all = append(all, newLight(l, sc.World.Pose(&light.Entity), light))
		}
	}
	all = appendDisc(all, SunID, "Sun", SunKind, l.Environment.Sun)
	all = appendDisc(all, MoonID, "Moon", MoonKind, l.Environment.Moon)
	whole := sky.OfLevel(l)
	all = appendSky(all, l, whole)
	all = appendEmissive(all, sc)
	return appendAmbient(all, l, whole)
}

// InFog lists what lit fog shows: lights, sun and moon with a fog share that
// are on. Their weight holds that share.
func InFog(l *level.Level, sc *scene.Scene) []Source {
	var all []Source
	for _, light := range l.Lights {
		if light.FogShare > 0 {
			all = append(all, newLight(l, sc.World.Pose(&light.Entity), light))
		}
	}
	all = appendDisc(all, SunID, "Sun", SunKind, l.Environment.Sun)
	all = appendDisc(all, MoonID, "Moon", MoonKind, l.Environment.Moon)
	all = slices.DeleteFunc(all, func(s Source) bool { return s.FogShare == 0 || s.Weight == (color.Linear{}) })
	for i := range all {
		all[i].Weight = all[i].Weight.Scale(all[i].FogShare)
	}
	return all
}

// newLight makes the source of a light. Its shape holds what all kinds have; the kind's
// own file takes the rest.
func newLight(l *level.Level, pose geom.Pose, light *level.Light) Source {
	s := shape{
		Kind: light.Kind, Position: pose.Position, Aim: pose.Forward(), Patch: -1,
		RangeM: light.RangeM, Falloff: light.Falloff, RadiusM: light.RadiusM,
		BounceScale: light.BounceScale, Shadows: light.Shadows,
	}
	if light.Falloff == level.Custom {
		s.Terms = light.FalloffTerms
	}
	src := Source{ID: light.ID, Name: nameOf(light.Name, light.ID), Kind: light.Kind,
		Color: l.Color(light), Strength: l.Strength(light), Weight: l.Radiant(light), Flicker: light.Flicker, FogShare: light.FogShare}
	src.kind = makers[light.Kind](s, light, pose, l)
	return src
}

// makers make each kind of light from what all kinds have. A validated level has no other.
var makers = map[string]func(s shape, light *level.Light, pose geom.Pose, l *level.Level) kind{
	level.Point:       newPoint,
	level.Spot:        newSpot,
	level.Dome:        newDome,
	level.Directional: newDirectional,
	level.BoxLight:    newBox,
	level.Rect:        newRect,
	level.Tube:        newTube,
}

// across are the axes across a light's own direction.
func across(pose geom.Pose) (right, up geom.Vec3) {
	return pose.Rotation.Rotate(geom.Vec3{1, 0, 0}), pose.Rotation.Rotate(geom.Vec3{0, 1, 0})
}

// All points to each source of a list.
func All(sources []Source) []*Source {
	out := make([]*Source, len(sources))
	for i := range sources {
		out[i] = &sources[i]
	}
	return out
}

// At are sources as they are at a time, in seconds: those that flicker weigh what
// they then do.
func At(sources []Source, seconds float64) []Source {
	out := slices.Clone(sources)
	for i := range out {
		if s := &out[i]; s.Flicker != nil {
			s.Weight = s.Weight.Scale(s.Flicker.At(seconds, s.ID))
		}
	}
	return out
}

func nameOf(name, id string) string {
	if name == "" {
		return id
	}
	return name
}

// Reach is where a source lights anything directly: within so many metres of a place,
// and, for the ambient of a zone, in its boxes alone.
func (s *Source) Reach() (at geom.Vec3, metres float64, boxes []level.Box) {
	p := s.kind.parameters()
	for _, z := range p.Zones {
		if z.ID == p.Zone {
			boxes = z.Boxes
			break
		}
	}
	return p.Position, s.kind.reachM(), boxes
}

// BounceScale multiplies what of its light comes by bounces; 0 for what does not bounce.
func (s *Source) BounceScale() float64 { return s.kind.parameters().BounceScale }

// IsSoft tells whether its shadows have penumbras.
func (s *Source) IsSoft() bool { return s.kind.isSoft() }

// Shadows are its shadow settings.
func (s *Source) Shadows() *level.Shadows { return &s.kind.parameters().Shadows }

// Channels is how many its direct light has: one where it is white, three where
// something tints it, none where all of it comes by EvenSky.
func (s *Source) Channels() int {
	switch k := s.kind.(type) {
	case *skyKind:
		if k.isSampled() {
			return 3
		}
		return 0
	case *spot:
		if k.gobo != nil {
			return 3
		}
	}
	return 1
}

// Direct is the source's light on a place, in lux for unit strength, and how much
// of it gets past what casts shadows, 0 to 1. turn spins the pattern of samples.
//
// What arrives with nothing in the way is a closed form, and rays find only the
// share that is blocked; so unshadowed places have no noise.
func (s *Source) Direct(sc *scene.Scene, r *Receiver, e Effort, turn float64) (lux color.Linear, visible float64) {
	g := s.kind.light(sc, *r, e, turn)
	return g.lux.Mul(sc.UnderWater(r.Origin)), g.Visible
}

// Sharp is the direct light that takes rays of its own in a lightmap: all of it, but
// of a sky only what its bright spots have beyond the rest.
func (s *Source) Sharp(sc *scene.Scene, r *Receiver, e Effort, turn float64) (color.Linear, Sight) {
	g := got{}
	if k, ok := s.kind.(*skyKind); ok {
		g = k.sharp(sc, *r, e, turn)
	} else {
		g = s.kind.light(sc, *r, e, turn)
	}
	return g.lux.Mul(sc.UnderWater(r.Origin)), g.Sight
}

// SharpOver is the mean of Sharp over the places of a texel, which share the samples.
func (s *Source) SharpOver(sc *scene.Scene, r *Receiver, samples int, turn float64) (lux color.Linear, sight Sight) {
	var room [mostPlaces]geom.Vec3
	steps := r.spread(&room, turn)
	n := len(steps)
	if n == 0 {
		return s.Sharp(sc, r, Steady(samples), turn)
	}
	share := 1 / float64(n)
	for k, step := range steps {
		place := r.At(step)
		one, its := s.Sharp(sc, &place, Effort{Samples: max(samples, n), Penumbra: max(samples, n), From: k, Step: n}, turn)
		lux = lux.Add(one.Scale(share))
		sight = Sight{sight.Arrives || its.Arrives, sight.Visible + share*its.Visible, sight.Seen + share*its.Seen}
	}
	return lux, sight
}

// IsFine tells whether the light that would arrive with nothing in the way may change so much
// within a texel that a few of its places do not show it.
func (s *Source) IsFine(r *Receiver) bool {
	f, ok := s.kind.(finer)
	return ok && r.Square != nil && f.isFine(r, r.Square.U.Add(r.Square.V).Len()/2)
}

// finer is a kind whose own light has edges. half is half the diagonal of the texel.
type finer interface {
	isFine(r *Receiver, half float64) bool
}

// infinite is the reach of what has no end.
var infinite = math.Inf(1)
