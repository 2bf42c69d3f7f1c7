package check

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/level"
	"grotta/core/platform"
)

// Each rule is tried on a level that has its fault, and on a twin that is just inside of it.

// plan is a closed hall of 8 x 3 x 8 m with one lamp in it, and a profile without limits.
type plan struct {
	*level.Level
	profile *platform.Profile
}

func hall() *plan {
	profile, err := platform.Named("baked-arena")
	if err != nil {
		panic(err)
	}
	own := *profile
	own.Limits = platform.Limits{BytesPerTexel: 8}
	own.Lights = platform.Lights{Kinds: []string{"point", "spot", "dome", "directional", "box", "rect", "tube"}, Backs: "stop"}
	own.Display.LightMax = 0
	p := &plan{level.New("Hall"), &own}
	p.Lightmap.Density, p.Lightmap.Bounces = 4, true
	p.block("floor", level.Vec{0, -0.1, 0}, level.Vec{8.4, 0.2, 8.4})
	p.block("ceiling", level.Vec{0, 3.1, 0}, level.Vec{8.4, 0.2, 8.4})
	p.block("west", level.Vec{-4.1, 1.5, 0}, level.Vec{0.2, 3, 8.4})
	p.block("east", level.Vec{4.1, 1.5, 0}, level.Vec{0.2, 3, 8.4})
	p.block("north", level.Vec{0, 1.5, -4.1}, level.Vec{8, 3, 0.2})
	p.block("south", level.Vec{0, 1.5, 4.1}, level.Vec{8, 3, 0.2})
	z := level.Default[level.Zone]()
	z.ID, z.Play, z.Boxes = "hall", "compete", []level.Box{{Min: level.Vec{-4, 0, -4}, Max: level.Vec{4, 3, 4}}}
	p.Zones = append(p.Zones, &z)
	p.lamp("lamp", level.Vec{0, 2.2, 0}, 100)
	p.Look.ExposureEV = 5
	return p
}

func (p *plan) block(id string, at, size level.Vec) *level.Solid {
	v := level.Default[level.Solid]()
	v.ID, v.Size, v.Transform.Position = id, size, at
	p.Solids = append(p.Solids, &v)
	return &v
}

func (p *plan) lamp(id string, at level.Vec, strength float64) *level.Light {
	l := level.NewLight(id, level.Point)
	l.Strength, l.RangeM, l.Transform.Position, l.Note = strength, 12, at, "hangs here"
	p.Lights = append(p.Lights, l)
	return l
}

func (p *plan) glow(at level.Vec) *level.Glow {
	g := level.Default[level.Glow]()
	g.ID, g.Transform.Position, g.Color = fmt.Sprintf("glow-%d", len(p.Glows)), at, "#ffffff"
	p.Glows = append(p.Glows, &g)
	return &g
}

func (p *plan) view(at level.Vec, look [4]float64) *level.Viewpoint {
	v := level.Default[level.Viewpoint]()
	v.ID, v.Transform.Position, v.Transform.Rotation = fmt.Sprintf("view-%d", len(p.Viewpoints)), at, look
	p.Viewpoints = append(p.Viewpoints, &v)
	return &v
}

func (p *plan) material(id string, edit func(*level.Material)) *level.Material {
	m := level.Default[level.Material]()
	m.ID = id
	edit(&m)
	p.Materials = append(p.Materials, &m)
	return &m
}

// sheet is a square of 2 m that faces +z, or -z where it is turned over.
func (p *plan) sheet(id string, at level.Vec, over bool) *level.Mesh {
	m := level.Default[level.Mesh]()
	m.ID, m.Transform.Position = id, at
	m.Positions, m.Indices = []float64{-1, -1, 0, 1, -1, 0, 1, 1, 0, -1, 1, 0}, []uint32{0, 1, 2, 0, 2, 3}
	if over {
		m.Indices = []uint32{0, 2, 1, 0, 3, 2}
	}
	p.Meshes = append(p.Meshes, &m)
	return &m
}

func (p *plan) image(id string, wide int) {
	var b bytes.Buffer
	m := image.NewGray(image.Rect(0, 0, wide, 8))
	for i := range m.Pix {
		m.Pix[i] = 200
	}
	if err := png.Encode(&b, m); err != nil {
		panic(err)
	}
	p.Images = append(p.Images, &level.Image{ID: id, Data: b.Bytes(), Credit: "us", Licence: "CC0"})
}

func (p *plan) day(altitude float64) *level.Sun {
	sun := level.Default[level.Sun]()
	sun.AltitudeDeg = altitude
	p.Environment.Sun = &sun
	return &sun
}

func (p *plan) limit(max float64) *platform.Limit { return &platform.Limit{Max: max, Why: "so"} }

var (
	down  = [4]float64{-0.7071068, 0, 0, 0.7071068}
	ahead = [4]float64{0, 0, 0, 1}
)

// faults are, by rule, what is wrong and what is just not.
var faults = map[string]struct{ wrong, right func(*plan) }{
	"limits.lights": {
		func(p *plan) { p.lamp("two", level.Vec{1, 2, 1}, 10); p.profile.Limits.Lights = p.limit(1) },
		func(p *plan) {
			p.lamp("two", level.Vec{1, 2, 1}, 10).Color = "#000000" // black lights do not count
			p.profile.Limits.Lights = p.limit(1)
		}},
	"limits.zone-lights": {
		func(p *plan) { p.lamp("two", level.Vec{1, 2, 1}, 10); p.profile.Limits.ZoneLights = p.limit(1) },
		func(p *plan) { p.lamp("two", level.Vec{9, 2, 1}, 10); p.profile.Limits.ZoneLights = p.limit(1) }},
	"limits.view-lights": {
		func(p *plan) {
			p.view(level.Vec{0, 1.6, 3}, ahead)
			p.lamp("two", level.Vec{1, 2, 1}, 10)
			p.profile.Limits.ViewLights = p.limit(1)
		},
		func(p *plan) {
			p.view(level.Vec{0, 1.6, 3}, ahead)
			p.lamp("two", level.Vec{1, 2, 30}, 10) // reaches nothing that is seen
			p.profile.Limits.ViewLights = p.limit(1)
		}},
	"limits.surface-lights": {
		func(p *plan) { p.lamp("two", level.Vec{1, 2, 1}, 10); p.profile.Limits.SurfaceLights = p.limit(1) },
		func(p *plan) {
			p.Lights[0].RangeM = 0.5
			p.lamp("two", level.Vec{1, 2, 1}, 10)
			p.profile.Limits.SurfaceLights = p.limit(1)
		}},
	"limits.light-surfaces": {
		func(p *plan) { p.profile.Limits.LightSurfaces = p.limit(5) },
		func(p *plan) { p.profile.Limits.LightSurfaces = p.limit(6) }},
	"limits.dynamic-lights": {
		func(p *plan) {
			p.Lights[0].Bake = "dynamic"
			p.lamp("two", level.Vec{1, 2, 1}, 10).Bake = "both"
			p.profile.Lights.Dynamic = p.limit(1)
		},
		func(p *plan) { p.Lights[0].Bake = "dynamic"; p.profile.Lights.Dynamic = p.limit(1) }},
	"limits.glows": {
		func(p *plan) {
			p.glow(level.Vec{0, 2.2, 0})
			p.glow(level.Vec{0, 2.3, 0})
			p.profile.Limits.Glows = p.limit(1)
		},
		func(p *plan) {
			p.glow(level.Vec{0, 2.2, 0})
			p.glow(level.Vec{0, 2.3, 0}).Enabled = false
			p.profile.Limits.Glows = p.limit(1)
		}},
	"limits.fog-volumes": {
		func(p *plan) { p.fog(0.1); p.fog(0.1); p.profile.Limits.FogVolumes = p.limit(1) },
		func(p *plan) { p.fog(0.1); p.fog(0); p.profile.Limits.FogVolumes = p.limit(1) }},
	"limits.motes": {
		func(p *plan) { p.motes(20, 6); p.profile.Limits.Motes = p.limit(119) },
		func(p *plan) { p.motes(20, 6); p.profile.Limits.Motes = p.limit(120) }},
	"limits.probes": {
		func(p *plan) { p.probes(level.Vec{0, 1, 0}, level.Vec{2, 2, 2}); p.profile.Limits.Probes = p.limit(26) },
		func(p *plan) { p.probes(level.Vec{0, 1, 0}, level.Vec{2, 2, 2}); p.profile.Limits.Probes = p.limit(27) }},
	"limits.reflections": {
		func(p *plan) {
			p.reflection(level.Vec{0, 1, 0})
			p.reflection(level.Vec{1, 1, 0})
			p.profile.Limits.Reflections = p.limit(1)
		},
		func(p *plan) { p.reflection(level.Vec{0, 1, 0}); p.profile.Limits.Reflections = p.limit(1) }},
	"limits.triangles": {
		func(p *plan) { p.profile.Limits.Triangles = p.limit(71) },
		func(p *plan) { p.profile.Limits.Triangles = p.limit(72) }}, // six boxes of twelve
	"limits.gobo-side": {
		func(p *plan) { p.gobo(65); p.profile.Limits.GoboSide = p.limit(64) },
		func(p *plan) { p.gobo(64); p.profile.Limits.GoboSide = p.limit(64) }},
	"limits.shadow-overlap": {
		func(p *plan) {
			p.lamp("two", level.Vec{1, 2, 1}, 10)
			p.profile.Limits.ShadowOverlap = &platform.OverlapLimit{Max: 1, Why: "so"}
		},
		func(p *plan) {
			p.lamp("two", level.Vec{1, 2, 1}, 10).Shadows.Depth = 0 // it casts none
			p.profile.Limits.ShadowOverlap = &platform.OverlapLimit{Max: 1, Why: "so"}
		}},
	"limits.lightmap-pages": {
		func(p *plan) {
			p.Lightmap.PageSize, p.Lightmap.Density = 64, 6
			p.profile.Limits.LightmapPages = p.limit(2)
		},
		func(p *plan) { p.profile.Limits.LightmapPages = p.limit(1) }},
	"limits.lightmap-bytes": {
		func(p *plan) {
			p.Lightmap.PageSize, p.Lightmap.Density = 128, 8
			p.profile.Limits.LightmapBytes = p.limit(128*128*8 + 1)
		},
		func(p *plan) { p.profile.Limits.LightmapBytes = p.limit(512 * 512 * 8) }},
	"limits.build-time": {
		func(p *plan) { p.profile.Build.Minutes = p.limit(1e-7) },
		func(p *plan) { p.profile.Build.Minutes = p.limit(10) }},
	"limits.page-size": {
		func(p *plan) { p.profile.Limits.PageSize = p.limit(256) },
		func(p *plan) { p.profile.Limits.PageSize = p.limit(512) }},
	"limits.air": {
		func(p *plan) { p.beams(17) },
		func(p *plan) { p.beams(16) }},
	"support.light-kind": {
		func(p *plan) { p.Lights[0].Kind = level.Tube; p.lacksTubes() },
		func(p *plan) { p.lacksTubes() }},
	"support.falloff": {
		func(p *plan) { p.profile.Lights.Falloffs = []string{"linear"} },
		func(p *plan) { p.profile.Lights.Falloffs = []string{"linear", "inverse_square"} }},
	"support.light-part": {
		func(p *plan) {
			p.Lights[0].Flicker = ptr(level.Default[level.Flicker]())
			p.profile.Lights.LeftOut = []string{"flicker"}
		},
		func(p *plan) {
			p.Lights[0].Flicker = ptr(level.Default[level.Flicker]())
			p.profile.Lights.LeftOut = []string{"gobo"}
		}},
	"support.mode": {
		func(p *plan) {
			p.Environment.Mode = "indoor"
			p.day(35)
			p.profile.Modes.Indoor.LeavesOut = []string{"sun"}
		},
		func(p *plan) {
			p.day(35)
			p.profile.Modes.Indoor.LeavesOut = []string{"sun"}
			p.profile.Modes.Outdoor.LeavesOut = []string{"local"} // the hall is indoors
		}},
	"support.backs": {
		func(p *plan) { p.sheet("sail", level.Vec{0, 1, 0}, false); p.profile.Lights.Backs = "pass" },
		func(p *plan) { p.profile.Lights.Backs = "pass" }}, // blocks have no backs
	"support.density": {
		func(p *plan) {
			p.Solids[2].Surface.Density = 5
			p.profile.Limits.Densities = []float64{1, 2, 4, 8}
		},
		func(p *plan) { p.profile.Limits.Densities = []float64{1, 2, 4, 8} }},
	"support.glow": {
		func(p *plan) {
			p.glow(level.Vec{0, 2.2, 0}).Shape = "star"
			p.profile.Air.Glows = []string{"soft"}
		},
		func(p *plan) { p.glow(level.Vec{0, 2.2, 0}); p.profile.Air.Glows = []string{"soft"} }},
	"support.fog": {
		func(p *plan) { p.Fog.Height.Enabled = true; p.profile.Air.Fog = []string{"haze"} },
		func(p *plan) { p.Fog.Haze.Enabled = true; p.profile.Air.Fog = []string{"haze"} }},
	"support.air": {
		func(p *plan) { p.motes(20, 6); p.profile.Air.LeftOut = []string{"motes"} },
		func(p *plan) { p.motes(0, 6); p.profile.Air.LeftOut = []string{"motes"} }},
	"support.effect": {
		func(p *plan) { p.Look.Bloom.Enabled = true; p.profile.Look.LeftOut = []string{"bloom"} },
		func(p *plan) { p.profile.Look.LeftOut = []string{"bloom"} }},
	"support.tier": {
		func(p *plan) {
			p.motes(20, 6)
			p.profile.Tiers = []platform.Tier{{Name: "old", LeftOut: []string{"motes"}, Share: 0.2}}
		},
		func(p *plan) {
			p.profile.Tiers = []platform.Tier{{Name: "old", LeftOut: []string{"motes"}, Share: 0.2}}
		}},
	"build.carried-light": {
		func(p *plan) {
			p.block("cart", level.Vec{1, 0.4, 1}, level.Vec{1, 0.8, 1}).Moves = true
			// The chain goes on through a glow.
			p.glow(level.Vec{0, 1, 0}).Parent = "cart"
			p.Lights[0].Parent = "glow-0"
		},
		func(p *plan) {
			p.block("cart", level.Vec{1, 0.4, 1}, level.Vec{1, 0.8, 1})
			p.Lights[0].Parent = "cart"
		}},
	"build.density-lost": {
		func(p *plan) { p.Lightmap.PageSize = 64; p.Solids[0].Surface.Density = 40 },
		func(p *plan) { p.Lightmap.PageSize = 512; p.Solids[0].Surface.Density = 40 }},
	"build.density-jump": {
		func(p *plan) {
			p.block("floor-2", level.Vec{10, -0.1, 0}, level.Vec{11.6, 0.2, 8.4}).Surface.Density = 40
		},
		func(p *plan) {
			p.block("floor-2", level.Vec{10, -0.1, 0}, level.Vec{11.6, 0.2, 8.4}).Surface.Density = 20
		}},
	"build.density-idle": {
		func(p *plan) { p.Solids[0].Surface.Density = 16; p.Lights[0].Shadows.Cast = false },
		func(p *plan) { p.Solids[0].Surface.Density = 16 }},
	"build.never-seen": {
		func(p *plan) {
			p.Lightmap.Density = 10 // the outsides of the hall have over half of 45 thousand
		},
		func(p *plan) {
			p.Lightmap.Density = 10
			p.view(level.Vec{6, 6, 6}, [4]float64{0, 0, 0, 1})
			p.view(level.Vec{-6, 6, -6}, [4]float64{0, 0, 0, 1})
			p.view(level.Vec{0, -5, 0}, [4]float64{0, 0, 0, 1})
		}},
	"build.unseen-texels": {
		func(p *plan) { p.block("stop", level.Vec{2, 1, 2}, level.Vec{0.5, 1, 0.5}).Surface.Visible = false },
		func(p *plan) {
			v := p.block("stop", level.Vec{2, 1, 2}, level.Vec{0.5, 1, 0.5})
			v.Surface.Visible, v.Surface.ReceivesLight = false, false
		}},
	"closure.light-inside": {
		func(p *plan) {
			p.block("crate", level.Vec{1, 0.5, 1}, level.Vec{1, 1, 1})
			p.Lights[0].Transform.Position = level.Vec{1, 0.7, 1}
			p.Lights[0].Shadows.NearM = 0.1 // does not reach out of the crate
		},
		func(p *plan) {
			p.block("crate", level.Vec{1, 0.5, 1}, level.Vec{1, 1, 1})
			p.Lights[0].Transform.Position = level.Vec{1, 0.7, 1}
			p.Lights[0].Shadows.NearM = 0.32
		}},
	"closure.probe-inside": {
		func(p *plan) { p.reflection(level.Vec{-4.1, 1, 0}) },
		func(p *plan) { p.reflection(level.Vec{-3.9, 1, 0}) }},
	"closure.viewpoint-inside": {
		func(p *plan) { p.view(level.Vec{-4.1, 1, 0}, ahead) },
		func(p *plan) { p.view(level.Vec{-3.9, 1, 0}, ahead) }},
	"closure.thin-wall": {
		func(p *plan) {
			p.profile.Limits.ThinWallM = 0.2
			p.Solids[2].Size[0], p.Solids[2].Transform.Position[0] = 0.1, -4.05
		},
		func(p *plan) { p.profile.Limits.ThinWallM = 0.2 }},
	"closure.open-back": {
		func(p *plan) {
			p.hole()
			p.material("glass", func(*level.Material) {})
			p.sheet("pane", level.Vec{0, 1.5, -4.05}, true).Surface.Material = "glass"
			p.profile.Lights.Backs = "pass"
		},
		func(p *plan) {
			p.hole()
			p.sheet("pane", level.Vec{0, 1.5, -4.05}, false)
			p.profile.Lights.Backs = "pass"
		}},
	"closure.gap": {
		func(p *plan) { p.Solids[4].Transform.Position[1] -= 0.005 }, // 5 mm under the ceiling
		func(p *plan) {}}, // faces touch, and are closed
	"closure.void": {
		func(p *plan) { p.Environment.Mode = "indoor"; p.hole() },
		func(p *plan) { p.hole() }}, // outdoors a wall may have a window
	"links.glow-buried": {
		func(p *plan) { p.glow(level.Vec{0, -0.1, 0}).ToleranceM = 0.05 },
		func(p *plan) { p.glow(level.Vec{0, -0.1, 0}).ToleranceM = 0.11 }},
	"links.painted-sun": {
		func(p *plan) { p.paint(120, 40); p.day(-40).AzimuthDeg = 120 },
		func(p *plan) { p.paint(120, 40); p.day(38).AzimuthDeg = 121 }},
	"links.sun-disc": {
		func(p *plan) { d := p.day(35); d.Disc.Cut, d.Disc.AltitudeDeg = true, -35 },
		func(p *plan) { d := p.day(35); d.Disc.Cut, d.Disc.AltitudeDeg = true, 33 }},
	"links.sun-shaft": {
		func(p *plan) { p.day(35); p.through([4]float64{0.3, 0, 0, 0.9539392}) },
		func(p *plan) { p.day(89); p.Environment.Sun.AzimuthDeg = 0; p.shaft(1) }},
	"links.two-suns": {
		func(p *plan) { p.day(35); p.parallel(60000) },
		func(p *plan) { p.day(35); p.parallel(5000) }},
	"links.two-skies": {
		func(p *plan) {
			p.Environment.Sky.Luminance, p.Environment.Ambient.SkyFill = 1000, 0.5
		},
		func(p *plan) { p.Environment.Sky.Luminance, p.Environment.Ambient.SkyFill = 1000, 0.1 }},
	"links.sun-below": {
		func(p *plan) { p.day(-35); p.Environment.Sky.Luminance, p.Environment.Sky.Color = 4000, "#ffffff" },
		func(p *plan) { p.day(-35) }},
	"links.no-effect": {
		func(p *plan) { p.lamp("high", level.Vec{0, 1.5, 0}, 20).RangeM = 1.4 },
		func(p *plan) { p.lamp("high", level.Vec{0, 1.5, 0}, 20).RangeM = 1.7 }},
	"links.drowned": {
		func(p *plan) { p.lamp("spark", level.Vec{0.3, 1.6, 0}, 0.05) },
		func(p *plan) { p.lamp("spark", level.Vec{0.3, 1.6, 0}, 30) }},
	"links.shut-in": {
		func(p *plan) { p.shade(0) },
		func(p *plan) { p.shade(0.3) }},
	"links.hot-spot": {
		func(p *plan) { p.lamp("stuck", level.Vec{0, 0.03, 0}, 60) },
		func(p *plan) { p.lamp("stuck", level.Vec{0, 0.6, 0}, 60) }},
	"links.glow-without-light": {
		func(p *plan) { p.glow(level.Vec{2, 1, 2}) },
		func(p *plan) { p.glow(level.Vec{0.3, 2.2, 0}) }},
	"links.glow-color": {
		func(p *plan) { p.glow(level.Vec{0, 2.3, 0}).Color = "#3040ff" },
		func(p *plan) { p.glow(level.Vec{0, 2.3, 0}).Color = "#fff0e0" }},
	"links.beam-color": {
		func(p *plan) { p.beams(1); p.Beams[0].Light, p.Beams[0].Color = "lamp", "#3040ff" },
		func(p *plan) { p.beams(1); p.Beams[0].Light, p.Beams[0].Color = "lamp", "#fff0e0" }},
	"links.beam-without-light": {
		func(p *plan) { p.beams(1); p.Beams[0].Transform.Position = level.Vec{2, 2, 2} },
		func(p *plan) { p.beams(1); p.Beams[0].Transform.Position = level.Vec{0.2, 2.2, 0} }},
	"links.no-source": {
		func(p *plan) { p.lamp("wisp", level.Vec{2, 1.5, 2}, 30).Note = "" },
		func(p *plan) { p.lamp("wisp", level.Vec{2, 1.5, 2}, 30) }}, // its note says that it is meant
	"links.emissive-idle": {
		func(p *plan) { p.shining(0.001) },
		func(p *plan) { p.shining(50) }},
	"links.coincident": {
		func(p *plan) { p.lamp("copy", level.Vec{0, 2.2, 0}, 100) },
		func(p *plan) { p.lamp("copy", level.Vec{0, 2.21, 0}, 100) }},
	"links.left-at-default": {
		func(p *plan) { p.threeMore(); p.Lights = append(p.Lights, level.NewLight("new", level.Point)) },
		func(p *plan) { p.threeMore() }},
	"links.unanchored": {
		func(p *plan) {
			p.block("fitting", level.Vec{1, 2, 1}, level.Vec{0.2, 0.2, 0.2})
			p.Lights[0].Parent, p.Lights[0].Transform.Position = "fitting", level.Vec{0, -0.3, 0}
		},
		func(p *plan) {
			p.block("fitting", level.Vec{1, 2.9, 1}, level.Vec{0.2, 0.2, 0.2}) // at the ceiling
			p.Lights[0].Parent, p.Lights[0].Transform.Position = "fitting", level.Vec{0, -0.3, 0}
		}},
	"links.sway": {
		func(p *plan) { p.swaying(); p.Environment.Wind.SpeedMps = 3 },
		func(p *plan) { p.swaying() }}, // no wind
	"links.no-credit": {
		func(p *plan) { p.image("poster", 8); p.Images[0].Licence = "" },
		func(p *plan) { p.image("poster", 8) }},
	"look.clips": {
		func(p *plan) { p.lit(); p.Lights[0].Color, p.profile.Display.LightMax = "#ff4010", 0.02 },
		func(p *plan) { p.lit(); p.Lights[0].Color, p.profile.Display.LightMax = "#ff4010", 20 }},
	"look.exposure": {
		func(p *plan) { p.lit(); p.Look.ExposureEV = 14 },
		func(p *plan) { p.lit() }},
	"look.effects": {
		func(p *plan) { p.lit(); p.Look.Grade.Slope = level.Vec{1.8, 0.5, 0.3} },
		func(p *plan) { p.lit(); p.Look.Grade.Slope = level.Vec{1.05, 1, 0.95} }},
	"look.fog-hides-all": {
		func(p *plan) {
			p.Fog.Haze.Enabled, p.Fog.Haze.StartM, p.Fog.Haze.Density, p.Fog.Haze.Max = true, 0, 0.5, 1
		},
		func(p *plan) {
			p.Fog.Haze.Enabled, p.Fog.Haze.StartM, p.Fog.Haze.Density, p.Fog.Haze.Max = true, 0, 0.3, 1
		}},
	"look.fog-short": {
		func(p *plan) {
			p.lit()
			p.Fog.Haze.Enabled, p.Fog.Haze.StartM, p.Fog.Haze.EndM, p.Fog.Haze.Max = true, 1, 2, 1
		},
		func(p *plan) {
			p.lit()
			p.Fog.Haze.Enabled, p.Fog.Haze.StartM, p.Fog.Haze.EndM, p.Fog.Haze.Max = true, 1, 20, 1
		}},
	"look.flat": {
		func(p *plan) { p.lit(); p.Lights = nil; p.Environment.Ambient.Strength = 30 },
		func(p *plan) { p.lit() }},
	"look.ambient-drowns": {
		func(p *plan) { p.Environment.Ambient.Strength = 2000 },
		func(p *plan) { p.Environment.Ambient.Strength = 1 }},
	"look.all-alike": {
		func(p *plan) { p.row(6, 100) },
		func(p *plan) { p.row(6, 60) }},
	"look.many-hues": {
		func(p *plan) { p.hues("#ff1010", "#10ff10", "#1010ff", "#ffe010") },
		func(p *plan) { p.hues("#ff1010", "#10ff10", "#1010ff", "#ffe0d0") }},
	"look.ceiling": {
		func(p *plan) {
			p.Lights[0].Kind, p.Lights[0].Transform.Rotation = level.Spot, down
			p.up(-3, level.Directional)
		},
		func(p *plan) { p.up(0.5, level.Spot) }},
	"look.daylight-deep": {
		func(p *plan) { p.day(60).Shadows.Cast = false },
		func(p *plan) { p.day(60) }},
	"play.too-dark": {
		func(p *plan) { p.Lights[0].Strength = 1; p.lamp("off", level.Vec{1, 2, 1}, 300).Enabled = false },
		func(p *plan) {}},
	"play.dark-part": {
		func(p *plan) { p.wing(0); p.Lights[0].Strength = 600 },
		func(p *plan) { p.wing(60); p.Lights[0].Strength = 600 }},
	"play.pitch-black": {
		func(p *plan) { p.wing(0); p.Zones[0].Play = "story" },
		func(p *plan) { p.wing(0); p.Zones[0].Play = "story"; p.Environment.Ambient.Strength = 0.02 }},
	"play.contrast": {
		func(p *plan) { p.wing(0); p.profile.Play.Contrast = 50 },
		func(p *plan) { p.profile.Play.Contrast = 50 }},
	"play.even": {
		func(p *plan) { p.Lights = nil; p.Environment.Ambient.Strength = 30 },
		func(p *plan) {}},
	"play.figure": {
		func(p *plan) { p.Lights = nil; p.Environment.Ambient.Strength = 30; p.grey("#767676"); p.long() },
		func(p *plan) { p.Lights = nil; p.Environment.Ambient.Strength = 30; p.grey("#e0e0e0"); p.long() }},
	"play.no-guide": {
		func(p *plan) { p.wing(0); p.Zones[0].Play = "story"; p.split(); p.Lights[0].Strength = 400 },
		func(p *plan) { p.wing(60); p.Zones[0].Play = "story"; p.split() }},
}

func ptr[T any](v T) *T { return &v }

func (p *plan) fog(density float64) {
	v := level.Default[level.FogVolume]()
	v.ID, v.Density = fmt.Sprintf("fog-%d", len(p.FogVolumes)), density
	p.FogVolumes = append(p.FogVolumes, &v)
}

func (p *plan) motes(rate, life float64) {
	m := level.Default[level.Motes]()
	m.ID, m.RateHz, m.LifeS = "dust", rate, life
	p.Motes = append(p.Motes, &m)
}

func (p *plan) probes(at, size level.Vec) {
	g := level.Default[level.ProbeGrid]()
	g.ID, g.Size, g.SpacingM, g.Transform.Position = "probes", size, 1, at
	p.Probes = append(p.Probes, &g)
}

func (p *plan) reflection(at level.Vec) {
	r := level.Default[level.Reflection]()
	r.ID, r.Transform.Position = fmt.Sprintf("mirror-%d", len(p.Reflections)), at
	p.Reflections = append(p.Reflections, &r)
}

func (p *plan) gobo(wide int) {
	p.image("mask", wide)
	g := level.Default[level.Gobo]()
	g.Image = "mask"
	p.Lights[0].Kind, p.Lights[0].Gobo = level.Spot, &g
}

func (p *plan) beams(n int) {
	for i := range n {
		b := level.Default[level.Beam]()
		b.ID = fmt.Sprintf("beam-%d", i)
		p.Beams = append(p.Beams, &b)
	}
}

func (p *plan) lacksTubes() {
	p.profile.Lights.Kinds, p.profile.Lights.Instead = []string{"point"}, map[string]string{"tube": "point"}
}

// hole takes the north wall, and puts four strips round an opening of two metres.
func (p *plan) hole() {
	p.Solids = append(p.Solids[:4], p.Solids[5:]...)
	p.block("north-w", level.Vec{-2.5, 1.5, -4.1}, level.Vec{3, 3, 0.2})
	p.block("north-e", level.Vec{2.5, 1.5, -4.1}, level.Vec{3, 3, 0.2})
	p.block("north-u", level.Vec{0, 2.75, -4.1}, level.Vec{2, 0.5, 0.2})
	p.block("north-d", level.Vec{0, 0.25, -4.1}, level.Vec{2, 0.5, 0.2})
}

// paint gives the sky an image with a sun at an azimuth and altitude.
func (p *plan) paint(azimuth, altitude float64) {
	m := image.NewGray(image.Rect(0, 0, 256, 128))
	for i := range m.Pix {
		m.Pix[i] = 60
	}
	cx, cy := int((azimuth/360+0.5)*256)%256, int((90-altitude)/180*128)
	for y := cy - 2; y <= cy+2; y++ {
		for x := cx - 2; x <= cx+2; x++ {
			m.Pix[y*256+x] = 255
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		panic(err)
	}
	p.Images = append(p.Images, &level.Image{ID: "sky", Data: b.Bytes(), Credit: "us", Licence: "CC0"})
	s := &p.Environment.Sky
	s.Kind, s.Image, s.Luminance = level.SkyImage, "sky", 100
}

// shaft hangs a shaft in the air: level, or straight down.
func (p *plan) shaft(steep float64) {
	p.beams(1)
	p.Beams[0].Form = "shaft"
	if steep > 0 {
		p.Beams[0].Transform.Rotation = down
	}
}

// through is parallel light from an opening, turned so.
func (p *plan) through(turn [4]float64) {
	l := level.NewLight("window", level.BoxLight)
	l.Strength, l.Transform.Position, l.Transform.Rotation = 500, level.Vec{0, 2, 0}, turn
	p.Lights = append(p.Lights, l)
}

func (p *plan) parallel(lux float64) {
	l := level.NewLight("second", level.Directional)
	l.Strength, l.Transform.Rotation = lux, down
	p.Lights = append(p.Lights, l)
}

// shade puts the lamp in a box without a floor that is too narrow for it.
func (p *plan) shade(near float64) {
	p.Lights[0].Shadows.NearM = near
	for i, at := range []level.Vec{{0.12, 2.2, 0}, {-0.12, 2.2, 0}, {0, 2.2, 0.12}, {0, 2.2, -0.12}} {
		size := level.Vec{0.02, 0.6, 0.26}
		if i > 1 {
			size = level.Vec{0.26, 0.6, 0.02}
		}
		p.block(fmt.Sprintf("shade-%d", i), at, size)
	}
}

func (p *plan) shining(nits float64) {
	p.material("neon", func(m *level.Material) { m.Emission = nits })
	p.block("sign", level.Vec{0, 2, -3.9}, level.Vec{1, 0.4, 0.1}).Surface.Material = "neon"
}

func (p *plan) threeMore() {
	for i := range 3 {
		p.lamp(fmt.Sprintf("set-%d", i), level.Vec{float64(i) - 1, 1.5, 2}, 30+float64(i))
	}
}

func (p *plan) swaying() {
	m := p.sheet("flag", level.Vec{0, 1.5, 0}, false)
	m.Sways = ptr(level.Default[level.Sway]())
	p.Lights[0].Parent, p.Lights[0].Transform.Position = "flag", level.Vec{0, 0.2, 0.2}
}

// lit gives the hall a viewpoint that sees its lamp's light.
func (p *plan) lit() { p.view(level.Vec{0, 1.6, 3.5}, ahead) }

func (p *plan) row(n int, last float64) {
	p.Lights = nil
	for i := range n {
		p.lamp(fmt.Sprintf("lamp-%d", i), level.Vec{float64(i) - 3, 2, 0}, 100)
	}
	p.Lights[n-1].Strength = last
}

func (p *plan) hues(colors ...string) {
	for i, c := range colors {
		p.lamp(fmt.Sprintf("tint-%d", i), level.Vec{float64(i) - 2, 2, 1}, 20).Color = c
	}
}

// up lights the ceiling from below: from a place in the hall, or through the floor.
func (p *plan) up(y float64, kind string) {
	l := level.NewLight("up", kind)
	l.Strength, l.Transform.Position, l.Transform.Rotation = 300, level.Vec{1, y, 1}, [4]float64{0.7071068, 0, 0, 0.7071068}
	l.Shadows.Cast = kind != level.Directional
	p.Lights = append(p.Lights, l)
}

// wing adds a closed off half to the hall, reached by a door, with a lamp of its own strength.
func (p *plan) wing(strength float64) {
	p.block("screen-w", level.Vec{-2.6, 1.5, -0.6}, level.Vec{2.8, 3, 0.2})
	p.block("screen-e", level.Vec{1.5, 1.5, -0.6}, level.Vec{5, 3, 0.2})
	p.block("screen-2", level.Vec{-0.9, 1.5, -1.3}, level.Vec{2.2, 3, 0.2})
	p.block("screen-3", level.Vec{-1.9, 1.5, -1}, level.Vec{0.2, 3, 0.9})
	p.Lights[0].Transform.Position = level.Vec{0, 2.2, 2}
	p.Lightmap.Bounces = false
	p.Solids[len(p.Solids)-1].Transform.Position[0] = -2.4
	p.material("soot", func(m *level.Material) { m.Color = "#050505" })
	for _, v := range p.Solids {
		v.Surface.Material = "soot"
	}
	if strength > 0 {
		p.lamp("wing-lamp", level.Vec{0, 2.2, -2.6}, strength)
	}
}

// split makes the dark half a zone of its own.
func (p *plan) split() {
	z := level.Default[level.Zone]()
	z.ID, z.Play, z.Priority, z.Boxes = "wing", "none", 1, []level.Box{{Min: level.Vec{-4, 0, -4}, Max: level.Vec{4, 3, -1.4}}}
	p.Zones = append(p.Zones, &z)
}

func (p *plan) grey(hex string) {
	p.material("paint", func(m *level.Material) { m.Color = hex })
	for _, v := range p.Solids {
		v.Surface.Material = "paint"
	}
}

// long stretches the hall to 24 m, so that figures are seen from afar.
func (p *plan) long() {
	for _, v := range p.Solids {
		if v.Size[2] > 1 {
			v.Size[2] *= 3
		}
		v.Transform.Position[2] *= 3
	}
	p.Zones[0].Boxes[0].Min[2], p.Zones[0].Boxes[0].Max[2] = -12, 12
}

// of runs one rule.
func (p *plan) of(t *testing.T, id string) []Finding {
	t.Helper()
	require.NoError(t, p.Validate(), id)
	ready, err := bake.Prepare(p.Level)
	require.NoError(t, err)
	rule, ok := RuleNamed(id)
	require.True(t, ok, id)
	return rule.run(&subject{ready, Of(ready), ready.Scene.Level, ready.Scene.World, p.profile})
}

func TestEveryRule(t *testing.T) {
	for _, rule := range Rules() {
		t.Run(rule.ID, func(t *testing.T) {
			c, ok := faults[rule.ID]
			require.True(t, ok, "it has no case")
			wrong := hall()
			c.wrong(wrong)
			found := wrong.of(t, rule.ID)
			if assert.NotEmpty(t, found, "the fault is found") {
				f := found[0]
				assert.Contains(t, rule.Severities, f.Severity)
				assert.NotEmpty(t, f.Message)
				if rule.Fix != "" {
					require.NotNil(t, f.Fix, "it has a fix: %s", f.Message)
					next, _, err := wrong.Apply(*f.Fix)
					require.NoError(t, err)
					mended := &plan{next, wrong.profile}
					assert.Empty(t, mended.of(t, rule.ID), "the fix settles it: %s", f.Message)
				}
			}
			right := hall()
			c.right(right)
			for _, f := range right.of(t, rule.ID) {
				t.Errorf("found where nothing is wrong: %s", f.Message)
			}
		})
	}
}

// The hall itself has nothing wrong on any shipped platform that has what it uses.
func TestTheHallIsClean(t *testing.T) {
	p := hall()
	ready, err := bake.Prepare(p.Level)
	require.NoError(t, err)
	r := Run(ready, p.profile)
	for _, f := range r.Findings {
		t.Errorf("%s: %s", f.Rule, f.Message)
	}
	assert.True(t, r.Clean)
}

func TestThereAreRulesOfEveryFamily(t *testing.T) {
	n := map[string]int{}
	seen := map[string]bool{}
	for _, r := range Rules() {
		assert.False(t, seen[r.ID], "%s is there twice", r.ID)
		seen[r.ID] = true
		n[r.Family]++
		assert.Contains(t, Families, r.Family)
		for _, text := range []string{r.Title, r.Why} {
			assert.Regexp(t, `^[A-Z].*\.$`, text, r.ID)
		}
	}
	assert.Len(t, n, len(Families))
	assert.GreaterOrEqual(t, len(Rules()), 45)
}

// Who waives a finding gives a reason; one more light over the limit is a new finding.
func TestWaivers(t *testing.T) {
	p := hall()
	p.lamp("two", level.Vec{1, 2, 1}, 10)
	p.profile.Limits.ZoneLights = p.limit(1)
	check := func(l *level.Level) *Report {
		ready, err := bake.Prepare(l)
		require.NoError(t, err)
		return Run(ready, p.profile)
	}
	r := check(p.Level)
	require.Len(t, r.Findings, 1)
	next, _, err := p.Apply(level.Add("waivers", Waive(p.NewIDs(), r.Findings[0].Rule, r.Findings[0].Entities, r.Findings[0].Zone, "both are wanted", "maren")))
	require.NoError(t, err)
	r = check(next)
	require.Len(t, r.Findings, 1)
	assert.Equal(t, "both are wanted", r.Findings[0].Waived)
	assert.True(t, r.Clean)
	assert.Equal(t, 1, r.Waived)
	third := &plan{next, p.profile}
	third.lamp("three", level.Vec{-1, 2, 1}, 10)
	r = check(third.Level)
	require.Len(t, r.Findings, 1)
	assert.Empty(t, r.Findings[0].Waived, "three lights are not what was waived")
}

// A profile makes a rule graver, milder or silent.
func TestSeveritiesOfAProfile(t *testing.T) {
	p := hall()
	p.lamp("two", level.Vec{1, 2, 1}, 10)
	p.profile.Limits.ZoneLights = p.limit(1)
	ready, err := bake.Prepare(p.Level)
	require.NoError(t, err)
	p.profile.Severities = map[string]string{"limits.zone-lights": "advice"}
	assert.Equal(t, Advice, Run(ready, p.profile).Findings[0].Severity)
	p.profile.Severities = map[string]string{"limits.zone-lights": "off"}
	assert.Empty(t, Run(ready, p.profile).Findings)
}

// The published list is that of the rules.
func TestPublishedRulesAreCurrent(t *testing.T) {
	text, err := os.ReadFile("../../docs/checks.md")
	require.NoError(t, err)
	assert.Contains(t, string(text), Markdown(), "make generate brings it up to date")
}
