package preset

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/platform"
)

// This file lifts presets out of levels.

// FromMood lifts the mood of a level.
func FromMood(l *level.Level) *Preset {
	e := &l.Environment
	wetness := e.Wetness
	p := &Preset{Format: Format, Kind: Mood, Mood: &MoodParts{
		Ambient: e.Ambient, Sky: e.Sky, Stars: e.Stars, Wind: e.Wind, Fog: l.Fog, Look: l.Look, Mode: e.Mode, Sun: e.Sun, Moon: e.Moon, Wetness: &wetness,
	}}
	p.carrySky(l)
	freeFog(&p.Mood.Fog, l)
	return p
}

// FromEnvironment lifts the mood of a level and the set-up of all its zones.
func FromEnvironment(l *level.Level) *Preset {
	p := FromMood(l)
	p.Kind = Environment
	for _, z := range l.Zones {
		c := *z
		if c.Fog != nil {
			fog := *c.Fog
			freeFog(&fog, l)
			c.Fog = &fog
		}
		p.Zones = append(p.Zones, &c)
	}
	return p
}

// FromSky lifts the sky of a level alone.
func FromSky(l *level.Level) *Preset {
	p := &Preset{Format: Format, Kind: Sky, Sky: &SkyParts{l.Environment.Sky, l.Environment.Stars}}
	p.carrySky(l)
	return p
}

// FromLook lifts the look of a level.
func FromLook(l *level.Level) *Preset {
	look := l.Look
	return &Preset{Format: Format, Kind: Look, Look: &look}
}

// FromZone lifts the set-up of a zone; the error is a *level.Invalid.
func FromZone(l *level.Level, id string) (*Preset, error) {
	z := level.ByID[level.Zone](l, id)
	if z == nil {
		return nil, noZone("/zone", l, id)
	}
	parts := &ZoneParts{Mode: z.Mode, Ambient: z.Ambient, Look: z.Look, BlendM: z.BlendM, Play: z.Play, Wetness: z.Wetness}
	if z.Fog != nil {
		fog := *z.Fog
		freeFog(&fog, l)
		parts.Fog = &fog
	}
	return &Preset{Format: Format, Kind: Zone, Zone: parts}, nil
}

// noZone is the fault where a level has no zone with an id.
func noZone(path string, l *level.Level, id string) error {
	if len(l.Zones) == 0 {
		return fault(path, "is %q; the level has no zones", id)
	}
	ids := make([]string, len(l.Zones))
	for i, z := range l.Zones {
		ids[i] = z.ID
	}
	return fault(path, "is %q; the level has these zones: %s", id, strings.Join(ids, ", "))
}

// FromDensity lifts the density of a level: its own, and for each material the one that most of
// its surfaces have.
func FromDensity(l *level.Level) *Preset {
	plan := &DensityPlan{Density: l.Lightmap.Density, PageSize: l.Lightmap.PageSize, Materials: []MaterialDensity{}}
	counts := map[string]map[float64]int{}
	count := func(s *level.Surface) {
		if s.Material != "" {
			if counts[s.Material] == nil {
				counts[s.Material] = map[float64]int{}
			}
			counts[s.Material][s.Density]++
		}
	}
	for _, s := range l.Solids {
		count(&s.Surface)
		for i := range s.Faces {
			count(&s.Faces[i].Surface)
		}
	}
	for _, m := range l.Meshes {
		count(&m.Surface)
	}
	for _, m := range l.Materials {
		if of := counts[m.ID]; of != nil {
			most := slices.SortedFunc(maps.Keys(of), func(a, b float64) int { return cmp.Or(of[b]-of[a], cmp.Compare(a, b)) })[0]
			plan.Materials = append(plan.Materials, MaterialDensity{nameOr(m.Name, m.ID), most})
		}
	}
	return &Preset{Format: Format, Kind: Density, Density: plan}
}

// FromPlatform makes a preset of a platform's profile.
func FromPlatform(text []byte) (*Preset, error) {
	p := &Preset{Format: Format, Kind: Platform, Platform: string(text)}
	return p, p.Validate()
}

func validPlatform(text string) error {
	_, err := platform.Parse([]byte(text))
	return err
}

// carrySky takes the image that the preset's sky shows along.
func (p *Preset) carrySky(l *level.Level) {
	if v := l.Image(p.sky().Image); v != nil {
		p.Parts = level.New("parts")
		p.Parts.Images = append(p.Parts.Images, v)
	}
}

// freeFog frees fog from the lights of its level: what took a colour from one keeps that colour.
func freeFog(fog *level.Fog, l *level.Level) {
	own := func(hex, from *string, luminance *float64) {
		if light := l.Light(*from); light != nil {
			keepColor(l.Color(light), hex, luminance)
			*from = ""
		}
	}
	own(&fog.Haze.Color, &fog.Haze.ColorFrom, &fog.Haze.Luminance)
	own(&fog.Height.Color, &fog.Height.ColorFrom, &fog.Height.Luminance)
}

// FromRig lifts a rig with all its members; the error is a *level.Invalid.
func FromRig(l *level.Level, id string) (*Preset, error) {
	p, err := lift(l, id)
	if err == nil {
		toAnchor(p.Parts)
	}
	return p, err
}

// lift takes a rig with all its members, where they stand in the level.
func lift(l *level.Level, id string) (*Preset, error) {
	rig := l.RigByID(id)
	if rig == nil {
		return nil, fault("/rig", "is %q; the level has no such rig", id)
	}
	world := l.World()
	parts := level.New(cmp.Or(rig.Name, rig.ID))
	place := func(e level.Entity) (level.Entity, bool) {
		if e.Rig != id {
			return e, false
		}
		pose := world.Pose(&e)
		q := pose.Rotation
		e.Transform = level.Transform{Position: level.Vec(pose.Position), Rotation: [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
		e.Parent, e.Zone = "", ""
		return e, true
	}
	carry(parts, l, place)
	materials := map[string]bool{}
	for _, s := range parts.Solids {
		materials[s.Surface.Material] = true
		for _, f := range s.Faces {
			materials[f.Material] = true
		}
	}
	for _, m := range parts.Meshes {
		materials[m.Surface.Material] = true
	}
	cut(parts, l)
	for _, m := range l.Materials {
		if materials[m.ID] {
			parts.Materials = append(parts.Materials, m)
		}
	}
	carryShown(parts, l)
	if len(parts.Placed()) == 0 {
		return nil, fault("/rig", "%q has no members to save", id)
	}
	kept := *rig
	kept.Preset = ""
	parts.Rigs = []*level.Rig{&kept}
	return &Preset{Format: Format, Kind: Rig, Rig: &kept, Parts: parts}, nil
}

// carry appends copies of what take says, with their new places, to the parts.
func carry(parts, from *level.Level, take func(level.Entity) (level.Entity, bool)) {
	parts.Solids = append(parts.Solids, copies(from.Solids, func(s *level.Solid) *level.Entity { return &s.Entity }, take)...)
	parts.Meshes = append(parts.Meshes, copies(from.Meshes, func(m *level.Mesh) *level.Entity { return &m.Entity }, take)...)
	for _, m := range parts.Meshes {
		m.Geometry = "" // it holds the triangles itself, as the preset goes to levels without that geometry
	}
	parts.Lights = append(parts.Lights, copies(from.Lights, func(l *level.Light) *level.Entity { return &l.Entity }, take)...)
	parts.Glows = append(parts.Glows, copies(from.Glows, func(g *level.Glow) *level.Entity { return &g.Entity }, take)...)
	parts.FogVolumes = append(parts.FogVolumes, copies(from.FogVolumes, func(v *level.FogVolume) *level.Entity { return &v.Entity }, take)...)
	parts.Beams = append(parts.Beams, copies(from.Beams, func(b *level.Beam) *level.Entity { return &b.Entity }, take)...)
	parts.Motes = append(parts.Motes, copies(from.Motes, func(m *level.Motes) *level.Entity { return &m.Entity }, take)...)
}

func copies[T any](all []*T, entity func(*T) *level.Entity, take func(level.Entity) (level.Entity, bool)) []*T {
	var out []*T
	for _, v := range all {
		if e, ok := take(*entity(v)); ok {
			c := *v
			*entity(&c) = e
			out = append(out, &c)
		}
	}
	return out
}

// cut frees the parts of a rig from lights that are no part of it: what took a
// colour from one keeps that colour.
func cut(parts, l *level.Level) {
	own := func(hex, from *string, luminance *float64) {
		if light := l.Light(*from); light != nil && parts.Light(*from) == nil {
			keepColor(l.Color(light), hex, luminance)
			*from = ""
		}
	}
	for _, g := range parts.Glows {
		own(&g.Color, &g.ColorFrom, &g.Luminance)
	}
	for _, v := range parts.FogVolumes {
		own(&v.Color, &v.ColorFrom, &v.Luminance)
	}
	for _, m := range parts.Motes {
		own(&m.Color, &m.ColorFrom, &m.Luminance)
	}
	for _, b := range parts.Beams {
		if b.Color == "" {
			own(&b.Color, &b.Light, &b.Luminance)
		} else if parts.Light(b.Light) == nil {
			b.Light = ""
		}
	}
}

// keepColor gives a thing the colour of its light as its own. A colour has no channel over 1; what a warm lamp has more
// is in the luminance.
func keepColor(of color.Linear, hex *string, luminance *float64) {
	full, times := of.Swatch()
	*hex = full.Exact()
	*luminance *= times
}

// toAnchor moves everything so that the anchor is the origin.
func toAnchor(parts *level.Level) {
	var sum geom.Vec3
	var n float64
	for _, l := range parts.Lights {
		sum, n = sum.Add(geom.Vec3(l.Transform.Position)), n+1
	}
	if n == 0 {
		for _, p := range parts.Placed() {
			sum, n = sum.Add(geom.Vec3(p.Transform.Position)), n+1
		}
	}
	anchor := sum.Mul(1 / n)
	for _, p := range parts.Placed() {
		p.Transform.Position = level.Vec(geom.Vec3(p.Transform.Position).Sub(anchor))
	}
}

// sameName compares names of materials, whatever their case.
func sameName(a, b string) bool { return strings.EqualFold(strings.TrimSpace(a), strings.TrimSpace(b)) }
