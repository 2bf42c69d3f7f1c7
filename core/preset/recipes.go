package preset

import (
	"math"

	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/geom"
	"grotta/core/level"
)

// Recipe is a rig that comes with Grotta.
type Recipe struct {
	Name, Note string
	Tags       []string
	Preset     *Preset
}

// RecipeOwner is whose presets recipes are listed as.
const RecipeOwner = "recipes"

// Recipes are what practitioners build again and again, each lit by one key: all
// of a rig's lights take its key colour, and glows, beams, motes and mist take
// theirs from the lights. A rig's front is its -Z.
func Recipes() []Recipe {
	return []Recipe{
		recipe("bare-lamp", "A bulb on its cord, with its glow.", []string{"lamp"}, 2700, bareLamp),
		recipe("ceiling-lamp", "A shade over a spot, a dim fill so that the room is not black, a glow.", []string{"lamp", "room"}, 3000, ceilingLamp),
		recipe("floodlight", "A flood on its bracket, with beam and motes.", []string{"yard", "beam"}, 4000, floodlight),
		recipe("tube-light", "A tube in its batten.", []string{"lamp", "work"}, 4000, tubeLight),
		recipe("window-shaft", "Sun through an opening as a shaft in lit fog; it follows the sun and lights no surface twice.", []string{"window", "sun", "shaft"}, 0, windowShaft),
		recipe("lantern-in-mist", "A lantern, and mist round it in its own colour.", []string{"lantern", "fog"}, 2200, lanternInMist),
		recipe("candle", "An uneasy flame.", []string{"candle", "flicker"}, 1850, candle),
		recipe("screen-glow", "A shining screen and what it throws into the room.", []string{"screen"}, 7500, screenGlow),
		recipe("street-row", "Three posts, eight metres apart.", []string{"street"}, 2200, streetRow),
	}
}

// RecipeNamed finds one; nil where there is none.
func RecipeNamed(name string) *Recipe {
	for _, r := range Recipes() {
		if r.Name == name {
			return &r
		}
	}
	return nil
}

// cook puts a rig together.
type cook struct {
	parts *level.Level
	rig   string
}

func recipe(name, note string, tags []string, kelvin float64, make func(*cook)) Recipe {
	rig := level.Default[level.Rig]()
	rig.ID, rig.Name, rig.KeyKelvin = name, name, kelvin
	c := &cook{level.New(name), name}
	make(c)
	c.parts.Rigs = []*level.Rig{&rig}
	return Recipe{name, note, tags, &Preset{Format: Format, Kind: Rig, Rig: &rig, Parts: c.parts}}
}

func (c *cook) entity(e *level.Entity, part string, at level.Vec) {
	e.ID, e.Rig = c.rig+"-"+part, c.rig
	e.Transform.Position = at
}

func (c *cook) material(id, color string, nits float64) string {
	m := level.Default[level.Material]()
	m.ID, m.Name, m.Color, m.Emission = c.rig+"-"+id+"-paint", id, color, nits
	c.parts.Materials = append(c.parts.Materials, &m)
	return m.ID
}

func (c *cook) box(part, material string, at, size level.Vec) *level.Solid {
	s := level.Default[level.Solid]()
	c.entity(&s.Entity, part, at)
	s.Size, s.Surface.Material = size, material
	c.parts.Solids = append(c.parts.Solids, &s)
	return &s
}

func (c *cook) light(part, kind string, at level.Vec, strength float64) *level.Light {
	l := level.NewLight("", kind)
	c.entity(&l.Entity, part, at)
	l.Strength = strength
	c.parts.Lights = append(c.parts.Lights, l)
	return l
}

func (c *cook) glow(part, light string, at level.Vec, size, nits float64) *level.Glow {
	g := level.Default[level.Glow]()
	c.entity(&g.Entity, part, at)
	g.SizeM, g.Luminance, g.ColorFrom = size, nits, c.rig+"-"+light
	c.parts.Glows = append(c.parts.Glows, &g)
	return &g
}

func (c *cook) motes(part, light, form string, at, size level.Vec) *level.Motes {
	m := level.Default[level.Motes]()
	c.entity(&m.Entity, part, at)
	m.Form, m.Size, m.ColorFrom = form, size, c.rig+"-"+light
	c.parts.Motes = append(c.parts.Motes, &m)
	return &m
}

// tilt turns an entity's front up or down from the horizontal, in degrees.
func tilt(e *level.Entity, deg float64) {
	q := mgl64.QuatRotate(deg*math.Pi/180, geom.Vec3{1, 0, 0})
	e.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
}

func bareLamp(c *cook) {
	c.box("cord", c.material("cord", "#2a2826", 0), level.Vec{0, 0.3, 0}, level.Vec{0.02, 0.5, 0.02})
	l := c.light("bulb", level.Point, level.Vec{}, 60)
	l.RadiusM, l.RangeM, l.Shadows.NearM, l.FogShare = 0.04, 12, 0.08, 1
	c.glow("glow", "bulb", level.Vec{}, 0.5, 60)
}

func ceilingLamp(c *cook) {
	iron := c.material("iron", "#3a3c3e", 0)
	c.box("rod", iron, level.Vec{0, 0.32, 0}, level.Vec{0.03, 0.4, 0.03})
	c.box("shade", iron, level.Vec{0, 0.1, 0}, level.Vec{0.4, 0.05, 0.4})
	l := c.light("lamp", level.Spot, level.Vec{}, 180)
	tilt(&l.Entity, -90)
	l.InnerDeg, l.OuterDeg, l.RadiusM, l.RangeM, l.FogShare = 35, 62, 0.06, 12, 1
	fill := c.light("fill", level.Point, level.Vec{0, -0.1, 0}, 6)
	fill.RangeM, fill.Shadows.Cast = 8, false
	c.glow("glow", "lamp", level.Vec{0, 0.02, 0}, 0.4, 40)
}

func floodlight(c *cook) {
	iron := c.material("iron", "#3a3c3e", 0)
	c.box("bracket", iron, level.Vec{0, 0, 0.22}, level.Vec{0.08, 0.3, 0.3})
	c.box("head", iron, level.Vec{0, 0, 0.04}, level.Vec{0.4, 0.3, 0.14})
	l := c.light("lamp", level.Spot, level.Vec{0, 0, -0.06}, 4000)
	tilt(&l.Entity, -32)
	l.InnerDeg, l.OuterDeg, l.RadiusM, l.RangeM, l.FogShare = 18, 34, 0.12, 40, 1
	b := level.Default[level.Beam]()
	c.entity(&b.Entity, "beam", level.Vec{})
	b.Light, b.LengthM, b.Luminance = c.rig+"-lamp", 9, 1.2
	c.parts.Beams = append(c.parts.Beams, &b)
	m := c.motes("motes", "lamp", "cone", level.Vec{0, 0, -0.06}, level.Vec{7, 7, 6})
	tilt(&m.Entity, -32)
	m.RateHz, m.Luminance = 30, 30
	c.glow("glow", "lamp", level.Vec{0, 0, -0.1}, 0.9, 160)
}

func tubeLight(c *cook) {
	c.box("batten", c.material("batten", "#d8d8d4", 0), level.Vec{0, 0.06, 0}, level.Vec{1.3, 0.06, 0.1})
	l := c.light("tube", level.Tube, level.Vec{}, 6000)
	l.RadiusM, l.LengthM, l.RangeM, l.Shadows.NearM = 0.018, 1.2, 16, 0.1
	g := c.glow("glow", "tube", level.Vec{}, 1.5, 30)
	g.Shape = "streak"
}

func windowShaft(c *cook) {
	l := c.light("shaft", level.BoxLight, level.Vec{}, 1000)
	l.Follows, l.Surfaces, l.FogShare = "sun", false, 1
	l.WidthM, l.HeightM, l.AngularDeg = 1.4, 1.6, 0.53
	v := level.Default[level.FogVolume]()
	c.entity(&v.Entity, "air", level.Vec{0, -0.2, -2.2})
	v.Size, v.EdgeM, v.Density, v.Luminance = level.Vec{3.6, 3.4, 5}, 0.4, 0.05, 0
	c.parts.FogVolumes = append(c.parts.FogVolumes, &v)
	m := c.motes("motes", "shaft", "box", level.Vec{0, -0.3, -1.6}, level.Vec{1.6, 2, 2.4})
	m.RateHz, m.Luminance = 20, 400
}

func lanternInMist(c *cook) {
	iron := c.material("iron", "#2c2e30", 0)
	c.box("post", iron, level.Vec{0, -1.2, 0}, level.Vec{0.09, 2.2, 0.09})
	c.box("cap", iron, level.Vec{0, 0.2, 0}, level.Vec{0.3, 0.05, 0.3})
	l := c.light("lamp", level.Point, level.Vec{}, 140)
	l.RadiusM, l.RangeM, l.Shadows.NearM, l.FogShare = 0.06, 14, 0.16, 1
	c.glow("glow", "lamp", level.Vec{}, 1.1, 60)
	v := level.Default[level.FogVolume]()
	c.entity(&v.Entity, "mist", level.Vec{0, -0.9, 0})
	v.Size, v.EdgeM, v.Density, v.ColorFrom, v.Luminance = level.Vec{7, 3.2, 7}, 1.4, 0.09, c.rig+"-lamp", 0.25
	c.parts.FogVolumes = append(c.parts.FogVolumes, &v)
}

func candle(c *cook) {
	c.box("wax", c.material("wax", "#e6dcc4", 0), level.Vec{0, -0.09, 0}, level.Vec{0.04, 0.14, 0.04})
	l := c.light("flame", level.Point, level.Vec{}, 1.2)
	l.RadiusM, l.RangeM, l.Shadows.NearM, l.FogShare = 0.012, 5, 0.06, 1
	l.Flicker = &level.Flicker{Pattern: "candle", RateHz: 6, Depth: 0.35}
	c.glow("glow", "flame", level.Vec{}, 0.22, 12)
}

func screenGlow(c *cook) {
	s := c.box("screen", c.material("case", "#202224", 0), level.Vec{0, 0, 0.03}, level.Vec{0.9, 0.55, 0.05})
	front := level.Face{Index: 5, Surface: s.Surface} // -z
	front.Material = c.material("picture", "#7fa4c8", 60)
	s.Faces = []level.Face{front}
	l := c.light("light", level.Rect, level.Vec{0, 0, -0.01}, 60)
	l.WidthM, l.HeightM, l.RangeM = 0.86, 0.5, 8
	g := c.glow("glow", "light", level.Vec{0, 0, -0.05}, 1.2, 3)
	g.ToleranceM = 0.1
}

func streetRow(c *cook) {
	iron := c.material("iron", "#2c2e30", 0)
	for i, x := range []float64{-8, 0, 8} {
		n := string(rune('1' + i))
		c.box("post-"+n, iron, level.Vec{x, -2.2, 0.7}, level.Vec{0.12, 4.6, 0.12})
		c.box("arm-"+n, iron, level.Vec{x, 0.12, 0.33}, level.Vec{0.08, 0.06, 0.86})
		l := c.light("lamp-"+n, level.Spot, level.Vec{x, 0, 0}, 700)
		tilt(&l.Entity, -90)
		l.InnerDeg, l.OuterDeg, l.RadiusM, l.RangeM, l.FogShare = 40, 66, 0.1, 20, 1
		c.glow("glow-"+n, "lamp-"+n, level.Vec{x, 0, 0}, 1.2, 60)
	}
}
