package leveltest

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"

	"grotta/core/level"
)

// Level makes a random small level: a room with a door, blocks, a mesh and a cut-out
// fence in it, some of them hidden, zones, every kind of light, a sun and a sky. It
// has one to three thousand texels.
func Level(r *rand.Rand) *level.Level {
	l := level.New("Random")
	l.Lightmap.Density, l.Lightmap.PageSize = 1.5+r.Float64(), 128
	l.Images = []*level.Image{Image(r), Image(r)}
	l.Images[0].ID, l.Images[1].ID = "holes", "bars"
	l.Profiles = []*level.LightProfile{{ID: "narrow", Data: profile(40)}, {ID: "wide", Data: profile(80)}}
	addMaterials(r, l)
	addRoom(r, l)
	addThings(r, l)
	addLights(r, l)
	addZones(l)
	l.Environment.Sun = ptr(level.Default[level.Sun]())
	l.Environment.Sun.AltitudeDeg, l.Environment.Sun.AngularDeg = 20+r.Float64()*50, r.Float64()*3
	l.Environment.Sky.Kind, l.Environment.Sky.Luminance = []string{level.SkySolid, level.SkyGradient, level.SkyOvercast, level.SkyClear}[r.IntN(4)], 2000
	l.Environment.Ambient.Strength = r.Float64()
	if err := l.Validate(); err != nil {
		panic(err)
	}
	return l
}

func ptr[T any](v T) *T { return &v }

// Image is a small random image with holes, of 8 by 8 pixels.
func Image(r *rand.Rand) *level.Image {
	m := image.NewNRGBA(image.Rect(0, 0, 8, 8))
	for y := range 8 {
		for x := range 8 {
			alpha := uint8(255)
			if r.IntN(3) == 0 {
				alpha = 0
			}
			m.SetNRGBA(x, y, color.NRGBA{uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256)), alpha})
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		panic(err)
	}
	return &level.Image{ID: "image", Data: b.Bytes()}
}

func addMaterials(r *rand.Rand, l *level.Level) {
	for _, id := range []string{"plaster", "panel", "lace"} {
		m := level.Default[level.Material]()
		m.ID, m.Color = id, fmt.Sprintf("#%02x%02x%02x", 60+r.IntN(150), 60+r.IntN(150), 60+r.IntN(150))
		l.Materials = append(l.Materials, &m)
	}
	l.Materials[1].Emission = 40
	l.Materials[2].Image, l.Materials[2].Cutoff, l.Materials[2].TwoSided = "holes", 0.5, true
}

func addBlock(l *level.Level, id string, at, size level.Vec) *level.Solid {
	s := level.Default[level.Solid]()
	s.ID, s.Transform.Position, s.Size = id, at, size
	l.Solids = append(l.Solids, &s)
	return &s
}

// addRoom is 6 by 5 by 3 metres, with a wall across that has a gap.
func addRoom(r *rand.Rand, l *level.Level) {
	addBlock(l, "floor", level.Vec{0, -0.1, 0}, level.Vec{6.4, 0.2, 5.4}).Surface.Material = "plaster"
	addBlock(l, "west", level.Vec{-3.1, 1.5, 0}, level.Vec{0.2, 3, 5.4})
	addBlock(l, "east", level.Vec{3.1, 1.5, 0}, level.Vec{0.2, 3, 5.4})
	addBlock(l, "north", level.Vec{0, 1.5, -2.6}, level.Vec{6, 3, 0.2})
	addBlock(l, "across", level.Vec{0, 1.5, -1}, level.Vec{0.15, 3, 3})
	if r.IntN(3) > 0 {
		addBlock(l, "south", level.Vec{0, 1.5, 2.6}, level.Vec{6, 3, 0.2})
	}
	if r.IntN(3) > 0 {
		addBlock(l, "ceiling", level.Vec{0, 3.1, 0}, level.Vec{6.4, 0.2, 5.4})
	}
}

func addThings(r *rand.Rand, l *level.Level) {
	place := func() level.Vec { return level.Vec{r.Float64()*5 - 2.5, r.Float64() * 2, r.Float64()*4 - 2} }
	for i := range 2 + r.IntN(3) {
		s := addBlock(l, fmt.Sprintf("crate-%d", i), place(), level.Vec{0.3 + r.Float64(), 0.3 + r.Float64(), 0.3 + r.Float64()})
		s.Surface.Visible, s.Surface.CastsShadow = r.IntN(5) > 0, r.IntN(5) > 0
		if r.IntN(2) == 0 {
			s.Faces = []level.Face{{Index: r.IntN(6), Surface: level.Surface{Material: "panel", Visible: true, CastsShadow: true, ReceivesLight: true}}}
		}
	}
	wedge := addBlock(l, "wedge", level.Vec{1.5, 0, 1}, level.Vec{})
	h := math.Sqrt2 / 2
	wedge.Planes = []level.Plane{
		{Normal: level.Vec{h, h, 0}, Distance: 0.4}, {Normal: level.Vec{-1, 0, 0}, Distance: 0.4}, {Normal: level.Vec{0, -1, 0}, Distance: 0.1},
		{Normal: level.Vec{0, 0, 1}, Distance: 0.5}, {Normal: level.Vec{0, 0, -1}, Distance: 0.5},
	}
	fence := level.Default[level.Mesh]()
	fence.ID, fence.Surface.Material = "fence", "lace"
	fence.Positions = []float64{-1, 0, 0, 1, 0, 0, 1, 1.5, 0, -1, 1.5, 0}
	fence.UVs = []float64{0, 1, 1, 1, 1, 0, 0, 0}
	fence.Indices = []uint32{0, 1, 2, 0, 2, 3}
	fence.Transform.Position = level.Vec{-1, 0, 1.2}
	tent := level.Default[level.Mesh]()
	tent.ID = "tent"
	tent.Positions = []float64{-0.6, 0, -0.6, 0.6, 0, -0.6, 0.6, 0, 0.6, -0.6, 0, 0.6, 0, 1, 0}
	tent.Indices = []uint32{0, 4, 1, 1, 4, 2, 2, 4, 3, 3, 4, 0}
	tent.Transform.Position = level.Vec{2, 0, -1.5}
	l.Meshes = []*level.Mesh{&fence, &tent}
}

// profile is a made-up luminaire that shines evenly down to an angle.
func profile(end int) []byte {
	return fmt.Appendf(nil, "IESNA:LM-63-2002\nTILT=NONE\n1 -1 1 4 1 1 2 0 0 0 1 1 1\n0 %d %d 90\n0\n100 100 0 0\n", end, end+5)
}

func addLights(r *rand.Rand, l *level.Level) {
	for i, kind := range []string{level.Point, level.Spot, level.Dome, level.Directional, level.BoxLight, level.Rect, level.Tube} {
		if r.IntN(2) == 0 && i > 1 {
			continue
		}
		light := level.NewLight(fmt.Sprintf("lamp-%d", i), kind)
		light.Transform.Position = level.Vec{r.Float64()*5 - 2.5, 1 + r.Float64()*1.8, r.Float64()*4 - 2}
		light.Transform.Rotation = [4]float64{-math.Sqrt2 / 2, 0, 0, math.Sqrt2 / 2}
		light.RadiusM = r.Float64() * 0.1 * float64(r.IntN(2))
		if kind == level.Spot {
			light.Gobo = ptr(level.Default[level.Gobo]())
			light.Gobo.Image = "bars"
		}
		l.Lights = append(l.Lights, light)
	}
	rig := level.Default[level.Rig]()
	rig.ID = "rig"
	l.Rigs = []*level.Rig{&rig}
}

func addZones(l *level.Level) {
	for i, x := range []float64{-3, 0} {
		z := level.Default[level.Zone]()
		z.ID = fmt.Sprintf("zone-%d", i)
		z.Boxes = []level.Box{{Min: level.Vec{x, 0, -3}, Max: level.Vec{x + 3, 3, 3}}}
		z.Ambient = ptr(level.Default[level.Ambient]())
		z.Ambient.Strength = float64(1 + i)
		l.Zones = append(l.Zones, &z)
	}
}
