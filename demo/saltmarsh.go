package demo

import (
	"fmt"

	"grotta/core/geom"
	"grotta/core/level"
)

// What is wrong in the demo, on purpose, for the tour to find and settle.
const (
	DarkZone    = "bunk-room"     // its only bulb is switched off
	DarkLight   = "bunk-bulb"     //
	DeadGlow    = "net-shed-glow" // glows, and no light goes with it
	CrowdedZone = "boathouse"     // five shadow-casting lamps over one bench
)

// Saltmarsh is Saltmarsh Light: a lighthouse station at dusk, with the keeper's
// house, a boathouse and a pier. +x is east, +z is toward the sea.
func Saltmarsh() *level.Level {
	b := &builder{level.New("Saltmarsh Light")}
	b.l.Note = "A lighthouse station at dusk. Three things are wrong in it; run the checks."
	b.l.Platform = "baked-arena"
	b.surroundings()
	b.tower()
	b.house()
	b.boathouse()
	b.pier()
	b.dusk()
	b.viewpoint("pier-dusk", "Pier, dusk", level.Vec{-7.5, 2.6, 27}, level.Vec{2.5, 2.6, 2}, 50)
	b.viewpoint("kitchen-table", "Kitchen table", level.Vec{-1.7, 1.65, -3.3}, level.Vec{3.2, 1.0, -6.6}, 70)
	b.viewpoint("bunk-door", "Bunk room door", level.Vec{4.3, 1.65, -3.75}, level.Vec{7.4, 0.9, -6.0}, 78)
	b.viewpoint("boathouse-bench", "Boathouse bench", level.Vec{10.4, 1.7, 5.6}, level.Vec{14.6, 1.1, 0.6}, 66)
	b.viewpoint("lamp-room-lens", "Lamp room", level.Vec{-7.9, 13.7, -4.3}, level.Vec{-11.2, 13.1, -7.4}, 72)
	b.viewpoint("pier-end", "Pier end", level.Vec{0.6, 1.7, 33.5}, level.Vec{-2, 2.2, 12}, 60)
	b.l.Profiles = profiles()
	return b.l
}

func (b *builder) surroundings() {
	l := b.l
	b.material("turf", "Salt turf", "#5a6044")
	b.material("sea-water", "Sea", "#1c2a33")
	b.material("lime", "Limewash", "#d9d2c4")
	b.material("stone", "Station stone", "#8f8a80")
	b.material("brick", "Red band", "#93473a")
	b.material("slate", "Slate", "#3c4046")
	b.material("plank", "Weathered plank", "#8a7258")
	b.material("tar", "Tarred post", "#3a2f28")
	b.material("iron", "Iron", "#2c2e30")
	b.material("paint", "Blue paint", "#4d6a78")
	b.material("plaster", "Plaster", "#cfc8b8")
	b.material("cloth", "Wool", "#7d4f45")
	b.material("lens-glass", "Lens glass", "#e6efe9")
	b.material("reed", "Reed", "#7d8054")
	b.polish("sea-water", 0.15, 0)
	b.polish("lens-glass", 0.05, 0)
	b.polish("slate", 0.5, 0)
	l.Materials[len(l.Materials)-1].TwoSided = true

	l.Environment.Sky.Color, l.Environment.Sky.Luminance = "#46566b", 3
	l.Environment.Ambient = level.Ambient{Color: "#6d84a3", Strength: 1.6}
	l.Fog.Haze = level.Default[level.Haze]()
	l.Fog.Haze.Enabled, l.Fog.Haze.StartM, l.Fog.Haze.EndM = true, 15, 150
	l.Fog.Haze.Color, l.Fog.Haze.Luminance, l.Fog.Haze.Max = "#46566b", 2.6, 0.92
	l.Look.ExposureEV = 2.5
	l.Lightmap.Density = 10

	sea := b.box("sea", "sea-water", level.Vec{0, -2.25, 20}, level.Vec{240, 0.5, 240})
	sea.Surface.Density = 0.5
	noLight(sea, 0, 1, 3, 4, 5)
	rock := b.box("rock", "turf", level.Vec{1, -1.25, -2}, level.Vec{44, 2.5, 28})
	rock.Surface.Density = 3
	noLight(rock, 3)
	path := b.box("path", "stone", level.Vec{-1.5, 0.02, 6}, level.Vec{2.4, 0.06, 12})
	noLight(path, 3)
	yard := b.box("yard-stone", "stone", level.Vec{0.6, 0.02, -1.6}, level.Vec{10, 0.05, 2.6})
	noLight(yard, 3)

	for i, c := range [][2]float64{{-6.5, 11.3}, {-5.2, 11.6}, {-4.3, 10.9}, {2.1, 11.5}, {3.3, 11.2}, {4.9, 11.6}} {
		b.reeds(fmt.Sprintf("reeds-%d", i+1), fmt.Sprintf("Reeds %d", i+1), level.Vec{c[0], 0, c[1]}, 26, 0.5, 1.25)
	}

	glow := b.light("afterglow", "Afterglow", level.Directional, level.Vec{}, 3, 0)
	glow.Color, glow.AngularDeg = "#ffb08a", 8
	aim(&glow.Entity, geom.Vec3{0.86, -0.22, -0.46})
}

// tower is the lighthouse itself, with the lamp room on top.
func (b *builder) tower() {
	x, z := -10.0, -6.0
	noLight(b.prism("tower-foot", "stone", level.Vec{x, 0, z}, 12, 3.0, 2.8, 1.2), 13)
	for i, m := range []string{"lime", "brick", "lime", "brick", "lime"} {
		y := 1.2 + 2.1*float64(i)
		r := 2.6 - 0.18*float64(i)
		noLight(b.prism(fmt.Sprintf("tower-band-%d", i+1), m, level.Vec{x, y, z}, 12, r, r-0.18, 2.1), 12, 13)
	}
	b.prism("gallery", "iron", level.Vec{x, 11.7, z}, 12, 2.7, 2.7, 0.25)
	for i := range 6 {
		a := geom.Vec3{2.55, 0, 0}
		if i > 0 {
			a = rotateY(a, float64(i)*60)
		}
		b.box(fmt.Sprintf("rail-post-%d", i+1), "iron", level.Vec{x + a[0], 12.45, z + a[2]}, level.Vec{0.07, 1, 0.07})
	}
	for i := range 8 {
		a := rotateY(geom.Vec3{1.65, 0, 0}, float64(i)*45+22.5)
		b.box(fmt.Sprintf("lamp-post-%d", i+1), "iron", level.Vec{x + a[0], 13.25, z + a[2]}, level.Vec{0.1, 2.6, 0.1})
	}
	b.prism("lamp-wall", "paint", level.Vec{x, 11.95, z}, 8, 1.75, 1.75, 0.08)
	b.prism("lamp-roof", "iron", level.Vec{x, 14.55, z}, 8, 2.1, 0.3, 1.3)
	b.prism("lens-stand", "iron", level.Vec{x, 12.03, z}, 8, 0.5, 0.35, 0.9)
	b.prism("lens", "lens-glass", level.Vec{x, 12.95, z}, 10, 0.42, 0.42, 0.8)
	b.box("ladder", "iron", level.Vec{x - 0.9, 13.2, z - 1.0}, level.Vec{0.45, 2.4, 0.06})
	b.box("oil-can", "brick", level.Vec{x + 0.9, 12.25, z - 0.7}, level.Vec{0.25, 0.4, 0.25})
	z1 := b.zone("lamp-room", "Lamp room", "story", "indoor", level.Box{Min: level.Vec{x - 2.7, 11.9, z - 2.7}, Max: level.Vec{x + 2.7, 14.6, z + 2.7}})
	z1.Ambient = &level.Ambient{Color: "#6d84a3", Strength: 1}

	lens := b.light("great-lens", "Great lens", level.Spot, level.Vec{x, 13.35, z}, 42000, 4300)
	lens.InnerDeg, lens.OuterDeg, lens.RadiusM, lens.RangeM = 3, 7, 0.15, 140
	lens.Shadows.NearM = 2.2
	aim(&lens.Entity, geom.Vec3{0.55, -0.12, 0.83})
	halo := b.glow("great-lens-glow", "Great lens halo", level.Vec{x, 13.35, z}, 2.6, 24, "great-lens")
	halo.ToleranceM = 0.6 // it shines through its glass
	lamp := b.light("ladder-lamp", "Ladder lamp", level.Point, level.Vec{x - 0.5, 14.2, z - 0.9}, 30, 2600)
	lamp.RangeM, lamp.RadiusM = 4.5, 0.05
	gallery := b.light("gallery-lamp", "Gallery lamp", level.Point, level.Vec{x + 0.2, 14.3, z + 1.2}, 22, 2600)
	gallery.RangeM, gallery.RadiusM = 4, 0.05
}

func rotateY(v geom.Vec3, deg float64) geom.Vec3 {
	return quatY(deg).Rotate(v)
}

// house is the keeper's: a kitchen, and a bunk room behind a partition.
func (b *builder) house() {
	// Inside: x -2 to 8, z -8 to -3, walls 0.3 outward.
	floor := b.box("house-floor", "plank", level.Vec{3, -0.01, -5.5}, level.Vec{10, 0.12, 5})
	floor.Surface.Density = 8
	noLight(floor, 3)
	ceiling := b.box("house-ceiling", "plaster", level.Vec{3, 2.85, -5.5}, level.Vec{10.6, 0.1, 5.6})
	noLight(ceiling, 2)
	b.wall("house-south", "lime", true, -2.3, 8.3, -2.85, 0, 2.8, 0.3,
		opening{-0.6, 0.6, 0, 2.1}, opening{1.9, 3.3, 0.9, 2.0}, opening{6.0, 7.0, 1.0, 1.9})
	b.wall("house-north", "lime", true, -2.3, 8.3, -8.15, 0, 2.8, 0.3, opening{0.6, 1.8, 1.0, 2.0})
	b.wall("house-west", "lime", false, -8, -3, -2.15, 0, 2.8, 0.3)
	b.wall("house-east", "lime", false, -8, -3, 8.15, 0, 2.8, 0.3)
	b.wall("partition", "plaster", false, -8, -3, 4.9, 0.05, 2.75, 0.14, opening{-4.3, -3.4, 0, 2.0})
	roof := b.gable("house-roof", "slate", level.Vec{3, 2.9, -5.5}, 11.4, 6.8, 2.1)
	noLight(roof, 2)
	b.box("chimney", "brick", level.Vec{-1.2, 4.2, -6.6}, level.Vec{0.7, 2.4, 0.7})

	b.box("table-top", "plank", level.Vec{2.6, 0.78, -5.6}, level.Vec{1.7, 0.06, 0.95})
	for i, c := range [][2]float64{{-0.75, -0.4}, {0.75, -0.4}, {-0.75, 0.4}, {0.75, 0.4}} {
		b.box(fmt.Sprintf("table-leg-%d", i+1), "plank", level.Vec{2.6 + c[0], 0.4, -5.6 + c[1]}, level.Vec{0.08, 0.7, 0.08})
	}
	b.box("stove", "iron", level.Vec{-1.3, 0.5, -6.6}, level.Vec{0.8, 0.9, 0.7})
	b.box("stove-pipe", "iron", level.Vec{-1.45, 1.87, -6.7}, level.Vec{0.16, 1.85, 0.16})
	b.box("kitchen-bench", "plank", level.Vec{2.6, 0.42, -4.7}, level.Vec{1.5, 0.06, 0.32})
	b.box("shelf", "plank", level.Vec{3.4, 1.5, -7.88}, level.Vec{1.8, 0.05, 0.24})
	b.box("crock", "brick", level.Vec{3.0, 1.63, -7.88}, level.Vec{0.18, 0.2, 0.18})
	b.box("sink", "stone", level.Vec{1.2, 0.45, -7.7}, level.Vec{1.3, 0.8, 0.55})
	b.box("rug", "cloth", level.Vec{0.6, 0.06, -5.0}, level.Vec{1.6, 0.02, 1.1})

	b.box("bunk", "plank", level.Vec{7.4, 0.35, -6.6}, level.Vec{1.1, 0.3, 2.2})
	b.box("blanket", "cloth", level.Vec{7.4, 0.56, -6.3}, level.Vec{1.0, 0.12, 1.5})
	b.box("sea-chest", "paint", level.Vec{5.6, 0.3, -7.5}, level.Vec{0.9, 0.5, 0.5})
	b.box("log-desk", "plank", level.Vec{7.5, 0.72, -3.6}, level.Vec{0.9, 0.06, 0.6})
	b.box("log-desk-leg", "plank", level.Vec{7.85, 0.37, -3.6}, level.Vec{0.08, 0.66, 0.5})

	k := b.zone("kitchen", "Keeper's kitchen", "story", "indoor", level.Box{Min: level.Vec{-2.02, -0.1, -8.02}, Max: level.Vec{4.9, 2.82, -2.98}})
	k.Ambient = &level.Ambient{Color: "#ffe9cf", Strength: 0.8}
	r := b.zone(DarkZone, "Bunk room", "story", "indoor", level.Box{Min: level.Vec{4.9, -0.1, -8.02}, Max: level.Vec{8.02, 2.82, -2.98}})
	r.Ambient = &level.Ambient{Color: "#ffe9cf", Strength: 0.05}

	b.rig("table-lamp", "Shaded table lamp", 2900)
	shade := b.prism("table-shade", "paint", level.Vec{2.6, 1.92, -5.6}, 8, 0.3, 0.1, 0.2)
	cord := b.box("table-cord", "iron", level.Vec{2.6, 2.45, -5.6}, level.Vec{0.03, 0.7, 0.03})
	table := b.light("table-light", "Table shade", level.Spot, level.Vec{2.6, 1.9, -5.6}, 95, 0)
	table.InnerDeg, table.OuterDeg, table.RadiusM, table.RangeM = 38, 68, 0.06, 6
	aim(&table.Entity, geom.Vec3{0, -1, 0})
	halo := b.glow("table-glow", "Table shade halo", level.Vec{2.6, 1.86, -5.6}, 0.5, 9, "table-light")
	for _, e := range []*level.Entity{&shade.Entity, &cord.Entity, &table.Entity, &halo.Entity} {
		e.Rig = "table-lamp"
	}
	stove := b.light("stove-fire", "Stove fire", level.Point, level.Vec{-0.75, 0.55, -6.3}, 14, 1900)
	stove.RadiusM, stove.RangeM, stove.Shadows.Cast = 0.12, 4, false
	sink := b.light("sink-lamp", "Sink lamp", level.Point, level.Vec{1.2, 2.1, -7.6}, 16, 2700)
	sink.RadiusM, sink.RangeM = 0.05, 2.8
	b.glow("sink-glow", "Sink lamp halo", level.Vec{1.2, 2.1, -7.6}, 0.5, 8, "sink-lamp")
	bunk := b.light(DarkLight, "Bunk bulb", level.Point, level.Vec{6.7, 2.45, -5.5}, 24, 2700)
	bunk.RadiusM, bunk.RangeM, bunk.Enabled = 0.05, 3, false
	bunk.Note = "Somebody switched it off to test the window and left it so."
	b.glow("bunk-glow", "Bunk bulb halo", level.Vec{6.7, 2.45, -5.5}, 0.5, 8, DarkLight)
	door := b.light("door-lamp", "Door lamp", level.Point, level.Vec{0.95, 2.25, -2.45}, 40, 2500)
	door.RadiusM, door.RangeM = 0.06, 5
	b.box("door-lamp-arm", "iron", level.Vec{0.95, 2.4, -2.58}, level.Vec{0.05, 0.05, 0.26})
	b.glow("door-glow", "Door lamp halo", level.Vec{0.95, 2.25, -2.45}, 0.9, 7, "door-lamp")
}

func (b *builder) boathouse() {
	// Inside: x 10 to 18, z -1 to 6; open to the sea at the south.
	floor := b.box("boathouse-floor", "plank", level.Vec{14, 0.05, 2.5}, level.Vec{8.4, 0.1, 7.2})
	noLight(floor, 3)
	b.wall("boathouse-north", "paint", true, 9.8, 18.2, -1.1, 0, 3.6, 0.2, opening{13.2, 14.8, 1.4, 2.6})
	b.wall("boathouse-west", "paint", false, -1, 6, 9.9, 0, 3.6, 0.2, opening{3.6, 4.8, 0, 2.2})
	b.wall("boathouse-east", "paint", false, -1, 6, 18.1, 0, 3.6, 0.2)
	ceiling := b.box("boathouse-loft", "plank", level.Vec{14, 3.66, 2.45}, level.Vec{8.6, 0.12, 7.3})
	noLight(ceiling, 2)
	roof := b.gable("boathouse-roof", "slate", level.Vec{14, 3.72, 2.45}, 9.2, 8.2, 2.0)
	noLight(roof, 2)
	b.box("slipway", "plank", level.Vec{14, -0.6, 9.5}, level.Vec{4, 0.15, 7.2}).Transform.Rotation = quatArray(rotX(-12))
	b.box("bench-top", "plank", level.Vec{14.6, 0.92, -0.55}, level.Vec{4.2, 0.08, 0.8})
	b.box("bench-left", "plank", level.Vec{12.7, 0.49, -0.55}, level.Vec{0.1, 0.78, 0.7})
	b.box("bench-right", "plank", level.Vec{16.5, 0.49, -0.55}, level.Vec{0.1, 0.78, 0.7})
	b.box("vice", "iron", level.Vec{15.8, 1.06, -0.4}, level.Vec{0.2, 0.2, 0.3})
	b.box("hull-keel", "brick", level.Vec{13, 0.55, 3.2}, level.Vec{0.9, 0.5, 3.6})
	b.box("hull-rim", "lime", level.Vec{13, 0.86, 3.2}, level.Vec{1.3, 0.12, 4.0})
	b.box("trestle-a", "plank", level.Vec{13, 0.2, 2.2}, level.Vec{1.4, 0.2, 0.14})
	b.box("trestle-b", "plank", level.Vec{13, 0.2, 4.2}, level.Vec{1.4, 0.2, 0.14})
	b.box("crate-a", "plank", level.Vec{16.9, 0.5, 4.6}, level.Vec{0.9, 0.8, 0.9})
	b.box("crate-b", "plank", level.Vec{16.8, 1.2, 4.7}, level.Vec{0.6, 0.6, 0.6})
	b.box("oar-rack", "tar", level.Vec{17.9, 1.6, 2.0}, level.Vec{0.12, 0.1, 2.6})
	boathouse := b.zone(CrowdedZone, "Boathouse", "compete", "indoor", level.Box{Min: level.Vec{9.98, -0.1, -1.02}, Max: level.Vec{18.02, 3.62, 6.1}})
	boathouse.Ambient = &level.Ambient{Color: "#cfd8e0", Strength: 1}

	for i, c := range [][2]float64{{12.9, -0.1}, {14.0, 0.4}, {15.1, 0.4}, {16.2, -0.1}} {
		id := fmt.Sprintf("work-lamp-%d", i+1)
		b.prism(id+"-shade", "iron", level.Vec{c[0], 3.05, c[1]}, 8, 0.26, 0.08, 0.2)
		lamp := b.light(id, fmt.Sprintf("Work lamp %d", i+1), level.Spot, level.Vec{c[0], 3.03, c[1]}, 90, 4000)
		lamp.InnerDeg, lamp.OuterDeg, lamp.RangeM, lamp.RadiusM = 42, 64, 6.5, 0.06
		aim(&lamp.Entity, geom.Vec3{0, -1, 0.12})
	}
	hatch := b.light("hatch-lamp", "Hatch lamp", level.Point, level.Vec{14, 2.9, 4.4}, 60, 3200)
	hatch.RangeM, hatch.RadiusM = 7, 0.08
	b.glow("hatch-glow", "Hatch lamp halo", level.Vec{14, 2.9, 4.4}, 0.7, 8, "hatch-lamp")
}

func (b *builder) pier() {
	for i := range 23 {
		z := 12.5 + float64(i)*1.0
		plank := b.box(fmt.Sprintf("pier-plank-%d", i+1), "plank", level.Vec{-1.5, 0.0, z}, level.Vec{3.2, 0.1, 0.95})
		noLight(plank, 3)
	}
	for i := range 6 {
		z := 13.0 + float64(i)*4.2
		for j, x := range []float64{-3.0, 0.0} {
			b.box(fmt.Sprintf("pier-post-%d%c", i+1, 'a'+j), "tar", level.Vec{x, -0.75, z}, level.Vec{0.28, 2.9, 0.28})
		}
	}
	b.box("pier-crate-a", "plank", level.Vec{-0.6, 0.45, 20.1}, level.Vec{0.8, 0.8, 0.8})
	b.box("pier-crate-b", "plank", level.Vec{-2.4, 0.4, 24.9}, level.Vec{0.7, 0.7, 0.9})
	b.box("pier-crate-c", "plank", level.Vec{-0.7, 1.1, 20.0}, level.Vec{0.5, 0.5, 0.5})
	b.box("bollard", "iron", level.Vec{-2.7, 0.3, 33.6}, level.Vec{0.3, 0.5, 0.3})
	b.box("net-shed", "tar", level.Vec{-2.3, 1.1, 30.2}, level.Vec{1.4, 2.1, 1.8})
	b.zone("pier", "Pier", "story", "outdoor", level.Box{Min: level.Vec{-3.4, -0.1, 11.9}, Max: level.Vec{0.4, 5, 36}})

	for i, c := range [][3]float64{{-3.0, 14.8, 1}, {0.0, 19.0, -1}, {-3.0, 23.2, 1}, {0.0, 27.6, -1}} {
		b.lantern(fmt.Sprintf("lantern-%d", i+1), fmt.Sprintf("Lantern %d", i+1), level.Vec{c[0], 0, c[1]}, c[2])
	}
	dead := b.glow(DeadGlow, "Net shed lamp halo", level.Vec{-1.5, 1.9, 30.2}, 0.8, 7, "")
	dead.Color = "#ffc07a"
	b.box("net-shed-lamp", "iron", level.Vec{-1.55, 2.0, 30.2}, level.Vec{0.1, 0.08, 0.1})
}

// lantern is a rig: post, arm, cap, light and glow with one key colour.
func (b *builder) lantern(id, name string, foot level.Vec, toward float64) {
	rig := b.rig(id, name, 2150)
	post := b.box(id+"-post", "tar", level.Vec{foot[0], 1.35, foot[2]}, level.Vec{0.14, 2.7, 0.14})
	arm := b.box(id+"-arm", "iron", level.Vec{foot[0] + toward*0.28, 2.62, foot[2]}, level.Vec{0.5, 0.06, 0.06})
	cap := b.prism(id+"-cap", "iron", level.Vec{foot[0] + toward*0.5, 2.46, foot[2]}, 6, 0.17, 0.05, 0.14)
	light := b.light(id+"-light", name, level.Point, level.Vec{foot[0] + toward*0.5, 2.36, foot[2]}, 42, 0)
	light.RangeM, light.RadiusM = 6, 0.05
	glow := b.glow(id+"-glow", name+" halo", level.Vec{foot[0] + toward*0.5, 2.36, foot[2]}, 1.1, 7, light.ID)
	for _, e := range []*level.Entity{&post.Entity, &arm.Entity, &cap.Entity, &light.Entity, &glow.Entity} {
		e.Rig = rig.ID
	}
}
