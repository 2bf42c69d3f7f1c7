package bake

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// Source is anything that lights: a light, or the ambient of the level or of a
// zone. Its Weight is what the mix multiplies its layer by.
type Source struct {
	ID       string
	Name     string
	Kind     string
	Color    color.Linear // without its strength
	Strength float64      // whether it is on or off
	Weight   color.Linear // Color times Strength, or nothing where it is off

	shape shape
	zones ambientZones
}

// AmbientKind is the kind of a source that is no light.
const AmbientKind = "ambient"

// AmbientID is the id of the level's ambient; a zone's has ":" and its id after.
const AmbientID = "ambient:level"

// shape is all of a light that its layer depends on. It is hashed into the
// layer's key, so it holds neither strength nor colour.
type shape struct {
	Kind          string
	Position, Aim geom.Vec3
	RangeM        float64
	CosInner      float64
	CosOuter      float64
	RadiusM       float64
	CosDisc       float64 // of half the angular diameter
	Cast          bool
	NearM         float64
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

// Sources lists what can light a level, lights first, in document order. Lights
// that are off are there too, with no weight, so that they can be switched on
// by a mix.
func Sources(l *level.Level, world *level.World) []Source {
	var all []Source
	for _, light := range l.Lights {
		pose := world.Pose(&light.Entity)
		s := shape{
			Kind: light.Kind, Position: pose.Position, Aim: pose.Forward(),
			Cast: light.Shadows.Cast, NearM: light.Shadows.NearM,
		}
		switch light.Kind {
		case level.Directional:
			s.Position = geom.Vec3{}
			s.CosDisc = math.Cos(light.AngularDeg / 2 * math.Pi / 180)
		case level.Spot:
			s.CosInner = math.Cos(light.InnerDeg * math.Pi / 180)
			s.CosOuter = math.Cos(light.OuterDeg * math.Pi / 180)
			s.RangeM, s.RadiusM = light.RangeM, light.RadiusM
		default:
			s.Aim = geom.Vec3{}
			s.RangeM, s.RadiusM = light.RangeM, light.RadiusM
		}
		all = append(all, Source{ID: light.ID, Name: nameOf(light.Name, light.ID), Kind: light.Kind,
			Color: l.Color(light), Strength: l.Strength(light), Weight: l.Radiant(light), shape: s})
	}
	var zones []zoneShape
	for _, z := range l.Zones {
		zones = append(zones, zoneShape{z.ID, z.Boxes, z.Priority, z.Ambient != nil})
	}
	ambient := func(id, zone, name string, a *level.Ambient) {
		all = append(all, Source{
			ID: id, Name: name, Kind: AmbientKind, Color: a.Hue(), Strength: a.Strength, Weight: a.Linear(),
			shape: shape{Kind: AmbientKind, Zone: zone, Zones: zones}, zones: ambientZones{l},
		})
	}
	ambient(AmbientID, "", "Ambient", &l.Environment.Ambient)
	for _, z := range l.Zones {
		if z.Ambient != nil {
			ambient("ambient:"+z.ID, z.ID, "Ambient, "+nameOf(z.Name, z.ID), z.Ambient)
		}
	}
	return all
}

func nameOf(name, id string) string {
	if name == "" {
		return id
	}
	return name
}

// Ray-free part: what arrives where nothing stands in the way.

// reach is what a light sends toward a point, were it all in its middle.
type reach struct {
	toward     geom.Vec3 // unit, from the point to the light's middle
	distance   float64
	irradiance float64 // lux for 1 cd, or for 1 lux of a directional light
	cos        float64 // of toward and the surface's normal
}

// reach is zero where the light does not get to by range, cone or facing.
//
//   - point and spot: I cos θ / d², windowed by (1 - (d/range)^4) clamped to
//     [0, 1], as in glTF's KHR_lights_punctual;
//   - spot: times ((cos - cos outer) / (cos inner - cos outer))², clamped;
//   - directional: E cos θ.
//
// A ball of radius r and intensity I that is wholly above the horizon gives the
// same I cos θ / d² as a point, since its radiance is I / (π r²).
func (s *shape) reach(p, n geom.Vec3) (reach, bool) {
	if s.Kind == level.Directional {
		r := reach{toward: s.Aim.Mul(-1), distance: math.Inf(1)}
		r.cos = r.toward.Dot(n)
		r.irradiance = math.Max(0, r.cos)
		return r, r.cos > -math.Sqrt(1-s.CosDisc*s.CosDisc) && (r.cos > 0 || s.CosDisc < 1)
	}
	to := s.Position.Sub(p)
	d := to.Len()
	if s.RangeM > 0 && d >= s.RangeM {
		return reach{}, false
	}
	d = math.Max(d, math.Max(s.RadiusM, 1e-4)) // the inside of the ball is as bright as its skin
	r := reach{toward: to.Mul(1 / d), distance: d}
	r.cos = r.toward.Dot(n)
	if r.cos <= -s.RadiusM/d || r.cos <= 0 && s.RadiusM == 0 {
		return reach{}, false
	}
	gain := 1 / (d * d)
	if s.RangeM > 0 {
		q := d / s.RangeM
		gain *= math.Max(0, 1-q*q*q*q)
	}
	if s.Kind == level.Spot {
		gain *= s.cone(-r.toward.Dot(s.Aim))
	}
	r.irradiance = gain * math.Max(0, r.cos)
	return r, gain > 0
}

// cone is the angular fading of a spot light (KHR_lights_punctual).
func (s *shape) cone(cos float64) float64 {
	scale := 1 / math.Max(0.001, s.CosInner-s.CosOuter)
	a := math.Min(math.Max((cos-s.CosOuter)*scale, 0), 1)
	return a * a
}

// direct is the source's light on a point, in lux for unit white strength, and
// how much of it gets past what casts shadows, 0 to 1. turn spins the pattern of
// shadow samples.
func (s *Source) direct(sc *scene.Scene, p, n geom.Vec3, samples int, turn float64) (lux, visible float64) {
	sh := &s.shape
	if sh.Kind == AmbientKind {
		if s.zones.holds(p, sh.Zone) {
			return 1, 1
		}
		return 0, 0
	}
	r, ok := sh.reach(p, n)
	if !ok {
		return 0, 0
	}
	cosMax := sh.CosDisc
	if sh.Kind != level.Directional {
		if sh.RadiusM == 0 {
			cosMax = 1
		} else {
			q := math.Min(sh.RadiusM/r.distance, 0.99999)
			cosMax = math.Sqrt(1 - q*q)
		}
	}
	if cosMax >= 1 { // no size: one ray
		if sh.Cast && sc.Blocked(p, sh.end(sc, p, r.toward, r.distance)) {
			return 0, 0
		}
		return r.irradiance, 1
	}
	return sh.disc(sc, p, n, r, cosMax, samples, turn)
}

// disc samples a source that stands as a disc of cosine cosMax in the sky. Where
// the whole disc is above the horizon the closed form is kept and only the share
// that is blocked is sampled, so unshadowed texels have no noise.
func (s *shape) disc(sc *scene.Scene, p, n geom.Vec3, r reach, cosMax float64, samples int, turn float64) (lux, visible float64) {
	u, v := geom.Axes(r.toward)
	var all, seen float64
	for i := range samples {
		dir := discDirection(r.toward, u, v, cosMax, i, samples, turn)
		cos := dir.Dot(n)
		if cos <= 0 {
			continue
		}
		all += cos
		if !s.Cast || !sc.Blocked(p, s.end(sc, p, dir, s.entry(dir.Dot(r.toward), r.distance))) {
			seen += cos
		}
	}
	if all == 0 {
		return 0, 0
	}
	unblocked := r.irradiance
	if below := math.Sqrt(1 - cosMax*cosMax); r.cos < below {
		// The horizon cuts the disc: radiance times solid angle times the mean
		// cosine. A facing surface gets L π sin², the disc fills 2π (1 - cos), so
		// the two differ by 2 / (1 + cos).
		facing, _ := s.reach(p, r.toward)
		unblocked = facing.irradiance * 2 / (1 + cosMax) * all / float64(samples)
	}
	return unblocked * seen / all, seen / all
}

// discDirection is sample i of n over a cone about an axis, evenly by solid
// angle: a sunflower spiral (Vogel, 1979) turned by an angle.
func discDirection(axis, u, v geom.Vec3, cosMax float64, i, n int, turn float64) geom.Vec3 {
	const golden = 2.399963229728653 // radians
	cos := 1 - (float64(i)+0.5)/float64(n)*(1-cosMax)
	sin := math.Sqrt(math.Max(0, 1-cos*cos))
	sinA, cosA := math.Sincos(float64(i)*golden + turn)
	return axis.Mul(cos).Add(u.Mul(sin * cosA)).Add(v.Mul(sin * sinA))
}

// entry is how far a ray goes to the skin of the ball, for a ray whose angle to
// the middle has this cosine.
func (s *shape) entry(cos, distance float64) float64 {
	if s.Kind == level.Directional {
		return distance
	}
	under := s.RadiusM*s.RadiusM - distance*distance*(1-cos*cos)
	return distance*cos - math.Sqrt(math.Max(0, under))
}

// end is the far end of a shadow ray: short of the source by the near distance,
// or past the whole level for a directional light.
func (s *shape) end(sc *scene.Scene, p, dir geom.Vec3, distance float64) geom.Vec3 {
	if s.Kind == level.Directional {
		if sc.Bounds.Empty() {
			return p
		}
		distance = sc.Bounds.Max.Sub(sc.Bounds.Min).Len() + p.Sub(sc.Bounds.Min).Len()
	} else {
		distance -= math.Max(s.NearM-s.RadiusM, 0)
	}
	return p.Add(dir.Mul(math.Max(distance, 0)))
}

func (z ambientZones) holds(p geom.Vec3, zone string) bool {
	at := z.level.ZoneAt(p)
	if at == nil || at.Ambient == nil {
		return zone == ""
	}
	return at.ID == zone
}

// Irradiance is the direct light of all sources on a surface at p facing n, in
// lux, with so many shadow rays to each source that has a size.
func (p *Prepared) Irradiance(at, n geom.Vec3, samples int) color.Linear {
	var sum color.Linear
	for i := range p.Sources {
		s := &p.Sources[i]
		if s.Weight == (color.Linear{}) {
			continue
		}
		unit, _ := s.direct(p.Scene, at, n, samples, 0)
		sum = sum.Add(s.Weight.Scale(unit))
	}
	return sum
}
