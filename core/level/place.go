package level

import (
	"math"
	"slices"
	"strings"
	"time"

	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/photometry"
	"grotta/core/picture"
	"grotta/core/solar"
)

// World holds the pose of every entity in the level's space, with those of its parents applied.
// Once made it is only read, by any number of goroutines.
type World struct {
	level    *Level
	carriers map[string]*Entity
	known    map[string]geom.Pose  // of what is carried
	aimed    map[string]mgl64.Quat // lights that follow the sun or moon
}

// World resolves the places of a level's entities.
func (l *Level) World() *World {
	w := &World{l, map[string]*Entity{}, map[string]geom.Pose{}, map[string]mgl64.Quat{}}
	for _, light := range l.Lights {
		if lead := l.Leader(light); lead != nil {
			w.aimed[light.ID] = geom.LookRotation(lead.Toward().Mul(-1))
		}
	}
	placed, carries := l.Placed(), map[string]bool{}
	for _, p := range placed {
		carries[p.Parent] = true
	}
	for _, p := range placed {
		if carries[p.ID] {
			w.carriers[p.ID] = p.Entity
		}
	}
	for _, p := range placed {
		w.settle(p.Entity)
	}
	return w
}

// settle computes the pose of an entity with a parent, after that of its parent.
func (w *World) settle(e *Entity) {
	parent, carried := w.carriers[e.Parent]
	if _, ok := w.known[e.ID]; ok || !carried {
		return
	}
	w.settle(parent)
	w.known[e.ID] = w.resolve(e)
}

// Leader is the sun or moon that a light follows, or nil.
func (l *Level) Leader(of *Light) (lead *Sun) {
	switch of.Follows {
	case "sun":
		return l.Environment.Sun
	case "moon":
		return l.Environment.Moon
	}
	return nil
}

// Toward is the direction to a sun or moon, by its angles or by its place and time, turned by
// the level's north.
func (s *Sun) Toward() geom.Vec3 {
	azimuth, altitude := s.AzimuthDeg, s.AltitudeDeg
	if s.Place != nil {
		if when, err := s.Place.Time(); err == nil { // a validated level has no other
			p := solar.At(s.Place.LatitudeDeg, s.Place.LongitudeDeg, when)
			azimuth, altitude = p.AzimuthDeg, p.AltitudeDeg
		}
	}
	return Direction(azimuth+s.NorthDeg, altitude)
}

// Direction is where an azimuth, clockwise from north (-Z), and an altitude point.
func Direction(azimuthDeg, altitudeDeg float64) geom.Vec3 {
	sinA, cosA := math.Sincos(azimuthDeg * math.Pi / 180)
	sinH, cosH := math.Sincos(altitudeDeg * math.Pi / 180)
	return geom.Vec3{sinA * cosH, sinH, -cosA * cosH}
}

// Up tells whether a sun or moon is on and over the horizon.
func (s *Sun) Up() bool { return s != nil && s.Enabled && s.Toward()[1] > 0 }

// Pose is the place of an entity in the level's space.
func (w *World) Pose(e *Entity) geom.Pose {
	if pose, ok := w.known[e.ID]; ok {
		return pose
	}
	return w.resolve(e)
}

// CarrierPose is the place of what carries an entity; of the level's space where nothing does.
func (w *World) CarrierPose(e *Entity) geom.Pose {
	if parent, ok := w.carriers[e.Parent]; ok {
		return w.Pose(parent)
	}
	return geom.Identity()
}

// OnlyAdds tells whether all blocks, meshes and materials of an earlier state are in l as they were, with others
// after them at most.
func (l *Level) OnlyAdds(was *Level) bool {
	return begins(l.Solids, was.Solids) && begins(l.Meshes, was.Meshes) && begins(l.Materials, was.Materials)
}

func begins[T comparable](list, with []T) bool {
	return len(list) >= len(with) && slices.Equal(list[:len(with)], with)
}

// StandingIn is the level with the blocks, meshes and materials of another. Lights stay where they are in space, also
// where what carried them is not there.
func (l *Level) StandingIn(other *Level) *Level {
	out, world := *l, l.World()
	out.Solids, out.Meshes, out.Materials = other.Solids, other.Meshes, other.Materials
	out.Lights = make([]*Light, len(l.Lights))
	for i, was := range l.Lights {
		light := *was
		if light.Parent != "" {
			pose := world.Pose(&was.Entity)
			q := pose.Rotation
			light.Parent, light.Transform = "", Transform{Vec(pose.Position), [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
		}
		out.Lights[i] = &light
	}
	return &out
}

func (w *World) resolve(e *Entity) geom.Pose {
	pose := w.CarrierPose(e).Carry(e.Transform.pose())
	if q, ok := w.aimed[e.ID]; ok {
		pose.Rotation = q
	}
	return pose
}

func (t *Transform) pose() geom.Pose {
	q := t.Rotation
	return geom.Pose{
		Position: geom.Vec3(t.Position),
		Rotation: mgl64.Quat{W: q[3], V: geom.Vec3{q[0], q[1], q[2]}}.Normalize(),
	}
}

// ZoneOf is the zone an entity states, or the one its position lies in, or nil.
func (w *World) ZoneOf(e *Entity) *Zone {
	if e.Zone != "" {
		for _, z := range w.level.Zones {
			if z.ID == e.Zone {
				return z
			}
		}
	}
	return w.level.ZoneAt(w.Pose(e).Position)
}

// ZoneAt is the zone that holds at a point: of those around it the one with the
// highest priority, then the smallest volume, then the first. Nil outside all.
func (l *Level) ZoneAt(p geom.Vec3) *Zone {
	var best *Zone
	bestVolume := math.Inf(1)
	for _, z := range l.Zones {
		inside, volume := false, 0.0
		for _, b := range z.Boxes {
			volume += (b.Max[0] - b.Min[0]) * (b.Max[1] - b.Min[1]) * (b.Max[2] - b.Min[2])
			in := true
			for axis := range 3 {
				in = in && p[axis] >= b.Min[axis] && p[axis] <= b.Max[axis]
			}
			inside = inside || in
		}
		if !inside {
			continue
		}
		if best == nil || z.Priority > best.Priority || z.Priority == best.Priority && volume < bestVolume {
			best, bestVolume = z, volume
		}
	}
	return best
}

// Radiant is the colour and strength that a light really has: its own colour or
// temperature, or its rig's key; its strength times its rig's; black when it or
// its rig's share is off. Candela or lux, per channel.
func (l *Level) Radiant(light *Light) color.Linear {
	if !l.Shines(light) {
		return color.Linear{}
	}
	return l.Color(light).Scale(l.Strength(light))
}

// Shines tells whether a light is on, and the sun or moon that it follows is up.
func (l *Level) Shines(light *Light) bool {
	return light.Enabled && l.Strength(light) > 0 && (light.Follows == "none" || l.Leader(light).Up())
}

// Strength is a light's strength times its rig's, on or off; of one that follows
// the sun, the sun's.
func (l *Level) Strength(light *Light) float64 {
	if lead := l.Leader(light); lead != nil {
		return lead.Lux
	}
	if rig := l.RigByID(light.Rig); rig != nil {
		return light.Strength * rig.KeyStrength
	}
	return light.Strength
}

// Color is the colour that a light shines in, without its strength.
func (l *Level) Color(light *Light) color.Linear {
	if lead := l.Leader(light); lead != nil {
		return lead.Hue()
	}
	switch {
	case light.Color != "":
		return mustHex(light.Color)
	case light.Kelvin != 0:
		return color.Kelvin(light.Kelvin)
	}
	if rig := l.RigByID(light.Rig); rig != nil {
		switch {
		case rig.KeyColor != "":
			return mustHex(rig.KeyColor)
		case rig.KeyKelvin != 0:
			return color.Kelvin(rig.KeyKelvin)
		}
	}
	return color.White
}

// Tint is the colour of something that may follow a light: the light's, and dark
// with it; else its own, or white. No light, such as "sky", is none.
func (l *Level) Tint(own, lightID string) color.Linear {
	if light := l.Light(lightID); light != nil {
		if !l.Shines(light) {
			return color.Linear{}
		}
		if own == "" {
			return l.Color(light)
		}
	}
	if own == "" {
		return color.White
	}
	return mustHex(own)
}

// GlowRadiance is what a glow adds in its middle, in nits: dark when it or the
// light it follows is off.
func (l *Level) GlowRadiance(g *Glow) color.Linear {
	if !g.Enabled {
		return color.Linear{}
	}
	own := g.Color
	if g.ColorFrom != "" {
		own = "" // the light's, unless the tie is cut
	}
	return l.Tint(own, g.ColorFrom).Scale(g.Luminance * g.Opacity)
}

// Linear is the ambient's light on any surface, lux per channel.
func (a *Ambient) Linear() color.Linear { return a.Hue().Scale(a.Strength) }

// Hue is the ambient's colour without its strength.
func (a *Ambient) Hue() color.Linear { return mustHex(a.Color) }

// Time is the moment of a place.
func (p *Place) Time() (time.Time, error) {
	if t, err := time.Parse("2006-01-02T15:04Z", p.At); err == nil {
		return t, nil
	}
	return time.Parse(time.RFC3339, p.At)
}

// Hue is the colour of a sun or moon, without its strength.
func (s *Sun) Hue() color.Linear {
	switch {
	case s.Color != "":
		return mustHex(s.Color)
	case s.Kelvin != 0:
		return color.Kelvin(s.Kelvin)
	}
	return color.White
}

// Colors are the sky's at the zenith, at the horizon and below it.
func (s *Sky) Colors() (zenith, horizon, ground color.Linear) {
	return mustHex(s.Color), mustHex(s.HorizonColor), mustHex(s.GroundColor)
}

// Albedo is the share of light that a material sends back, per channel.
func (m *Material) Albedo() color.Linear { return soakedAlbedo(mustHex(m.Color), m.soaked) }

// mustHex reads a colour of a validated document; anything else is black.
func mustHex(s string) color.Linear {
	c, _ := color.ParseHex(s)
	return c
}

// Picture is the image decoded, or nil where it cannot be; a validated level has
// no such image.
func (v *Image) Picture() *picture.Picture {
	if v == nil {
		return nil
	}
	if v.picture != nil {
		return v.picture
	}
	p, err := picture.Decode(v.Data) // not kept: others may be reading the level
	if err != nil {
		return nil
	}
	return p
}

// Shape is how the luminaire shines, or nil where its data cannot be read; a validated level has no
// such profile.
func (v *LightProfile) Shape() *photometry.Profile {
	if v == nil {
		return nil
	}
	if v.shape != nil {
		return v.shape
	}
	p, err := photometry.Parse(v.Data) // not kept: others may be reading the level
	if err != nil {
		return nil
	}
	return p
}

// FacePlanes are the planes of a solid in its own space: its own, or its box's.
func (s *Solid) FacePlanes() []geom.Plane {
	if len(s.Planes) > 0 {
		planes := make([]geom.Plane, len(s.Planes))
		for i, p := range s.Planes {
			n := geom.Vec3(p.Normal)
			length := n.Len()
			planes[i] = geom.Plane{Normal: n.Mul(1 / length), Distance: p.Distance / length}
		}
		return planes
	}
	return geom.BoxPlanes(geom.Vec3(s.Size))
}

// FacePolygons are the faces of a solid in its own space, one for each plane,
// counter-clockwise seen from outside; empty where a plane does not bound it.
func (s *Solid) FacePolygons() [][]geom.Vec3 {
	return geom.ConvexFaces(s.FacePlanes())
}

// FaceSurface is the surface of one face: its own entry, or the solid's.
func (s *Solid) FaceSurface(index int) Surface {
	for _, f := range s.Faces {
		if f.Index == index {
			return f.Surface
		}
	}
	return s.Surface
}

// slug turns any name into an id.
func slug(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
		if b.Len() >= 48 {
			break
		}
	}
	if s := strings.Trim(b.String(), "-"); s != "" {
		return s
	}
	return "thing"
}
