package demo

import (
	"grotta/core/geom"
	"grotta/core/level"
)

// pool is a court of the mill with a basin of water, a stair into it and a post that stands in it.
func pool(edit func(l *level.Level, w *level.Water)) *level.Level {
	b := &builder{level.New("Basin")}
	l := b.l
	b.material("flags", "Flagstones", "#8d8579")
	b.material("tiles", "Tiles", "#d8d6cc")
	b.material("brick", "Brick", "#8e4f3e")
	b.material("oak", "Oak", "#7a5a3c")
	b.material("basin-water", "Water", "#16221f")
	water := level.Default[level.Water]()
	l.Materials[len(l.Materials)-1].Water = &water
	const deep = 1.4
	b.box("north", "flags", level.Vec{0, -deep / 2, -3.5}, level.Vec{10, deep, 3})
	b.box("south", "flags", level.Vec{0, -deep / 2, 3.5}, level.Vec{10, deep, 3})
	b.box("west", "flags", level.Vec{-4, -deep / 2, 0}, level.Vec{2, deep, 4})
	b.box("east", "flags", level.Vec{4, -deep / 2, 0}, level.Vec{2, deep, 4})
	b.box("bottom", "tiles", level.Vec{0, -deep - 0.1, 0}, level.Vec{10, 0.2, 10})
	for i := range 4 {
		high := 1.1 - 0.3*float64(i)
		b.box("step-"+string(rune('a'+i)), "tiles", level.Vec{-2.8 + 0.4*float64(i), -deep + high/2, 0.9}, level.Vec{0.4, high, 1.6})
	}
	b.box("water", "basin-water", level.Vec{0, -0.1 - (deep-0.1)/2, 0}, level.Vec{6, deep - 0.1, 4})
	b.box("wall", "brick", level.Vec{0, 1.5, -5.1}, level.Vec{10, 3, 0.2})
	b.box("side", "brick", level.Vec{5.1, 1.5, 0}, level.Vec{0.2, 3, 10})
	b.prism("post", "oak", level.Vec{1.2, -deep, -0.8}, 12, 0.14, 0.14, 2.6)
	b.prism("drum", "tiles", level.Vec{2, 0, -2.6}, 20, 0.35, 0.35, 0.6)
	b.viewpoint("edge", "Edge", level.Vec{-3.4, 1.6, 4.2}, level.Vec{0.7, -0.5, -0.6}, 52)
	l.Environment.Mode = "outdoor"
	l.Environment.Ambient.Strength = 0
	l.Lightmap.Density = 12
	edit(l, &water)
	return l
}

func byDay(l *level.Level) {
	sun := level.Default[level.Sun]()
	sun.AzimuthDeg, sun.AltitudeDeg = 215, 42
	l.Environment.Sun = &sun
	l.Environment.Sky.Kind, l.Environment.Sky.Luminance = level.SkyClear, 6000
	l.Look.ExposureEV = 12.7
}

// Pools is water that is still and clear, rough, murky, and lit by lamps at night, one of them in it.
func Pools() []Exhibit {
	return []Exhibit{
		{"still, clarity 2 m", pool(func(l *level.Level, w *level.Water) {
			byDay(l)
			w.WaveM = 0
		})},
		{"waves of 6 cm", pool(func(l *level.Level, w *level.Water) {
			byDay(l)
			w.WaveM, w.LengthM = 0.06, 1.4
		})},
		{"murky, clarity 0.4 m", pool(func(l *level.Level, w *level.Water) {
			byDay(l)
			w.WaveM, w.ClarityM, w.Tint = 0.01, 0.4, "#a09a60"
			l.Materials[len(l.Materials)-1].Color = "#4a4a2c"
		})},
		{"by night, a lamp in it", pool(func(l *level.Level, w *level.Water) {
			l.Environment.Sky.Kind, l.Environment.Sky.Color, l.Environment.Sky.Luminance = level.SkySolid, "#20304a", 0.6
			l.Look.ExposureEV = 4.5
			w.WaveM = 0.01
			b := &builder{l}
			b.light("under", "Under water", level.Point, level.Vec{-0.4, -0.9, -1.2}, 260, 5200).RangeM = 0
			over := b.light("over", "Wall lamp", level.Spot, level.Vec{3, 2.6, -4.6}, 300, 2400)
			over.RangeM, over.InnerDeg, over.OuterDeg = 0, 30, 60
			aim(&over.Entity, geom.Vec3{-0.2, -1, 0.6})
		})},
	}
}
