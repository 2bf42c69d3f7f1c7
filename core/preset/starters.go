package preset

import (
	"math"
	"strconv"
	"strings"

	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/geom"
	"grotta/core/level"
)

// Starter is a preset that comes with Grotta.
type Starter struct {
	Name, Note string
	Tags       []string
	Preset     *Preset
}

// StarterOwner is whose presets they are listed as.
const StarterOwner = "recipes"

// StarterCredit is whom to name for them.
const StarterCredit = "Grotta, CC0-1.0"

// Starters are the rigs, moods and looks of the library that every service has.
func Starters() []Starter { return append(starterRigs(), starterMoods()...) }

// StarterNamed finds one; nil where there is none.
func StarterNamed(name string) *Starter {
	for _, r := range Starters() {
		if r.Name == name {
			return &r
		}
	}
	return nil
}

// starterRigs are what practitioners build again and again, each lit by one key: all
// of a rig's lights take its key colour, and glows, beams, motes and mist take
// theirs from the lights. A rig's front is its -Z.
func starterRigs() []Starter {
	return []Starter{
		rig("bare-lamp", "A bulb on its cord, with its glow.", tags("lamp"), 2700, bareLamp),
		rig("ceiling-lamp", "A shade over a spot, a dim fill so that the room is not black, a glow.", tags("lamp", "room"), 3000, ceilingLamp),
		rig("floodlight", "A flood on its bracket, with beam and motes.", tags("yard", "beam"), 4000, floodlight),
		rig("tube-light", "A tube in its batten.", tags("lamp", "work"), 4000, tubeLight),
		rig("window-shaft", "Sun through an opening as a shaft in lit fog; it follows the sun and lights no surface twice.", tags("window", "sun", "shaft"), 0, windowShaft),
		rig("lantern-in-mist", "A lantern, and mist round it in its own colour.", tags("lantern", "fog"), 2200, lanternInMist),
		rig("candle", "An uneasy flame.", tags("candle", "flicker"), 1850, candle),
		rig("screen-glow", "A shining screen and what it throws into the room.", tags("screen"), 7500, screenGlow),
		rig("street-row", "Three posts, eight metres apart.", tags("street"), 2200, streetRow),
		rig("wall-lamp", "A half dome on a back plate that washes the wall up and down.", tags("lamp", "wall", "room"), 2800, wallLamp),
		rig("desk-lamp", "A small head on a bent arm, close over its table.", tags("lamp", "room", "work"), 3200, deskLamp),
		rig("work-stand", "Two floods on a tripod, for sites and repairs.", tags("work", "yard"), 4600, workStand),
		rig("bulkhead", "A round caged lamp for corridors, ships and cellars.", tags("lamp", "corridor"), 3000, bulkhead),
		rig("neon-bars", "Two bare coloured tubes, for signs and bars.", tags("sign", "colour", "night"), 0, neonBars),
		rig("fireplace", "A bed of embers, a fire above it and its uneasy light.", tags("fire", "flicker", "room"), 1900, fireplace),
		rig("brazier", "An open fire in an iron basket, with sparks.", tags("fire", "flicker", "yard"), 1950, brazier),
		rig("torch", "A burning torch, to set against a wall.", tags("fire", "flicker", "wall"), 1900, torch),
		rig("ring-of-candles", "Eight candles on an iron ring, hung from the ceiling.", tags("candle", "hall"), 1900, candleRing),
		rig("window-daylight", "The light of the sky through a window, without a sky.", tags("window", "day"), 7000, windowDaylight),
		rig("moon-shaft", "Moonlight through an opening, seen in the air.", tags("window", "moon", "shaft"), 0, moonShaft),
		rig("door-spill", "Warm light that falls out of an open door.", tags("door", "night", "guide"), 2900, doorSpill),
		keyed("#ff2a1a", rig("warning-light", "A red lamp that swells and fades.", tags("signal", "red", "flicker"), 0, warningLight)),
		keyed("#3fd68a", rig("way-out-sign", "A small green sign that glows over a door.", tags("sign", "green", "guide"), 0, wayOutSign)),
		rig("string-of-bulbs", "Nine small bulbs on a sagging cord.", tags("feast", "yard", "warm"), 2400, bulbString),
		rig("pair-of-beams", "Two headlights with their beams.", tags("vehicle", "beam", "night"), 5000, pairOfBeams),
		rig("failing-tube", "A tube that flickers and drops out.", tags("lamp", "flicker", "fear"), 4200, failingTube),
		rig("stage-beam", "A narrow beam from high up, with dust in it.", tags("stage", "beam"), 5600, stageBeam),
		keyed("#4fd8e0", rig("water-glow", "Light from a lit basin, cyan and from below.", tags("water", "cyan", "story"), 0, waterGlow)),
	}
}

// cook puts a rig together.
type cook struct {
	parts *level.Level
	rig   string
}

func rig(name, note string, tags []string, kelvin float64, make func(*cook)) Starter {
	r := level.Default[level.Rig]()
	r.ID, r.Name, r.KeyKelvin = name, strings.ReplaceAll(name, "-", " "), kelvin
	c := &cook{level.New(name), name}
	make(c)
	c.parts.Rigs = []*level.Rig{&r}
	return Starter{name, note, tags, &Preset{Format: Format, Kind: Rig, Rig: &r, Parts: c.parts}}
}

// keyed gives a rig a key colour in place of a temperature.
func keyed(color string, s Starter) Starter {
	s.Preset.Rig.KeyColor = color
	return s
}

func (c *cook) entity(e *level.Entity, part string, at level.Vec) {
	words := strings.ReplaceAll(part, "-", " ")
	e.ID, e.Rig, e.Name = c.rig+"-"+part, c.rig, strings.ToUpper(words[:1])+words[1:]
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

func wallLamp(c *cook) {
	c.box("plate", c.material("brass", "#8a6a3a", 0), level.Vec{0, 0, 0.12}, level.Vec{0.14, 0.22, 0.03})
	c.box("shade", c.material("shade", "#d8cbb4", 0), level.Vec{0, 0, 0.0}, level.Vec{0.24, 0.16, 0.03})
	l := c.light("lamp", level.Point, level.Vec{0, 0, 0.05}, 45)
	l.RadiusM, l.RangeM, l.Shadows.NearM, l.FogShare = 0.03, 9, 0.04, 1
	c.glow("glow", "lamp", level.Vec{0, 0.1, 0.05}, 0.45, 18)
}

func deskLamp(c *cook) {
	iron := c.material("iron", "#34383a", 0)
	c.box("foot", iron, level.Vec{0.22, -0.44, 0}, level.Vec{0.18, 0.03, 0.18})
	c.box("arm", iron, level.Vec{0.22, -0.18, 0}, level.Vec{0.025, 0.5, 0.025})
	c.box("neck", iron, level.Vec{0.11, 0.07, 0}, level.Vec{0.24, 0.025, 0.025})
	c.box("head", iron, level.Vec{0, 0.06, 0}, level.Vec{0.16, 0.05, 0.16})
	l := c.light("lamp", level.Spot, level.Vec{}, 140)
	tilt(&l.Entity, -90)
	l.InnerDeg, l.OuterDeg, l.RadiusM, l.RangeM = 32, 58, 0.03, 6
	c.glow("glow", "lamp", level.Vec{0, -0.01, 0}, 0.2, 30)
}

func workStand(c *cook) {
	iron := c.material("iron", "#c8a02c", 0)
	c.box("post", iron, level.Vec{0, -0.85, 0.1}, level.Vec{0.05, 1.5, 0.05})
	c.box("bar", iron, level.Vec{0, -0.06, 0.1}, level.Vec{0.7, 0.04, 0.04})
	for i, x := range []float64{-0.26, 0.26} {
		n := strconv.Itoa(i + 1)
		c.box("head-"+n, iron, level.Vec{x, 0, 0.08}, level.Vec{0.22, 0.16, 0.08})
		l := c.light("lamp-"+n, level.Spot, level.Vec{x, 0, 0}, 1800)
		tilt(&l.Entity, -14)
		l.InnerDeg, l.OuterDeg, l.RadiusM, l.RangeM, l.FogShare = 28, 55, 0.07, 25, 1
		c.glow("glow-"+n, "lamp-"+n, level.Vec{x, 0, -0.03}, 0.5, 200)
	}
}

func bulkhead(c *cook) {
	c.box("base", c.material("iron", "#40464a", 0), level.Vec{0, 0, 0.1}, level.Vec{0.24, 0.24, 0.04})
	c.box("cage-up", c.material("cage", "#2c3032", 0), level.Vec{0, 0.11, 0.04}, level.Vec{0.24, 0.02, 0.1})
	c.box("cage-down", "bulkhead-cage-paint", level.Vec{0, -0.11, 0.04}, level.Vec{0.24, 0.02, 0.1})
	l := c.light("lamp", level.Dome, level.Vec{0, 0, 0.03}, 55)
	l.RadiusM, l.RangeM, l.Shadows.NearM, l.FogShare = 0.05, 9, 0.03, 1
	c.glow("glow", "lamp", level.Vec{}, 0.4, 35)
}

func neonBars(c *cook) {
	c.box("board", c.material("board", "#1c1e22", 0), level.Vec{0, 0, 0.07}, level.Vec{1.6, 0.6, 0.04})
	for i, hue := range []string{"#ff3b6b", "#2fd2ff"} {
		n, y := strconv.Itoa(i+1), 0.14-0.28*float64(i)
		l := c.light("bar-"+n, level.Tube, level.Vec{0, y, 0}, 3200)
		l.Color, l.RadiusM, l.LengthM, l.RangeM, l.Shadows.NearM, l.FogShare = hue, 0.012, 1.3, 10, 0.06, 1
		g := c.glow("glow-"+n, "bar-"+n, level.Vec{0, y, 0}, 1.7, 24)
		g.Shape = "streak"
	}
}

func fireplace(c *cook) {
	c.box("grate", c.material("iron", "#241f1c", 0), level.Vec{0, -0.2, 0}, level.Vec{0.7, 0.06, 0.36})
	c.box("embers", c.material("embers", "#ff5a1c", 260), level.Vec{0, -0.14, 0}, level.Vec{0.56, 0.06, 0.26})
	l := c.light("fire", level.Point, level.Vec{0, 0.06, 0}, 90)
	l.RadiusM, l.RangeM, l.Shadows.NearM, l.FogShare = 0.12, 10, 0.2, 1
	l.Flicker = &level.Flicker{Pattern: "candle", RateHz: 4, Depth: 0.3}
	c.glow("glow", "fire", level.Vec{0, 0.04, 0}, 0.9, 45)
	m := c.motes("sparks", "fire", "box", level.Vec{0, 0.3, 0}, level.Vec{0.4, 0.6, 0.2})
	m.RateHz, m.LifeS, m.SpeedMps, m.Luminance = 6, 1.2, 0.5, 400
}

func brazier(c *cook) {
	iron := c.material("iron", "#26221f", 0)
	c.box("leg", iron, level.Vec{0, -0.7, 0}, level.Vec{0.08, 0.9, 0.08})
	c.box("basket", iron, level.Vec{0, -0.2, 0}, level.Vec{0.5, 0.16, 0.5})
	c.box("coals", c.material("coals", "#ff5418", 300), level.Vec{0, -0.1, 0}, level.Vec{0.4, 0.06, 0.4})
	l := c.light("fire", level.Point, level.Vec{0, 0.12, 0}, 220)
	l.RadiusM, l.RangeM, l.Shadows.NearM, l.FogShare = 0.15, 16, 0.3, 1
	l.Flicker = &level.Flicker{Pattern: "candle", RateHz: 5, Depth: 0.35}
	c.glow("glow", "fire", level.Vec{0, 0.12, 0}, 1.4, 60)
	m := c.motes("sparks", "fire", "box", level.Vec{0, 0.7, 0}, level.Vec{0.6, 1.4, 0.6})
	m.RateHz, m.LifeS, m.SpeedMps, m.WindShare, m.Luminance = 14, 1.8, 0.8, 0.8, 500
}

func torch(c *cook) {
	wood := c.material("wood", "#4a3826", 0)
	c.box("bracket", c.material("iron", "#26221f", 0), level.Vec{0, -0.3, 0.1}, level.Vec{0.06, 0.06, 0.16})
	c.box("staff", wood, level.Vec{0, -0.3, 0}, level.Vec{0.045, 0.5, 0.045})
	l := c.light("flame", level.Point, level.Vec{0, 0.06, 0}, 55)
	l.RadiusM, l.RangeM, l.Shadows.NearM, l.FogShare = 0.06, 11, 0.14, 1
	l.Flicker = &level.Flicker{Pattern: "candle", RateHz: 6, Depth: 0.4}
	c.glow("glow", "flame", level.Vec{0, 0.04, 0}, 0.7, 50)
}

func candleRing(c *cook) {
	iron := c.material("iron", "#2c2e30", 0)
	wax := c.material("wax", "#e6dcc4", 0)
	c.box("chain", iron, level.Vec{0, 0.5, 0}, level.Vec{0.02, 0.9, 0.02})
	c.box("beam-x", iron, level.Vec{0, -0.1, 0}, level.Vec{1.1, 0.04, 0.04})
	c.box("beam-z", iron, level.Vec{0, -0.1, 0}, level.Vec{0.04, 0.04, 1.1})
	for i := range 8 {
		turn := float64(i) * math.Pi / 4
		at := level.Vec{0.5 * math.Cos(turn), 0, 0.5 * math.Sin(turn)}
		n := strconv.Itoa(i + 1)
		c.box("wax-"+n, wax, level.Vec{at[0], -0.05, at[2]}, level.Vec{0.03, 0.08, 0.03})
		if i%2 == 0 { // four lights show as eight do, and cost half
			l := c.light("flame-"+n, level.Point, level.Vec{at[0], 0.02, at[2]}, 2.6)
			l.RadiusM, l.RangeM, l.Shadows.NearM = 0.03, 8, 0.08
			l.Flicker = &level.Flicker{Pattern: "candle", RateHz: 5 + float64(i)/4, Depth: 0.25}
			c.glow("glow-"+n, "flame-"+n, level.Vec{at[0], 0.02, at[2]}, 0.2, 14)
			continue
		}
		c.glow("glow-"+n, "flame-"+strconv.Itoa(i), level.Vec{at[0], 0.02, at[2]}, 0.2, 14)
	}
}

func windowDaylight(c *cook) {
	l := c.light("sky", level.Rect, level.Vec{}, 2200)
	l.WidthM, l.HeightM, l.RangeM, l.FogShare = 1.2, 1.4, 0, 0.6
	m := c.motes("motes", "sky", "shaft", level.Vec{}, level.Vec{1.1, 1.3, 2.2})
	m.RateHz, m.Luminance = 12, 60
}

func moonShaft(c *cook) {
	l := c.light("shaft", level.BoxLight, level.Vec{}, 0.3)
	l.Follows, l.Surfaces, l.FogShare = "moon", false, 1
	l.WidthM, l.HeightM, l.AngularDeg = 1.2, 1.4, 0.53
	v := level.Default[level.FogVolume]()
	c.entity(&v.Entity, "air", level.Vec{0, -0.2, -2})
	v.Size, v.EdgeM, v.Density, v.Luminance = level.Vec{3.2, 3.2, 4.6}, 0.4, 0.04, 0
	c.parts.FogVolumes = append(c.parts.FogVolumes, &v)
}

func doorSpill(c *cook) {
	l := c.light("spill", level.Rect, level.Vec{}, 130)
	l.WidthM, l.HeightM, l.RangeM, l.FogShare = 0.9, 2, 14, 1
	g := c.glow("glow", "spill", level.Vec{0, 0, -0.05}, 2.2, 2)
	g.ToleranceM = 0.2
}

func warningLight(c *cook) {
	c.box("base", c.material("base", "#2a2c2e", 0), level.Vec{0, -0.12, 0}, level.Vec{0.16, 0.08, 0.16})
	l := c.light("lamp", level.Point, level.Vec{}, 35)
	l.RadiusM, l.RangeM, l.Shadows.NearM, l.FogShare = 0.06, 12, 0.1, 1
	l.Flicker = &level.Flicker{Pattern: "pulse", RateHz: 0.8, Depth: 0.9}
	c.glow("glow", "lamp", level.Vec{}, 0.8, 60)
}

func wayOutSign(c *cook) {
	s := c.box("sign", c.material("case", "#20302a", 0), level.Vec{0, 0, 0.04}, level.Vec{0.5, 0.2, 0.05})
	front := level.Face{Index: 5, Surface: s.Surface} // -z
	front.Material = c.material("face", "#3fd68a", 90)
	s.Faces = []level.Face{front}
	l := c.light("light", level.Rect, level.Vec{}, 90)
	l.WidthM, l.HeightM, l.RangeM = 0.46, 0.17, 5
	c.glow("glow", "light", level.Vec{0, 0, -0.03}, 0.7, 6)
}

func bulbString(c *cook) {
	cord := c.material("cord", "#2a2826", 0)
	for i := range 9 {
		x := float64(i) - 4
		y := 0.045 * x * x / 2 // a cord hangs about as a parabola
		n := strconv.Itoa(i + 1)
		c.box("cord-"+n, cord, level.Vec{x, y + 0.09, 0}, level.Vec{1.02, 0.015, 0.015})
		l := c.light("bulb-"+n, level.Point, level.Vec{x, y, 0}, 4)
		l.RadiusM, l.RangeM, l.Shadows.Cast = 0.03, 6, false
		c.glow("glow-"+n, "bulb-"+n, level.Vec{x, y, 0}, 0.3, 25)
	}
}

func pairOfBeams(c *cook) {
	for i, x := range []float64{-0.6, 0.6} {
		n := strconv.Itoa(i + 1)
		c.box("lamp-body-"+n, c.material("chrome-"+n, "#9aa0a4", 0), level.Vec{x, 0, 0.1}, level.Vec{0.22, 0.18, 0.1})
		l := c.light("lamp-"+n, level.Spot, level.Vec{x, 0, 0}, 9000)
		tilt(&l.Entity, -3)
		l.InnerDeg, l.OuterDeg, l.RadiusM, l.RangeM, l.FogShare = 7, 18, 0.08, 60, 1
		b := level.Default[level.Beam]()
		c.entity(&b.Entity, "beam-"+n, level.Vec{})
		b.Light, b.LengthM, b.Luminance = c.rig+"-lamp-"+n, 12, 1.6
		c.parts.Beams = append(c.parts.Beams, &b)
		c.glow("glow-"+n, "lamp-"+n, level.Vec{x, 0, -0.04}, 0.8, 220)
	}
}

func failingTube(c *cook) {
	tubeLight(c)
	c.parts.Lights[0].Flicker = &level.Flicker{Pattern: "faulty", RateHz: 9, Depth: 0.95}
}

func stageBeam(c *cook) {
	c.box("head", c.material("head", "#1e2022", 0), level.Vec{0, 0.16, 0}, level.Vec{0.26, 0.26, 0.26})
	l := c.light("lamp", level.Spot, level.Vec{}, 12000)
	tilt(&l.Entity, -80)
	l.InnerDeg, l.OuterDeg, l.RadiusM, l.RangeM, l.FogShare = 7, 9, 0.06, 30, 1
	b := level.Default[level.Beam]()
	c.entity(&b.Entity, "beam", level.Vec{})
	b.Light, b.LengthM, b.Luminance, b.Falloff = c.rig+"-lamp", 8, 2.4, 0.8
	c.parts.Beams = append(c.parts.Beams, &b)
	m := c.motes("dust", "lamp", "cone", level.Vec{}, level.Vec{2, 2, 7})
	tilt(&m.Entity, -80)
	m.RateHz, m.Luminance = 40, 60
}

func waterGlow(c *cook) {
	l := c.light("water", level.Rect, level.Vec{}, 60)
	tilt(&l.Entity, 90)
	l.WidthM, l.HeightM, l.RangeM, l.FogShare = 2.4, 1.6, 9, 1
	l.Flicker = &level.Flicker{Pattern: "pulse", RateHz: 0.3, Depth: 0.15}
	m := c.motes("glimmer", "water", "box", level.Vec{0, 0.7, 0}, level.Vec{2.2, 1.2, 1.4})
	m.RateHz, m.Luminance = 14, 30
}
