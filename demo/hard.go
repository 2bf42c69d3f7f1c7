package demo

import (
	"fmt"
	"math"
	"strings"

	"grotta/core/geom"
	"grotta/core/level"
)

// HardPlace is a level in which light is hard to compute, and which surfaces show whether it
// was.
type HardPlace struct {
	Label  string
	Level  *level.Level
	Judged []string // beginnings of the ids of what is judged
}

// Judges tells whether what has an id is judged.
func (p *HardPlace) Judges(id string) bool {
	for _, name := range p.Judged {
		if strings.HasPrefix(id, name) {
			return true
		}
	}
	return false
}

// hall is a closed room of one material from the origin, with a width, height and depth. Only
// its inside takes texels.
func hall(name string, size level.Vec, grey string, open ...string) *builder {
	b := &builder{level.New(name)}
	b.material("plaster", "Plaster", grey)
	w, h, d := size[0], size[1], size[2]
	const t = 0.2
	for _, p := range []struct {
		id           string
		middle, size level.Vec
		inner        int // its face toward the room
	}{
		{"floor", level.Vec{w / 2, -t / 2, d / 2}, level.Vec{w + 2*t, t, d + 2*t}, 2},
		{"ceiling", level.Vec{w / 2, h + t/2, d / 2}, level.Vec{w + 2*t, t, d + 2*t}, 3},
		{"west", level.Vec{-t / 2, h / 2, d / 2}, level.Vec{t, h, d}, 0},
		{"east", level.Vec{w + t/2, h / 2, d / 2}, level.Vec{t, h, d}, 1},
		{"north", level.Vec{w / 2, h / 2, -t / 2}, level.Vec{w + 2*t, h, t}, 4},
		{"south", level.Vec{w / 2, h / 2, d + t/2}, level.Vec{w + 2*t, h, t}, 5},
	} {
		if len(open) > 0 && open[0] == p.id {
			continue
		}
		s := b.box(p.id, "plaster", p.middle, p.size)
		for face := range 6 {
			if face != p.inner {
				noLight(s, face)
			}
		}
	}
	b.l.Environment.Ambient.Strength, b.l.Environment.Sky.Luminance = 0, 0
	b.l.Lightmap.Density = 5
	b.l.Look.ExposureEV = 6
	b.viewpoint("inside", "Inside", level.Vec{w * 0.9, h * 0.6, d * 0.1}, level.Vec{w * 0.2, h * 0.25, d * 0.8}, 70)
	return b
}

// spot adds a spot with a hard edge, straight down.
func (b *builder) spot(at level.Vec, candela, outerDeg float64) {
	l := b.light("lamp", "Lamp", level.Spot, at, candela, 0)
	l.InnerDeg, l.OuterDeg, l.RangeM, l.RadiusM = 0.95*outerDeg, outerDeg, 0, 0
	aim(&l.Entity, geom.Vec3{0, -1, 0})
}

// Blinds is a room with slats of a pitch for a south wall, shifted upward, in the sun.
func Blinds(pitch, shift float64) *level.Level {
	b := hall("Blinds", level.Vec{4, 2.6, 3}, "#bcbcbc", "south")
	for i := 0; float64(i)*pitch < 2.6; i++ {
		s := b.box(fmt.Sprintf("slat-%d", i), "plaster", level.Vec{2, float64(i)*pitch + shift, 3.1}, level.Vec{4.4, pitch / 2, 0.02})
		noLight(s, 0, 1, 2, 3, 4)
	}
	sun := level.Default[level.Sun]()
	sun.AzimuthDeg, sun.AltitudeDeg, sun.Lux, sun.Color = 180, 42, 20000, "#ffffff"
	b.l.Environment.Sun = &sun
	return b.l
}

// SunlitHall is a hall with two windows to the south, and ground before it that the sun lights as well.
func SunlitHall() *level.Level {
	b := hall("Sunlit hall", level.Vec{9, 4, 7}, "#bcbcbc", "south")
	for i, p := range []struct{ from, to, low, high float64 }{{0, 2, 0, 4}, {3, 6, 0, 4}, {7, 9, 0, 4}, {2, 3, 0, 1}, {2, 3, 2.5, 4}, {6, 7, 0, 1}, {6, 7, 2.5, 4}} {
		noLight(b.box(fmt.Sprintf("south-%d", i), "plaster", level.Vec{(p.from + p.to) / 2, (p.low + p.high) / 2, 7.1}, level.Vec{p.to - p.from, p.high - p.low, 0.2}), 4)
	}
	noLight(b.box("ground", "plaster", level.Vec{4.5, -0.1, 14.3}, level.Vec{30, 0.2, 14}), 0, 1, 3, 4, 5)
	b.l.Lightmap.Density = 3
	sun := level.Default[level.Sun]()
	sun.AzimuthDeg, sun.AltitudeDeg, sun.Lux, sun.Color = 165, 30, 20000, "#ffffff"
	b.l.Environment.Sun = &sun
	return b.l
}

// SmallSpot is a room lit by a spot that is smaller than a texel or two.
func SmallSpot(radius, along float64) *level.Level {
	b := hall("Small spot", level.Vec{4, 2.6, 3}, "#bcbcbc")
	b.spot(level.Vec{1.6 + along, 2.4, 1.4}, 4000, math.Atan(radius/2.4)*180/math.Pi)
	return b.l
}

// LampByAWall is a dim hall with a bare lamp close to one end of it.
func LampByAWall() *level.Level {
	b := hall("Lamp by a wall", level.Vec{8, 2.6, 3}, "#808080")
	l := b.light("lamp", "Lamp", level.Point, level.Vec{0.15, 1.3, 1.5}, 40, 0)
	l.RangeM, l.RadiusM = 0, 0
	return b.l
}

// HardPlaces are those that the table of errors is about.
func HardPlaces() []HardPlace {
	bounced := []string{"ceiling", "west", "east", "north"}
	patch := hall("Bright patch", level.Vec{8, 4, 8}, "#bcbcbc")
	patch.spot(level.Vec{2.5, 3.9, 2.5}, 20000, math.Atan(0.25/3.9)*180/math.Pi)
	patch.l.Lightmap.Density = 3

	window := hall("Window", level.Vec{5, 2.6, 4}, "#bcbcbc", "south")
	for _, p := range []struct {
		middle, size level.Vec
	}{
		{level.Vec{1, 1.3, 4.1}, level.Vec{2, 2.6, 0.2}}, {level.Vec{4, 1.3, 4.1}, level.Vec{2, 2.6, 0.2}},
		{level.Vec{2.5, 0.45, 4.1}, level.Vec{1, 0.9, 0.2}}, {level.Vec{2.5, 2.25, 4.1}, level.Vec{1, 0.7, 0.2}},
	} {
		noLight(window.box(fmt.Sprintf("south-%d", len(window.l.Solids)), "plaster", p.middle, p.size), 4)
	}
	window.l.Environment.Sky.Kind, window.l.Environment.Sky.Color, window.l.Environment.Sky.Luminance = level.SkySolid, "#ffffff", 3000

	corridor := hall("Corridor", level.Vec{6, 2.6, 6}, "#bcbcbc")
	noLight(corridor.box("middle", "plaster", level.Vec{3.8, 1.3, 3.8}, level.Vec{4.4, 2.6, 4.4}), 0, 2, 3, 4)
	lamp := corridor.light("lamp", "Lamp", level.Point, level.Vec{0.8, 2, 5.4}, 300, 0)
	lamp.RangeM = 0
	noLight(corridor.box("screen", "plaster", level.Vec{0.5, 1.3, 4.2}, level.Vec{1, 2.6, 0.1}), 0, 1, 2, 3)

	corner := hall("Spot in a corner", level.Vec{4, 2.6, 3}, "#bcbcbc")
	corner.spot(level.Vec{2, 2, 1.5}, 4000, 4)
	aim(&corner.l.Lights[0].Entity, geom.Vec3{2, -1.2, 1.5})

	return []HardPlace{
		{"blinds of 0.17 m", Blinds(0.17, 0.03), bounced},
		{"blinds of 0.12 m", Blinds(0.12, 0.05), bounced},
		{"spot of 0.2 m", SmallSpot(0.2, 0.11), bounced},
		{"spot of 0.13 m", SmallSpot(0.13, 0.07), bounced},
		{"bright patch in a big room", patch.l, []string{"ceiling", "west", "east", "north", "south"}},
		{"spot in a corner", corner.l, []string{"ceiling", "west", "north"}},
		{"window, even sky", window.l, []string{"floor", "ceiling", "west", "east", "north"}},
		{"corridor by bounces", corridor.l, []string{"floor", "ceiling", "north"}},
	}
}

// slanted is a closed room with a wall of 10 mm at 45 degrees and a lamp on one side, seen from the
// other.
func slanted() *level.Level {
	b := hall("Slanted wall", level.Vec{4, 2.6, 3}, "#bcbcbc")
	wall := b.box("wall", "plaster", level.Vec{2, 1.3, 1.5}, level.Vec{0.01, 3.8, 3.1})
	wall.Transform.Rotation = [4]float64{0, 0, math.Sin(math.Pi / 8), math.Cos(math.Pi / 8)}
	b.light("lamp", "Lamp", level.Point, level.Vec{3, 1.6, 1.5}, 200, 0).RangeM = 0
	b.viewpoint("dark-side", "Dark side", level.Vec{0.3, 0.8, 2.7}, level.Vec{2.6, 0.3, 1}, 70)
	return b.l
}

// curtain is a room with a sheet of two sides across it. It is seen from the lamp's side, to which the
// sheet turns its back, and from the other.
func curtain(translucency float64) *level.Level {
	b := hall("Curtain", level.Vec{4, 2.6, 3}, "#bcbcbc")
	cloth := level.Default[level.Material]()
	cloth.ID, cloth.Name, cloth.Color, cloth.TwoSided = "cloth", "Cloth", "#c8a080", true
	cloth.Translucency = translucency
	b.l.Materials = append(b.l.Materials, &cloth)
	sheet := level.Default[level.Mesh]()
	sheet.ID, sheet.Name, sheet.Surface.Material = "sheet", "Sheet", "cloth"
	const folds = 40
	for i := range folds + 1 {
		x, z := 2+0.06*math.Sin(float64(i)*1.1), 3*float64(i)/folds
		sheet.Positions = append(sheet.Positions, x, 0, z, x, 2.6, z)
		if k := uint32(2 * i); i < folds {
			sheet.Indices = append(sheet.Indices, k, k+2, k+1, k+1, k+2, k+3)
		}
	}
	b.l.Meshes = append(b.l.Meshes, &sheet)
	b.light("lamp", "Lamp", level.Point, level.Vec{3.2, 2, 1.5}, 200, 0).RangeM = 0
	b.viewpoint("behind", "Behind", level.Vec{0.2, 1.5, 2.8}, level.Vec{2, 1, 0.8}, 75)
	b.viewpoint("lamp-side", "Lamp side", level.Vec{3.7, 1.6, 2.7}, level.Vec{1.8, 1, 1}, 70)
	return b.l
}

// barrels is a yard corner with a barrel, a pipe and a ball, with or without normals.
func barrels(smooth bool) *level.Level {
	b := &builder{level.New("Barrels")}
	b.material("tin", "Tin", "#a8a49c")
	b.material("ground", "Ground", "#8a8378")
	b.box("floor", "ground", level.Vec{0, -0.1, 0}, level.Vec{6, 0.2, 6})
	b.box("back", "ground", level.Vec{0, 1.4, -1.6}, level.Vec{6, 3, 0.2})
	turned := func(id string, at level.Vec, around int, profile [][2]float64) { // radius and height
		m := level.Default[level.Mesh]()
		m.ID, m.Surface.Material, m.Transform.Position = id, "tin", at
		for j, p := range profile {
			before, after := profile[max(j-1, 0)], profile[min(j+1, len(profile)-1)]
			n := geom.Vec3{after[1] - before[1], before[0] - after[0], 0}.Normalize() // out of the profile, along its radius
			for i := range around {
				sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(around))
				m.Positions = append(m.Positions, p[0]*cos, p[1], p[0]*sin)
				if smooth {
					m.Normals = append(m.Normals, n[0]*cos, n[1], n[0]*sin)
				}
				if j > 0 {
					a, c := uint32((j-1)*around+i), uint32((j-1)*around+(i+1)%around)
					up := uint32(around)
					m.Indices = append(m.Indices, a, a+up, c, c, a+up, c+up)
				}
			}
		}
		b.l.Meshes = append(b.l.Meshes, &m)
	}
	var drum, sphere [][2]float64
	for j := range 7 {
		y := float64(j) / 6
		drum = append(drum, [2]float64{0.34 + 0.07*math.Sin(math.Pi*y), 1.1 * y})
	}
	for j := range 9 {
		sin, cos := math.Sincos(math.Pi * float64(j) / 8)
		sphere = append(sphere, [2]float64{0.45 * max(sin, 1e-3), 0.45 - 0.45*cos})
	}
	turned("barrel", level.Vec{-0.7, 0, -0.4}, 16, drum)
	turned("ball", level.Vec{0.7, 0, 0.1}, 16, sphere)
	turned("pipe", level.Vec{0.2, 0, -1.1}, 10, [][2]float64{{0.14, 0}, {0.14, 2.4}})
	b.l.Environment.Ambient.Strength, b.l.Environment.Sky.Luminance = 0, 300
	b.l.Environment.Sun = &level.Sun{}
	*b.l.Environment.Sun = level.Default[level.Sun]()
	b.l.Environment.Sun.AzimuthDeg, b.l.Environment.Sun.AltitudeDeg, b.l.Environment.Sun.Lux = 240, 30, 5000
	b.l.Lightmap.Density = 16
	b.viewpoint("inside", "Inside", level.Vec{0.4, 1.3, 2.6}, level.Vec{0, 0.6, -0.4}, 50)
	return b.l
}

// SurfacePairs are places that look other by what their surfaces are, seen from their first viewpoint.
func SurfacePairs() [][2]HardPlace {
	opaque, cloth := curtain(0), curtain(0.4)
	opaque.Lightmap.Density, cloth.Lightmap.Density = 14, 14
	return [][2]HardPlace{
		{{Label: "flat triangles", Level: barrels(false)}, {Label: "with normals", Level: barrels(true)}},
		{{Label: "a curtain with two sides", Level: opaque}, {Label: "translucency 0.4", Level: cloth}},
	}
}

// HardPictures are the hard places to look at: those that are measured, and walls and sheets behind
// which it should be dark.
func HardPictures() []HardPlace {
	return append(HardPlaces(), HardPlace{Label: "slanted wall of 10 mm", Level: slanted()}, HardPlace{Label: "curtain from behind", Level: curtain(0)})
}
