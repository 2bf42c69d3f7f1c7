package preset

import (
	"math"

	"grotta/core/geom"
	"grotta/core/level"
)

// This file is the neutral stage on which presets are shown.

// Staged is a stage with a preset on it.
type Staged struct {
	Level *level.Level
	Meter bool // expose the picture by what is seen: a rig and a look have no exposure of their own here
}

// Stage puts a preset on a stage of our own, with a viewpoint that shows it: a grey corner for rigs
// and rooms, a yard with walls near and far for skies and moods.
func (p *Preset) Stage() (*Staged, error) {
	var l *level.Level
	place, out := Place{}, &Staged{}
	switch p.Kind {
	case Rig:
		l, out.Meter = corner(), true
		place = p.standOn(l)
	case Look:
		l, out.Meter = corner(), true
		lampsFor(l, roomEV)
	case Zone:
		l = corner()
		lampsFor(l, roomEV)
		place.Zones = []string{"corner"}
	default:
		l = yard()
		if m := p.Mood; m != nil && m.Mode == "indoor" {
			l = corner()
			lampsFor(l, m.Look.ExposureEV)
		}
	}
	op, _, err := p.Apply(l, place)
	if err != nil {
		return nil, err
	}
	if p.Kind == Rig {
		// A rig that follows the sun or moon needs one, weak enough that its shaft shows beside the walls.
		for i, s := range []**level.Sun{&l.Environment.Sun, &l.Environment.Moon} {
			for _, light := range p.Parts.Lights {
				if light.Follows == []string{"sun", "moon"}[i] {
					sun := level.Default[level.Sun]()
					sun.AzimuthDeg, sun.AltitudeDeg, sun.Lux = 330, 38, 8
					*s = &sun
				}
			}
		}
	}
	out.Level, _, err = l.Apply(op)
	return out, err
}

type builder struct{ l *level.Level }

func (b *builder) material(id, color string) {
	m := level.Default[level.Material]()
	m.ID, m.Color = id, color
	b.l.Materials = append(b.l.Materials, &m)
}

func (b *builder) box(id, material string, at, size level.Vec) {
	s := level.Default[level.Solid]()
	s.ID, s.Transform.Position, s.Size, s.Surface.Material = id, at, size, material
	b.l.Solids = append(b.l.Solids, &s)
}

func (b *builder) look(from, to level.Vec, fov float64) {
	v := level.Default[level.Viewpoint]()
	v.ID, v.FovDeg, v.Transform.Position = "stage-view", fov, from
	q := geom.LookRotation(geom.Vec3(to).Sub(geom.Vec3(from)))
	v.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	b.l.Viewpoints = append(b.l.Viewpoints, &v)
}

// corner is a room of plain grey without its front wall.
func corner() *level.Level {
	b := &builder{level.New("Stage")}
	b.material("stage-grey", "#a8a8a8")
	b.material("stage-floor", "#8c8a86")
	b.material("stage-red", "#a8503c")
	b.box("stage-ground", "stage-floor", level.Vec{0, -0.1, 0}, level.Vec{5.2, 0.2, 5.2})
	b.box("stage-back", "stage-grey", level.Vec{0, 1.45, -2.6}, level.Vec{5.2, 2.9, 0.2})
	b.box("stage-left", "stage-red", level.Vec{-2.6, 1.45, 0}, level.Vec{0.2, 2.9, 5.2})
	b.box("stage-right", "stage-grey", level.Vec{2.6, 1.45, 0}, level.Vec{0.2, 2.9, 5.2})
	b.box("stage-roof", "stage-grey", level.Vec{0, 3, 0}, level.Vec{5.2, 0.2, 5.2})
	b.box("stage-block", "stage-grey", level.Vec{1.4, 0.35, -1.4}, level.Vec{0.7, 0.7, 0.7})
	z := level.Default[level.Zone]()
	z.ID, z.Boxes = "corner", []level.Box{{Min: level.Vec{-2.5, -0.1, -2.5}, Max: level.Vec{2.5, 2.9, 2.6}}}
	b.l.Zones = append(b.l.Zones, &z)
	b.look(level.Vec{0.5, 1.5, 4.3}, level.Vec{0, 1.3, -2}, 50)
	b.l.Lightmap.Density = 8
	b.l.Environment.Ambient.Strength = 0.05
	b.l.Environment.Sky.Color = "#101010"
	b.l.Environment.Sky.Lights = false
	return b.l
}

// roomEV is the exposure of a room by lamplight.
const roomEV = 5.3

// lampsFor lights the corner with a warm lamp and a cool one, to see what a look makes of both; as
// strong as an exposure shows well.
func lampsFor(l *level.Level, ev float64) {
	strength := math.Exp2(ev)
	for i, at := range []level.Vec{{-1.4, 2.2, -0.6}, {1.5, 1.2, 0.6}} {
		lamp := level.NewLight([]string{"stage-warm", "stage-cool"}[i], level.Point)
		lamp.Transform.Position, lamp.Kelvin, lamp.Strength, lamp.RadiusM = at, []float64{2700, 8000}[i], strength*[]float64{4, 1.2}[i], 0.05
		l.Lights = append(l.Lights, lamp)
		glow := level.Default[level.Glow]()
		glow.ID, glow.Transform.Position, glow.ColorFrom, glow.SizeM, glow.Luminance = lamp.ID+"-glow", at, lamp.ID, 0.3, 10*strength
		l.Glows = append(l.Glows, &glow)
	}
}

// yard is ground under the open sky, with walls and posts at five, fifteen, forty and a hundred
// metres, so that fog and shadows show, and a lantern at a house, so that a night does.
func yard() *level.Level {
	b := &builder{level.New("Stage")}
	b.material("stage-ground", "#7c7a70")
	b.material("stage-wall", "#b8b2a6")
	b.material("stage-dark", "#4c4a46")
	b.box("stage-earth", "stage-ground", level.Vec{0, -0.5, -60}, level.Vec{240, 1, 260})
	b.box("stage-house", "stage-wall", level.Vec{-4.5, 1.6, -5}, level.Vec{4, 3.2, 5})
	b.box("stage-roof", "stage-dark", level.Vec{-4.5, 3.3, -5}, level.Vec{4.6, 0.25, 5.6})
	b.box("stage-crate", "stage-dark", level.Vec{1, 0.5, -4}, level.Vec{1, 1, 1})
	for i, far := range []float64{8, 15, 40, 100} {
		b.box("stage-post-"+string(rune('1'+i)), "stage-dark", level.Vec{2.2 + far*0.14, 1.5 + far*0.03, -far}, level.Vec{0.25 + far*0.004, 3 + far*0.06, 0.25 + far*0.004})
		b.box("stage-wall-"+string(rune('1'+i)), "stage-wall", level.Vec{4 + far*0.3, 1.2, -far - 2}, level.Vec{2 + far*0.12, 2.4 + far*0.04, 0.4})
	}
	lantern, glow := level.NewLight("stage-lantern", level.Point), level.Default[level.Glow]()
	lantern.Transform.Position, lantern.Kelvin, lantern.Strength, lantern.RadiusM = level.Vec{-2.2, 2.4, -3.6}, 2400, 25, 0.05
	glow.ID, glow.Transform.Position, glow.ColorFrom, glow.SizeM, glow.Luminance = "stage-glow", lantern.Transform.Position, lantern.ID, 0.25, 60
	b.l.Lights, b.l.Glows = append(b.l.Lights, lantern), append(b.l.Glows, &glow)
	b.look(level.Vec{0.6, 1.7, 5}, level.Vec{0.4, 2.1, -12}, 58)
	b.l.Lightmap.Density = 2
	return b.l
}

// standOn finds where on the corner a rig belongs: on the floor what reaches far down, under the
// ceiling what reaches up, against the wall what reaches back; and turns the view to it.
func (p *Preset) standOn(l *level.Level) Place {
	low, high := geom.Vec3{math.Inf(1), math.Inf(1), math.Inf(1)}, geom.Vec3{math.Inf(-1), math.Inf(-1), math.Inf(-1)}
	world := p.Parts.World()
	grow := func(v geom.Vec3) {
		for i := range 3 {
			low[i], high[i] = min(low[i], v[i]), max(high[i], v[i])
		}
	}
	for _, s := range p.Parts.Solids {
		pose := world.Pose(&s.Entity)
		for _, face := range s.FacePolygons() {
			for _, v := range face {
				grow(pose.Apply(v))
			}
		}
	}
	for _, m := range p.Parts.Meshes {
		pose := world.Pose(&m.Entity)
		for v := range m.Vertices() {
			grow(pose.Apply(v))
		}
	}
	for _, light := range p.Parts.Lights {
		grow(world.Pose(&light.Entity).Position)
	}
	span := max(high[0]-low[0], high[1]-low[1], 0.6)
	n := func(x, y, z float64) *level.Vec { return &level.Vec{x, y, z} }
	side, right, front := 0.4, 2.3, 4.6
	view := func(x, y, z float64) {
		back := max(span*1.5, 1.6)
		b := &builder{l}
		l.Viewpoints = nil
		b.look(level.Vec{min(x+back*side, right), min(y+back*0.15, 2.7), min(z+back, front)}, level.Vec{x, y, z}, 50)
	}
	middle := (low[1] + high[1]) / 2
	switch {
	case span > 4: // a row: no corner holds it
		l.Solids = nil
		b := &builder{l}
		b.box("stage-ground", "stage-floor", level.Vec{0, -0.1, 0}, level.Vec{40, 0.2, 24})
		b.box("stage-back", "stage-grey", level.Vec{0, 3, -4}, level.Vec{40, 6, 0.2})
		l.Zones = nil
		right, front = span, 2*span
		view(0, -low[1]*0.6, 0)
		return Place{At: n(0, 0, 0), Normal: n(0, 1, 0)}
	case low[1] < -0.4 && high[2] < 0.15:
		view(0, (high[1]-low[1])*0.6, -0.4)
		return Place{At: n(0, 0, -0.4), Normal: n(0, 1, 0)}
	case high[1] > 0.25 && high[1] > 0.1-low[1]:
		view(0, 2.9-(high[1]-middle), -0.4)
		return Place{At: n(0, 2.9, -0.4), Normal: n(0, -1, 0)}
	case high[2] > 0.01: // what shines from a wall is seen from the side
		side = 1
		view(0.2, 1.5, -1.9)
		return Place{At: n(0, 1.6, -2.5), Normal: n(0, 0, 1)}
	case high[1]-low[1] < 0.02: // a bare opening or a basin
		if p.lightsUp() {
			view(0, 0.4, -0.6)
			return Place{At: n(0, 0.05, -0.6)}
		}
		side = 1
		span = 1.6
		view(-0.2, 1.2, -1.4)
		return Place{At: n(-0.4, 1.6, -2.49), Normal: n(0, 0, 1)}
	}
	view(0, 0.9, -0.6)
	return Place{At: n(0, 0.8-low[1], -0.6)}
}

// lightsUp tells whether the first light of a rig shines up.
func (p *Preset) lightsUp() bool {
	if len(p.Parts.Lights) == 0 {
		return false
	}
	return p.Parts.World().Pose(&p.Parts.Lights[0].Entity).Forward()[1] > 0.7
}
