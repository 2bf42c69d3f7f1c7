package bake

import (
	"fmt"
	"math"
	"slices"

	"grotta/core/color"
	"grotta/core/digest"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/picture"
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

	shape    shape
	zones    ambientZones
	material string // the one that shines
	sky      *sky.Sky
	gobo     *picture.Picture
	goboSet  goboSettings
	polygons []polygon
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
// zone's id, its sky fill "sky_fill:" and that; a material that shines "emissive:" and the material's; a patch of
// the sky "sky:" and its number.
const (
	AmbientID = "ambient:level"
	SunID     = "sun"
	MoonID    = "moon"
	SkyID     = "sky"
)

// shape is all of a source that its layer depends on. It is hashed into the
// layer's key, so it holds neither strength nor colour of lights.
type shape struct {
	Kind          string
	Position, Aim geom.Vec3
	Right, Up     geom.Vec3
	RangeM        float64
	Falloff       string
	Terms         level.Vec
	CosInner      float64
	CosOuter      float64
	RadiusM       float64
	DiscRad       float64 // half the angular diameter
	Width, Height float64 // of a rect or box; a tube's length is its width
	BounceScale   float64
	Shadows       level.Shadows
	Gobo          digest.Sum  // what it projects, and how
	Sky           digest.Sum  // what of the sky decides its layer
	Emits         digest.Sum  // the faces of a material that shines
	Patch         int         // of the sky; -1 for all of it
	Zone          string      // ambient: where it holds; "" where no zone has its own
	Zones         []zoneShape // ambient: the zones that decide it
}

type zoneShape struct {
	ID       string
	Boxes    []level.Box
	Priority int
	Own      bool
}

// ambientZones tells which ambient holds at a point.
type ambientZones struct{ level *level.Level }

// Sources lists what can light a level: lights in document order, then sun,
// moon, sky, shining materials and ambients. Lights that are off are there too,
// with no weight, so that they can be switched on by a mix.
func Sources(l *level.Level, sc *scene.Scene) []Source {
	var all []Source
	for _, light := range l.Lights {
		if light.Surfaces {
			all = append(all, lightSource(l, sc.World.Pose(&light.Entity), light))
		}
	}
	all = appendDisc(all, SunID, "Sun", SunKind, l.Environment.Sun)
	all = appendDisc(all, MoonID, "Moon", MoonKind, l.Environment.Moon)
	all = appendSky(all, l)
	all = appendEmissive(all, sc)
	return appendAmbient(all, l, sky.OfLevel(l))
}

// FogSources lists what lit fog shows: lights, sun and moon with a fog share that
// are on. Their weight holds that share.
func FogSources(l *level.Level, sc *scene.Scene) []Source {
	var all []Source
	for _, light := range l.Lights {
		if light.FogShare > 0 {
			all = append(all, lightSource(l, sc.World.Pose(&light.Entity), light))
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

func lightSource(l *level.Level, pose geom.Pose, light *level.Light) Source {
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
	right, up := pose.Rotation.Rotate(geom.Vec3{1, 0, 0}), pose.Rotation.Rotate(geom.Vec3{0, 1, 0})
	switch light.Kind {
	case level.Point:
		s.Aim = geom.Vec3{}
	case level.Spot:
		s.CosInner, s.CosOuter = math.Cos(light.InnerDeg*math.Pi/180), math.Cos(light.OuterDeg*math.Pi/180)
		if g := light.Gobo; g != nil {
			image := l.Image(g.Image)
			src.gobo = image.Picture()
			s.Right, s.Up = right, up
			src.goboSet = goboSettings{g.FovDeg, g.FocusM, g.Blur, g.Spill}
			s.Gobo = digest.New("gobo", keyVersion).Sum256(digest.Bytes(image.Data)).Float(g.FovDeg, g.FocusM, g.Blur, g.Spill).Sum()
		}
	case level.Directional:
		s.Position, s.RangeM, s.RadiusM = geom.Vec3{}, 0, 0
		s.DiscRad = light.AngularDeg / 2 * math.Pi / 180
	case level.BoxLight:
		s.RangeM, s.RadiusM = 0, 0
		s.DiscRad = light.AngularDeg / 2 * math.Pi / 180
		s.Right, s.Up, s.Width, s.Height = right, up, light.WidthM, light.HeightM
	case level.Rect:
		s.RadiusM = 0
		s.Right, s.Up, s.Width, s.Height = right, up, light.WidthM, light.HeightM
		corner := func(x, y float64) geom.Vec3 {
			return pose.Position.Add(right.Mul(x * light.WidthM / 2)).Add(up.Mul(y * light.HeightM / 2))
		}
		src.polygons = []polygon{newPolygon([]geom.Vec3{corner(-1, -1), corner(-1, 1), corner(1, 1), corner(1, -1)})}
	case level.Tube:
		s.Aim, s.Right, s.Width = geom.Vec3{}, right, light.LengthM
		s.RadiusM = max(light.RadiusM, minTubeM)
	}
	src.shape = s
	return src
}

// minTubeM is the radius of a tube that has none.
const minTubeM = 0.01

func appendDisc(all []Source, id, name, kind string, sun *level.Sun) []Source {
	if sun == nil {
		return all
	}
	to := sun.Toward()
	src := Source{ID: id, Name: name, Kind: kind, Color: sun.Hue(), Strength: sun.Lux, FogShare: sun.FogShare}
	src.shape = shape{Kind: level.Directional, Aim: to.Mul(-1), DiscRad: sun.AngularDeg / 2 * math.Pi / 180, Patch: -1, BounceScale: 1, Shadows: sun.Shadows}
	if sun.Enabled && to[1] > 0 {
		src.Weight = src.Color.Scale(sun.Lux)
	}
	return append(all, src)
}

// appendSky adds the sky whole, or as patches of even light each. Patches do not
// depend on the sky at hand: another one is other weights.
func appendSky(all []Source, l *level.Level) []Source {
	e, whole := &l.Environment, sky.OfLevel(l)
	on := 0.0
	if e.Sky.Lights {
		on = 1
	}
	if !l.Lightmap.Patches {
		return append(all, Source{
			ID: SkyID, Name: "Sky", Kind: SkyKind, Color: color.White, Strength: e.Sky.Luminance,
			Weight: color.White.Scale(e.Sky.Luminance * on), sky: whole,
			shape: shape{Kind: SkyKind, Sky: skyDigest(l), Patch: -1, BounceScale: 1},
		})
	}
	for i, mean := range whole.PatchMeans() {
		all = append(all, Source{
			ID: fmt.Sprintf("%s:%03d", SkyID, i), Name: "Sky", Kind: SkyKind, Group: SkyID, Color: mean, Strength: e.Sky.Luminance,
			Weight: mean.Scale(e.Sky.Luminance * on), sky: whole,
			shape: shape{Kind: SkyKind, Patch: i, BounceScale: 1},
		})
	}
	return all
}

// skyDigest names what decides the layer of a whole sky. Colours that the kind of sky
// does not show are in it all the same; another one costs a bake that was not needed.
func skyDigest(l *level.Level) digest.Sum {
	e := &l.Environment
	w := digest.New("sky", keyVersion).Text(e.Sky.Kind).Float(e.Sky.RotationDeg)
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

// appendEmissive adds a source for each material that shines and is seen.
func appendEmissive(all []Source, sc *scene.Scene) []Source {
	for _, m := range sc.Level.Materials {
		if m.Emission == 0 {
			continue
		}
		src := Source{ID: EmissiveKind + ":" + m.ID, Name: nameOf(m.Name, m.ID), Kind: EmissiveKind,
			Color: m.Albedo(), Strength: m.Emission, Weight: m.Albedo().Scale(m.Emission)}
		emits, _ := sc.Emits(m)
		src.material = m.ID
		src.shape = shape{Kind: EmissiveKind, Emits: emits, Patch: -1, BounceScale: 1, Shadows: level.Default[level.Shadows]()}
		for i := range sc.Surfaces {
			f := &sc.Surfaces[i]
			if f.Material != m || !f.Visible {
				continue
			}
			if f.Solid != nil {
				src.polygons = append(src.polygons, newPolygon(sc.Outline(f)))
				continue
			}
			for t := range sc.Corners(f) {
				src.polygons = append(src.polygons, newPolygon(t[:]))
			}
		}
		if len(src.polygons) > 0 {
			all = append(all, src)
		}
	}
	return all
}

// appendAmbient adds the ambient of the level and of zones. Sky fill is the same
// even light by another weight, so it shares the ambient's layer.
func appendAmbient(all []Source, l *level.Level, s *sky.Sky) []Source {
	var zones []zoneShape
	for _, z := range l.Zones {
		zones = append(zones, zoneShape{z.ID, z.Boxes, z.Priority, z.Ambient != nil})
	}
	ambient := func(of, zone, where string, a *level.Ambient) {
		src := Source{
			ID: AmbientKind + ":" + of, Name: "Ambient" + where, Kind: AmbientKind, Color: a.Hue(), Strength: a.Strength, Weight: a.Linear(),
			shape: shape{Kind: AmbientKind, Zone: zone, Zones: zones, Patch: -1}, zones: ambientZones{l},
		}
		all = append(all, src)
		if a.SkyFill > 0 {
			src.ID, src.Name, src.Kind = SkyFillKind+":"+of, "Sky fill"+where, SkyFillKind
			src.Color, src.Strength = s.Horizontal().Scale(l.Environment.Sky.Luminance), a.SkyFill
			src.Weight = src.Color.Scale(a.SkyFill)
			all = append(all, src)
		}
	}
	ambient("level", "", "", &l.Environment.Ambient)
	for _, z := range l.Zones {
		if z.Ambient != nil {
			ambient(z.ID, z.ID, ", "+nameOf(z.Name, z.ID), z.Ambient)
		}
	}
	return all
}

// zoneBoxes are where a zone's ambient may be; nil for everything else.
func (s *shape) zoneBoxes() []level.Box {
	for _, z := range s.Zones {
		if z.ID == s.Zone {
			return z.Boxes
		}
	}
	return nil
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

func (z ambientZones) holds(p geom.Vec3, zone string) bool {
	at := z.level.ZoneAt(p)
	if at == nil || at.Ambient == nil {
		return zone == ""
	}
	return at.ID == zone
}

// reachM is how far from its position a source lights anything directly;
// infinite where it has no end.
func (s *shape) reachM() float64 {
	switch s.Kind {
	case level.Directional, level.BoxLight, SkyKind, EmissiveKind, AmbientKind:
		return math.Inf(1)
	}
	if s.RangeM == 0 {
		return math.Inf(1)
	}
	return s.RangeM
}
