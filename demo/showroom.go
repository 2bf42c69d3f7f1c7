package demo

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"

	"grotta/core/geom"
	"grotta/core/level"
)

// Exhibit is one way to light the showroom.
type Exhibit struct {
	Label string
	Level *level.Level
}

// showroom is a bare store room of the station with a ball, a post and a crate:
// the same for every exhibit.
func showroom() *builder {
	b := &builder{level.New("Store room")}
	l := b.l
	b.material("wall-paint", "Wall", "#cfcac0")
	b.material("floor-board", "Floor", "#9c8b76")
	b.material("red-paint", "Red wall", "#b8503f")
	b.material("crate-wood", "Crate", "#a8845a")
	b.material("chalk", "Chalk", "#e4e2dc")
	b.box("floor", "floor-board", level.Vec{0, -0.1, 0}, level.Vec{5.4, 0.2, 4.4})
	b.box("ceiling", "wall-paint", level.Vec{0, 2.9, 0}, level.Vec{5.4, 0.2, 4.4})
	b.wall("north", "wall-paint", true, -2.7, 2.7, -2.1, 0, 2.8, 0.2)
	b.wall("west", "red-paint", false, -2, 2, -2.6, 0, 2.8, 0.2)
	b.wall("east", "wall-paint", false, -2, 2, 2.6, 0, 2.8, 0.2, opening{-0.9, 0.5, 0.9, 2.1})
	b.box("crate", "crate-wood", level.Vec{-1.2, 0.35, -0.9}, level.Vec{0.7, 0.7, 0.7}).Transform.Rotation = quatArray(quatY(24))
	b.prism("post", "chalk", level.Vec{0.9, 0, -0.6}, 12, 0.16, 0.16, 1.5)
	b.prism("drum", "chalk", level.Vec{-0.1, 0, 0.2}, 20, 0.32, 0.32, 0.4)
	b.viewpoint("front", "Front", level.Vec{0.3, 1.5, 4.4}, level.Vec{0, 1.15, -1.5}, 46)
	l.Lightmap.Density = 20
	l.Look.ExposureEV = 4
	l.Environment.Ambient.Strength = 0
	return b
}

// LightKinds is every kind of light in the same room.
func LightKinds() []Exhibit {
	lit := func(label, kind string, strength float64, at level.Vec, toward geom.Vec3, edit func(*level.Light)) Exhibit {
		b := showroom()
		light := b.light("lamp", "Lamp", kind, at, strength, 3400)
		aim(&light.Entity, toward)
		light.RangeM = 0
		if edit != nil {
			edit(light)
		}
		return Exhibit{label, b.l}
	}
	down := geom.Vec3{0, -1, 0}
	gobo := lit("spot with a gobo", level.Spot, 620, level.Vec{1.4, 2.4, 1.6}, geom.Vec3{-0.7, -0.45, -1}, func(l *level.Light) {
		l.InnerDeg, l.OuterDeg = 28, 32
		l.Gobo = &level.Gobo{Image: "panes", FovDeg: 50, FocusM: 4.5, Blur: 0.06}
	})
	gobo.Level.Images = []*level.Image{{ID: "panes", Name: "Leaded panes", Data: panes(), Credit: "Grotta demo", Licence: "CC0-1.0"}}
	emissive := showroom()
	glass := level.Default[level.Material]()
	glass.ID, glass.Name, glass.Color, glass.Emission = "lit-glass", "Lit glass", "#ffd9a0", 900
	emissive.l.Materials = append(emissive.l.Materials, &glass)
	emissive.box("panel", "lit-glass", level.Vec{0.4, 2.0, -1.97}, level.Vec{1.5, 0.5, 0.06})
	return []Exhibit{
		lit("point", level.Point, 60, level.Vec{0.1, 2.2, 0.3}, down, nil),
		lit("point, a ball of 0.25 m", level.Point, 60, level.Vec{0.1, 2.2, 0.3}, down, func(l *level.Light) { l.RadiusM = 0.25 }),
		lit("spot", level.Spot, 320, level.Vec{0.2, 2.6, 0.6}, geom.Vec3{-0.15, -1, -0.5}, func(l *level.Light) { l.InnerDeg, l.OuterDeg, l.RadiusM = 20, 34, 0.04 }),
		gobo,
		lit("dome", level.Dome, 60, level.Vec{0.1, 1.9, -0.2}, geom.Vec3{0, 1, 0}, func(l *level.Light) { l.RadiusM = 0.05 }),
		lit("directional, a disc of 3 degrees", level.Directional, 300, level.Vec{}, geom.Vec3{-1, -0.6, -0.35}, func(l *level.Light) { l.AngularDeg = 3 }),
		lit("box", level.BoxLight, 420, level.Vec{0.6, 2.7, 0.3}, geom.Vec3{-0.35, -1, -0.45}, func(l *level.Light) { l.WidthM, l.HeightM, l.AngularDeg = 1.1, 1.1, 0.5 }),
		lit("rect", level.Rect, 420, level.Vec{1.9, 1.6, 0.5}, geom.Vec3{-1, -0.2, -0.5}, func(l *level.Light) { l.WidthM, l.HeightM = 0.9, 1.2 }),
		lit("tube", level.Tube, 2600, level.Vec{0, 2.7, -0.6}, down, func(l *level.Light) { l.LengthM, l.RadiusM = 2.4, 0.02 }),
		{"emissive surface", emissive.l},
		lit("linear falloff to 3 m", level.Point, 26, level.Vec{0.1, 2.0, 0.3}, down, func(l *level.Light) { l.Falloff, l.RangeM, l.RadiusM = level.Linear, 3, 0.05 }),
		sky("sun through the opening", func(l *level.Level) {
			sun := level.Default[level.Sun]()
			sun.AzimuthDeg, sun.AltitudeDeg, sun.Lux = 82, 28, 2600
			l.Environment.Sun = &sun
			l.Environment.Sky.Kind, l.Environment.Sky.Color, l.Environment.Sky.Luminance = level.SkyClear, "#a9c4ea", 120
		}),
	}
}

func sky(label string, edit func(*level.Level)) Exhibit {
	b := showroom()
	edit(b.l)
	return Exhibit{label, b.l}
}

// Skies is every kind of sky over the open yard of the store room.
func Skies() []Exhibit {
	yard := func(label string, edit func(*level.Level)) Exhibit {
		b := &builder{level.New("Yard")}
		b.material("turf", "Salt turf", "#6a7050")
		b.material("lime", "Limewash", "#d9d2c4")
		b.material("slate", "Slate", "#4a4e55")
		b.box("ground", "turf", level.Vec{0, -0.25, 0}, level.Vec{60, 0.5, 60}).Surface.Density = 4
		b.box("store", "lime", level.Vec{-1.5, 1.3, -3}, level.Vec{4, 2.6, 3})
		b.gable("store-roof", "slate", level.Vec{-1.5, 2.6, -3}, 4.6, 3.8, 1.3)
		b.prism("tank", "lime", level.Vec{2.4, 0, -1.6}, 20, 0.8, 0.8, 1.7)
		b.viewpoint("yard", "Yard", level.Vec{4.5, 1.7, 6.5}, level.Vec{-0.3, 1.2, -2}, 52)
		b.l.Lightmap.Density = 10
		b.l.Environment.Sky.Luminance, b.l.Environment.Sky.GroundColor = 2000, "#585c44"
		edit(b.l)
		return Exhibit{label, b.l}
	}
	sun := func(l *level.Level, altitude, lux float64) {
		s := level.Default[level.Sun]()
		s.AzimuthDeg, s.AltitudeDeg, s.Lux = 120, altitude, lux
		l.Environment.Sun = &s
	}
	return []Exhibit{
		yard("solid", func(l *level.Level) { l.Environment.Sky.Color = "#9db4cc" }),
		yard("gradient", func(l *level.Level) {
			l.Environment.Sky.Kind, l.Environment.Sky.Color, l.Environment.Sky.HorizonColor, l.Environment.Sky.GroundColor = level.SkyGradient, "#5878b4", "#f0c8a0", "#585c44"
		}),
		yard("overcast (CIE)", func(l *level.Level) {
			l.Environment.Sky.Kind, l.Environment.Sky.Color = level.SkyOvercast, "#d8dde2"
		}),
		yard("clear (CIE), sun 40 degrees high", func(l *level.Level) {
			l.Environment.Sky.Kind, l.Environment.Sky.Color = level.SkyClear, "#8fb0e0"
			sun(l, 40, 30000)
		}),
		yard("clear, sun 8 degrees high", func(l *level.Level) {
			l.Environment.Sky.Kind, l.Environment.Sky.Color = level.SkyClear, "#8fb0e0"
			sun(l, 8, 9000)
			l.Environment.Sun.Kelvin = 3300
		}),
		yard("image, afterglow in the west", func(l *level.Level) {
			l.Environment.Sky.Kind, l.Environment.Sky.Image, l.Environment.Sky.Luminance = level.SkyImage, "evening", 9000
			l.Images = []*level.Image{{ID: "evening", Name: "Evening", Data: evening(), Credit: "Grotta demo", Licence: "CC0-1.0"}}
		}),
	}
}

// panes is a window of leaded panes, some of them tinted.
func panes() []byte {
	img := image.NewNRGBA(image.Rect(0, 0, 96, 96))
	tints := []color.NRGBA{{255, 250, 240, 255}, {255, 190, 90, 255}, {120, 180, 255, 255}, {235, 110, 90, 255}}
	for y := range 96 {
		for x := range 96 {
			c := color.NRGBA{0, 0, 0, 255}
			if x%24 > 2 && y%32 > 2 {
				c = tints[(x/24*2+y/32*3)%len(tints)]
			}
			img.SetNRGBA(x, y, c)
		}
	}
	return encoded(img)
}

// evening is a sky image: deep blue above, afterglow in the west, dark land below.
func evening() []byte {
	const width, height = 512, 256
	img := image.NewNRGBA(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			up := 1 - 2*float64(y)/height // sine-like, 1 at the zenith
			if up < 0 {
				img.SetNRGBA(x, y, color.NRGBA{44, 46, 36, 255})
				continue
			}
			west := (float64(x)/width - 0.25) * 5
			glow := math.Exp(-west*west - up*up*22)
			c := func(base, lit float64) uint8 { return uint8(min(255, base*(0.5+0.5*up)+lit*glow)) }
			img.SetNRGBA(x, y, color.NRGBA{c(52, 245), c(66, 170), c(112, 70), 255})
		}
	}
	return encoded(img)
}

func encoded(img image.Image) []byte {
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err) // an image in memory can be written
	}
	return b.Bytes()
}
