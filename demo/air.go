package demo

import (
	"fmt"

	"grotta/core/geom"
	"grotta/core/level"
)

func (b *builder) fogVolume(id, name string, box level.Box, density float64) *level.FogVolume {
	v := level.Default[level.FogVolume]()
	v.ID, v.Name, v.Density = id, name, density
	for axis := range 3 {
		v.Size[axis] = box.Max[axis] - box.Min[axis]
		v.Transform.Position[axis] = (box.Min[axis] + box.Max[axis]) / 2
	}
	b.l.FogVolumes = append(b.l.FogVolumes, &v)
	return &v
}

func (b *builder) beam(id, name, light string, length, nits float64) *level.Beam {
	v := level.Default[level.Beam]()
	v.ID, v.Name, v.Light, v.LengthM, v.Luminance = id, name, light, length, nits
	b.l.Beams = append(b.l.Beams, &v)
	return &v
}

func (b *builder) motes(id, name, light string, middle, size level.Vec) *level.Motes {
	v := level.Default[level.Motes]()
	v.ID, v.Name, v.ColorFrom, v.Size = id, name, light, size
	v.Transform.Position = middle
	b.l.Motes = append(b.l.Motes, &v)
	return &v
}

// path adds a camera's way: places, and what it looks at from each.
func (b *builder) path(id, name string, seconds float64, places, looks []level.Vec) {
	p := level.Default[level.Path]()
	p.ID, p.Name = id, name
	for i, at := range places {
		var e level.Entity
		aim(&e, geom.Vec3(looks[i]).Sub(geom.Vec3(at)))
		p.Keys = append(p.Keys, level.Key{AtS: seconds * float64(i) / float64(len(places)-1), Position: at, Rotation: e.Transform.Rotation, FovDeg: 60})
	}
	b.l.Paths = append(b.l.Paths, &p)
}

// shaft is parallel light through an opening that follows the sun and shows in
// fog alone: the sun lights the floor already.
func (b *builder) shaft(id, name string, middle level.Vec, width, height float64) {
	l := b.light(id, name, level.BoxLight, middle, 1000, 0)
	l.Follows, l.Surfaces, l.FogShare = "sun", false, 1
	l.WidthM, l.HeightM, l.AngularDeg = width, height, 0.53
}

// dusk is the air and look of the station as it stands in the demo.
func (b *builder) dusk() {
	l := b.l
	l.Fog.Height = level.Default[level.HeightFog]()
	h := &l.Fog.Height
	h.Enabled, h.BaseM, h.FalloffM, h.Density, h.Max = true, -2, 1.4, 0.02, 0.85
	h.Color, h.Luminance = "#56677d", 2.4
	bank := b.fogVolume("fog-bank", "Fog bank", level.Box{Min: level.Vec{-22, -2.2, 17}, Max: level.Vec{14, 3.4, 52}}, 0.035)
	bank.EdgeM, bank.Color, bank.Luminance = 3, "#56677d", 1.1
	for _, light := range l.Lights {
		if light.Rig != "" && light.Kind == level.Point || light.ID == "great-lens" {
			light.FogShare = 1
		}
	}
	beam := b.beam("great-lens-beam", "Great lens beam", "great-lens", 90, 0.35)
	beam.StartM, beam.Falloff, beam.Width = 1.6, 1.2, 0.6
	dust := b.motes("boathouse-dust", "Boathouse dust", "work-lamp-2", level.Vec{14.4, 1.9, 1.2}, level.Vec{4.4, 2.2, 3})
	dust.RateHz, dust.LifeS, dust.Luminance = 40, 7, 40
	l.Fog.Haze.SkyShare = 0.5
	l.Environment.Stars = level.Stars{Count: 260, Lux: 2e-5}
	l.Environment.Wind = level.Wind{FromDeg: 235, SpeedMps: 1.5}
	k := &l.Look
	k.Bloom.Enabled, k.Bloom.Threshold, k.Bloom.Strength, k.Bloom.Radius = true, 1.2, 0.12, 0.018
	k.Occlusion.Enabled, k.Occlusion.Strength = true, 0.5
	k.Grade.Saturation = 1.06
	b.path("along-the-pier", "Along the pier", 8,
		[]level.Vec{{-1.5, 1.7, 34}, {-1.2, 1.7, 26}, {-1.7, 1.75, 18}, {-1.5, 1.9, 10}},
		[]level.Vec{{-2, 2.2, 12}, {-4, 3, 0}, {-6, 5, -4}, {-2, 2, -5}})
}

// Noon is the station on a clear day, with sun in the boathouse.
func Noon() *level.Level {
	l := Saltmarsh()
	l.Name, l.Note = "Saltmarsh Light, noon", "The station on a clear day in June."
	b := &builder{l}
	for _, light := range l.Lights {
		light.Enabled = false
	}
	e := &l.Environment
	sun := level.Default[level.Sun]()
	sun.AzimuthDeg, sun.AltitudeDeg, sun.Lux, sun.Kelvin, sun.FogShare = 200, 46, 88000, 5400, 0
	e.Sun = &sun
	e.Sky.Kind, e.Sky.Color, e.Sky.GroundColor, e.Sky.Luminance = level.SkyClear, "#a9c6f2", "#5c5f58", 3400
	e.Ambient.Strength, e.Stars.Count = 60, 0
	for _, z := range l.Zones {
		if z.Ambient != nil {
			z.Ambient.Strength = 60
		}
	}
	l.Fog.Haze.ColorFrom, l.Fog.Haze.StartM, l.Fog.Haze.Density, l.Fog.Haze.Max = level.FromSky, 20, 0.0025, 0.7
	l.Fog.Height.Density, l.Fog.Height.ColorFrom, l.Fog.Height.FalloffM = 0.01, level.FromSky, 0.8
	bank := l.FogVolumes[0]
	bank.ColorFrom, bank.Luminance, bank.Density, bank.Lit, bank.Enabled = level.FromSky, 1, 0.012, false, true
	bank.Transform.Position[2] += 20
	b.boathouseShafts()
	l.Motes[0].Luminance, l.Motes[0].ColorFrom, l.Motes[0].Color = 9000, "", "#fff2dc"
	l.Look.ExposureEV = 13.2
	l.Fog.Haze.SkyShare = 0.2
	l.Look.Grade.Saturation = 1.1
	return l
}

// boathouseShafts lets the sun's shafts show where it comes in at the front.
func (b *builder) boathouseShafts() {
	air := b.fogVolume("boathouse-air", "Boathouse air", level.Box{Min: level.Vec{10, 0, -0.9}, Max: level.Vec{18, 3.5, 6}}, 0.03)
	air.EdgeM, air.Luminance = 0.3, 0
	b.l.Environment.Sun.FogShare = 1
}

// Night is the station under the moon, with the fog bank come in.
func Night() *level.Level {
	l := Saltmarsh()
	l.Name, l.Note = "Saltmarsh Light, night", "The station under the moon; the bank has come in over the pier."
	e := &l.Environment
	moon := level.Default[level.Sun]()
	moon.AzimuthDeg, moon.AltitudeDeg, moon.Lux, moon.Kelvin, moon.AngularDeg = 18, 17, 0.9, 6600, 0.53
	moon.Disc.AngularDeg, moon.Disc.Luminance = 1.6, 60
	e.Moon = &moon
	e.Sky.Kind, e.Sky.Color, e.Sky.HorizonColor, e.Sky.Luminance = level.SkyGradient, "#0d1524", "#2c3a52", 0.9
	e.Stars = level.Stars{Count: 1800, Lux: 3e-5}
	e.Ambient.Strength = 0.25
	for _, light := range l.Lights {
		if light.ID == "afterglow" {
			light.Enabled = false
		}
	}
	l.Fog.Haze.ColorFrom, l.Fog.Haze.Luminance, l.Fog.Haze.SkyShare = level.FromSky, 1, 0.1
	h := &l.Fog.Height
	h.ColorFrom, h.Density, h.FalloffM = level.FromSky, 0.045, 2
	bank := l.FogVolumes[0]
	bank.Density, bank.Color, bank.Luminance = 0.06, "#30405c", 0.35
	bank.Transform.Position[2] -= 6
	l.Look.ExposureEV = 1
	l.Look.Balance.Kelvin = 5200
	return l
}

// Mill is the Paper Mill: a story level, dark, in which light leads the way.
func Mill() *level.Level {
	b := &builder{level.New("Paper Mill")}
	l := b.l
	l.Note, l.Platform = "A story level: dark, led by light. Late sun through the north lights; a lamp where to go next.", "baked-arena"
	l.Lightmap.Density = 8
	b.material("brick", "Mill brick", "#6f4a3c")
	b.material("flag", "Flagstone", "#77726a")
	b.material("timber", "Timber", "#6b5440")
	b.material("paper", "Drying paper", "#d9d1bd")
	b.material("iron", "Iron", "#34373a")
	b.material("pulp", "Pulp", "#a9a18c")
	b.polish("pulp", 0.2, 0) // wet
	b.polish("iron", 0.45, 1)
	for _, m := range l.Materials {
		m.TwoSided = m.ID == "paper"
	}
	floor := b.box("floor", "flag", level.Vec{0, -0.1, 0}, level.Vec{24.6, 0.2, 12.6})
	floor.Surface.Density = 20 // the sun falls on it in hard edges
	noLight(floor, 3)
	var windows []opening
	for x := -9.0; x <= 9; x += 4.5 {
		windows = append(windows, opening{x - 0.75, x + 0.75, 3.2, 5.6})
	}
	b.wall("wall-south", "brick", true, -12.3, 12.3, 6.15, 0, 7, 0.3, windows...)
	b.wall("wall-north", "brick", true, -12.3, 12.3, -6.15, 0, 7, 0.3)
	b.wall("wall-west", "brick", false, -6, 6, -12.15, 0, 7, 0.3)
	b.wall("wall-east", "brick", false, -6, 6, 12.15, 0, 7, 0.3, opening{-1, 1, 0, 2.6})
	noLight(b.box("roof-south", "timber", level.Vec{0, 7.1, 4}, level.Vec{24.6, 0.2, 4.6}), 2)
	noLight(b.box("roof-north", "timber", level.Vec{0, 7.1, -4}, level.Vec{24.6, 0.2, 4.6}), 2)
	noLight(b.box("roof-ridge", "timber", level.Vec{-5.6, 7.1, 0}, level.Vec{13.4, 0.2, 3.4}), 2)
	noLight(b.box("roof-end", "timber", level.Vec{8.5, 7.1, 0}, level.Vec{7.6, 0.2, 3.4}), 2)
	for i, x := range []float64{-8, -2.7, 2.7, 8} {
		for j, z := range []float64{-2.6, 2.6} {
			b.box(fmt.Sprintf("post-%d%c", i+1, 'a'+j), "timber", level.Vec{x, 3.5, z}, level.Vec{0.3, 7, 0.3})
		}
		b.box(fmt.Sprintf("tie-%d", i+1), "timber", level.Vec{x, 5.9, 0}, level.Vec{0.28, 0.28, 12})
	}
	for i, x := range []float64{-9.6, -6.2, -2.8} {
		vat := fmt.Sprintf("vat-%d", i+1)
		b.prism(vat, "timber", level.Vec{x, 0, -4.2}, 12, 1.2, 1.2, 1.1)
		b.prism(vat+"-pulp", "pulp", level.Vec{x, 1.1, -4.2}, 12, 1.05, 1.05, 0.03)
	}
	for i := range 4 {
		z := -5.0 + 0.7*float64(i)
		b.box(fmt.Sprintf("line-%d", i+1), "timber", level.Vec{6, 3.0, z}, level.Vec{8, 0.05, 0.05})
		for j := range 6 {
			b.box(fmt.Sprintf("sheet-%d%c", i+1, 'a'+j), "paper", level.Vec{2.8 + 1.25*float64(j), 2.45, z}, level.Vec{0.9, 1.05, 0.012})
		}
	}
	b.box("press-bed", "iron", level.Vec{8.2, 0.55, 2.2}, level.Vec{2.2, 1.1, 1.4})
	b.box("press-head", "iron", level.Vec{8.2, 2.5, 2.2}, level.Vec{2.2, 0.5, 1.4})
	for i, x := range []float64{7.2, 9.2} {
		b.box(fmt.Sprintf("press-side-%d", i+1), "iron", level.Vec{x, 1.6, 2.2}, level.Vec{0.2, 2.4, 0.5})
	}
	for i, p := range []level.Vec{{-10, 0.4, 4.4}, {-9, 0.4, 4.8}, {-9.6, 1.2, 4.6}, {-4.6, 0.4, 4.9}, {1.2, 0.4, 4.6}} {
		b.box(fmt.Sprintf("bale-%d", i+1), "paper", p, level.Vec{0.9, 0.8, 0.7})
	}

	z := b.zone("hall", "Mill hall", "story", "indoor", level.Box{Min: level.Vec{-12, -0.1, -6}, Max: level.Vec{12, 7, 6}})
	z.Ambient = &level.Ambient{Color: "#8fa0b8", Strength: 2}

	e := &l.Environment
	sun := level.Default[level.Sun]()
	sun.AzimuthDeg, sun.AltitudeDeg, sun.Lux, sun.Kelvin, sun.FogShare = 205, 33, 9000, 3900, 0
	e.Sun = &sun
	e.Sky.Kind, e.Sky.Color, e.Sky.HorizonColor, e.Sky.Luminance = level.SkyGradient, "#6f86a8", "#c9a184", 220
	air := b.fogVolume("hall-air", "Hall air", level.Box{Min: level.Vec{-11.9, 0.02, -5.9}, Max: level.Vec{11.9, 6.9, 5.9}}, 0.02)
	air.EdgeM, air.Luminance, air.Color = 0.2, 0.25, "#8fa0b8"
	for i, w := range windows {
		b.shaft(fmt.Sprintf("window-shaft-%d", i+1), fmt.Sprintf("Window shaft %d", i+1), level.Vec{(w.from + w.to) / 2, 4.4, 6.1}, 1.6, 2.5)
	}
	b.shaft("roof-shaft", "Shaft from the open roof", level.Vec{2.9, 7.1, 0}, 3.4, 3)
	dust := b.motes("hall-dust", "Dust in the shafts", "roof-shaft", level.Vec{1, 3, 1}, level.Vec{14, 5, 7})
	dust.RateHz, dust.LifeS, dust.SizeMaxM, dust.Luminance = 110, 8, 0.012, 900
	press := b.light("press-lamp", "Press lamp", level.Spot, level.Vec{8.2, 4.4, 1.0}, 900, 2700)
	press.InnerDeg, press.OuterDeg, press.RangeM, press.RadiusM, press.FogShare = 22, 40, 9, 0.08, 1
	aim(&press.Entity, geom.Vec3{0, -1, 0.32})
	b.glow("press-glow", "Press lamp halo", level.Vec{8.2, 4.4, 1.0}, 0.6, 90, "press-lamp")
	b.beam("press-beam", "Press lamp beam", "press-lamp", 4, 1.5)
	vat := b.light("vat-lamp", "Vat lantern", level.Point, level.Vec{-6.2, 2.4, -2.9}, 130, 2100)
	vat.RangeM, vat.RadiusM, vat.FogShare = 7, 0.06, 1
	vat.Flicker = &level.Flicker{Pattern: "candle", RateHz: 5, Depth: 0.25}
	b.glow("vat-glow", "Vat lantern halo", level.Vec{-6.2, 2.4, -2.9}, 0.8, 40, "vat-lamp")
	door := b.light("door-light", "Beyond the door", level.Spot, level.Vec{13.6, 1.6, 0}, 2600, 3000)
	door.InnerDeg, door.OuterDeg, door.RadiusM, door.RangeM = 40, 68, 0.5, 11
	aim(&door.Entity, geom.Vec3{-1, 0, 0})

	k := &l.Look
	k.ExposureEV = 6.6
	k.Bloom.Enabled, k.Bloom.Threshold, k.Bloom.Strength, k.Bloom.Radius = true, 1, 0.14, 0.02
	k.Occlusion.Enabled = true
	k.Grade.Slope, k.Grade.Power = level.Vec{1.03, 1, 0.96}, level.Vec{1.04, 1.05, 1.06}
	b.viewpoint("down-the-hall", "Down the hall", level.Vec{-11, 1.7, 3.4}, level.Vec{4, 2.6, -1.5}, 66)
	b.viewpoint("at-the-vats", "At the vats", level.Vec{-4.6, 1.7, 1.4}, level.Vec{-7.6, 1.4, -4.6}, 66)
	b.viewpoint("at-the-press", "The press", level.Vec{3.8, 1.7, 3.9}, level.Vec{8.6, 1.8, 1.2}, 62)
	return l
}

// Yard is the Tram Yard: a competitive level at night, even and readable.
func Yard() *level.Level {
	b := &builder{level.New("Tram Yard")}
	l := b.l
	l.Note, l.Platform = "A competitive level: even light, nobody hides in the dark, the two ends told apart by their colour.", "baked-arena"
	l.Lightmap.Density = 4
	b.material("asphalt", "Asphalt", "#55565a")
	b.material("rail", "Rail", "#6c6a66")
	b.material("brick", "Yard brick", "#80584a")
	b.material("panel", "Tram panel", "#b9b29c")
	b.material("red", "Tram red", "#8c3a32")
	b.material("green", "Tram green", "#41634e")
	b.material("glass", "Tram glass", "#39434b")
	b.material("iron", "Iron", "#34373a")
	b.polish("asphalt", 0.3, 0) // after rain
	b.polish("rail", 0.3, 1)
	b.polish("glass", 0.05, 0)
	for _, id := range []string{"panel", "red", "green"} {
		b.polish(id, 0.35, 0)
	}
	ground := b.box("ground", "asphalt", level.Vec{0, -0.1, 0}, level.Vec{44, 0.2, 30})
	noLight(ground, 3)
	for i, x := range []float64{-14, -5, 5, 14} {
		for j, off := range []float64{-0.72, 0.72} {
			r := b.box(fmt.Sprintf("rail-%d%c", i+1, 'a'+j), "rail", level.Vec{x + off, 0.02, 0}, level.Vec{0.08, 0.06, 30})
			noLight(r, 3, 4, 5)
		}
	}
	b.wall("north", "brick", true, -22, 22, -15.2, 0, 6, 0.4)
	b.wall("south", "brick", true, -22, 22, 15.2, 0, 6, 0.4)
	b.wall("west", "brick", false, -15, 15, -22.2, 0, 6, 0.4, opening{-2.5, 2.5, 0, 4})
	b.wall("east", "brick", false, -15, 15, 22.2, 0, 6, 0.4, opening{-2.5, 2.5, 0, 4})
	for i, t := range []struct {
		x, z  float64
		paint string
	}{{-14, -5, "red"}, {-5, 6, "green"}, {5, -6, "red"}, {14, 5, "green"}} {
		id := fmt.Sprintf("tram-%d", i+1)
		b.box(id+"-skirt", t.paint, level.Vec{t.x, 0.95, t.z}, level.Vec{2.4, 1.3, 9})
		b.box(id+"-windows", "glass", level.Vec{t.x, 2.05, t.z}, level.Vec{2.3, 0.9, 8.8})
		b.box(id+"-roof", "panel", level.Vec{t.x, 2.75, t.z}, level.Vec{2.4, 0.5, 9})
		noLight(b.box(id+"-truck", "iron", level.Vec{t.x, 0.2, t.z}, level.Vec{1.6, 0.4, 6}), 3)
	}
	for i, p := range []level.Vec{{-11.6, 0.6, -9}, {-7.4, 0.6, 3.4}, {-2.6, 0.6, 8.4}, {2.6, 0.6, -8.4}, {7.4, 0.6, -3.4}, {11.6, 0.6, 9}} {
		b.box(fmt.Sprintf("crate-%d", i+1), "panel", p, level.Vec{1.6, 1.2, 1.6})
	}
	for i, name := range []string{"West end", "Middle", "East end"} {
		x := -22 + 44.0/3*float64(i)
		b.zone([]string{"west", "middle", "east"}[i]+"-yard", name, "compete", "outdoor", level.Box{Min: level.Vec{x, -0.1, -15}, Max: level.Vec{x + 44.0/3, 8, 15}})
	}

	e := &l.Environment
	moon := level.Default[level.Sun]()
	moon.AzimuthDeg, moon.AltitudeDeg, moon.Lux, moon.Kelvin = 40, 52, 0.4, 6600
	e.Moon = &moon
	e.Sky.Kind, e.Sky.Color, e.Sky.HorizonColor, e.Sky.Luminance = level.SkyGradient, "#141c2c", "#3a3f48", 1.2
	e.Ambient = level.Ambient{Color: "#8fa0b8", Strength: 5}
	e.Stars = level.Stars{Count: 300, Lux: 1e-5}
	n := 0
	for _, x := range []float64{-18.5, -9.5, 0, 9.5, 18.5} {
		for _, z := range []float64{-12, 0, 12} {
			n++
			id := fmt.Sprintf("mast-%d", n)
			b.box(id+"-post", "iron", level.Vec{x, 2.9, z}, level.Vec{0.16, 5.8, 0.16})
			b.box(id+"-head", "iron", level.Vec{x, 5.86, z}, level.Vec{0.7, 0.1, 0.7})
			kelvin := 3300.0
			if x < -15 {
				kelvin = 2400
			} else if x > 15 {
				kelvin = 5600
			}
			lamp := b.light(id+"-lamp", fmt.Sprintf("Mast %d", n), level.Spot, level.Vec{x, 5.76, z}, 2600, kelvin)
			lamp.InnerDeg, lamp.OuterDeg, lamp.RangeM, lamp.RadiusM, lamp.Shadows.NearM, lamp.FogShare = 42, 72, 16, 0.2, 0.3, 1
			lamp.Shadows.Cast = n%2 == 1 && n != 5 && n != 11 // the target adds up few shadows at a point
			aim(&lamp.Entity, geom.Vec3{0, -1, 0})
			b.glow(id+"-glow", fmt.Sprintf("Mast %d halo", n), level.Vec{x, 5.72, z}, 1.1, 60, lamp.ID)
		}
	}
	h := level.Default[level.Haze]()
	h.Enabled, h.StartM, h.Density, h.Max, h.Color, h.Luminance, h.SkyShare = true, 8, 0.006, 0.5, "#4a4f58", 4, 0.4
	l.Fog.Haze = h
	low := level.Default[level.HeightFog]()
	low.Enabled, low.BaseM, low.FalloffM, low.Density, low.Max, low.Color, low.Luminance = true, 0, 0.6, 0.012, 0.4, "#5a6068", 5
	l.Fog.Height = low
	k := &l.Look
	k.ExposureEV = 3.6
	k.Tone = "filmic"
	k.Bloom.Enabled, k.Bloom.Threshold, k.Bloom.Strength, k.Bloom.Radius = true, 1.2, 0.1, 0.014
	k.Occlusion.Enabled, k.Occlusion.Strength = true, 0.4
	b.viewpoint("west-gate", "West gate", level.Vec{-20.8, 1.7, 3.2}, level.Vec{0, 1.4, -1.5}, 72)
	b.viewpoint("between-trams", "Between the trams", level.Vec{-0.6, 1.7, 11.2}, level.Vec{3, 1.5, -8}, 70)
	b.viewpoint("over-the-yard", "From the roof", level.Vec{-19, 9, 13}, level.Vec{6, 0, -5}, 62)
	return l
}
