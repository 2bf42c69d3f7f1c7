package air_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"grotta/core/air"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/sky"
)

func of(l *level.Level) *air.Air { return air.Of(l, l.World(), sky.OfLevel(l)) }

var ahead = geom.Vec3{0, 0, -1}

func TestHazeByItsLaws(t *testing.T) {
	h := air.ReadyHaze{StartM: 10, EndM: 200, Max: 0.9, Sky: 0.5}
	assert.Zero(t, h.Share(10))
	assert.InDelta(t, 0.5, h.Share(105), 1e-12, "evenly from start to end")
	assert.Equal(t, 0.9, h.Share(1e4))
	assert.Equal(t, 0.45, h.Share(air.Far), "the sky takes its own share of it")
	h.Density = 0.02
	assert.InDelta(t, 1-math.Exp(-0.02*50), h.Share(60), 1e-12, "Beer and Lambert")
}

// The closed integral of height fog against a sum over the ray.
func TestHeightFogIsTheIntegralOfItsDensity(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		h := air.ReadyHeightFog{
			BaseM: rapid.Float64Range(-5, 5).Draw(t, "base"), FalloffM: rapid.Float64Range(0.2, 20).Draw(t, "falloff"),
			Density: rapid.Float64Range(0.001, 0.5).Draw(t, "density"), Max: 1,
		}
		from, to := rapid.Float64Range(-20, 20).Draw(t, "from"), rapid.Float64Range(-20, 20).Draw(t, "to")
		distance := math.Abs(to-from) + rapid.Float64Range(0.1, 100).Draw(t, "more")
		const n = 4000
		sum := 0.0
		for i := range n {
			y := from + (to-from)*(float64(i)+0.5)/n
			sum += h.Density * math.Exp(-max(y-h.BaseM, 0)/h.FalloffM) * distance / n
		}
		require.InDelta(t, sum, h.Depth(from, to, distance), 1e-9+5e-4*sum)
	})
}

// Rays that are nearly level, on both sides of the base's kink, keep to the integral: its closed form for
// the part below and the part above, by hand.
func TestNearlyLevelRaysInHeightFog(t *testing.T) {
	h := air.ReadyHeightFog{BaseM: 0.00390625, FalloffM: 1, Density: 0.5, Max: 1}
	const from, to, distance = 0.0078125, 0.0009765625, 6.882
	above, below := from-h.BaseM, h.BaseM-to
	mean := (h.Density*below + h.Density*h.FalloffM*(1-math.Exp(-above/h.FalloffM))) / (from - to)
	assert.InDelta(t, mean*distance, h.Depth(from, to, distance), 1e-9)
	for _, dy := range []float64{1e-2, 1e-4, 1e-6, 1e-9, 1e-12, 0} {
		assert.InDelta(t, 0.5*math.Exp(-1)*10, h.Depth(h.BaseM+1-dy/2, h.BaseM+1+dy/2, 10), 1e-5, "%g", dy)
	}
}

func TestVeilOfBothFogs(t *testing.T) {
	s := air.Setting{
		Haze:   air.ReadyHaze{Density: 0.1, Max: 1, Sky: 1, Nits: color.Linear{4, 0, 0}},
		Height: air.ReadyHeightFog{BaseM: 100, FalloffM: 1, Density: 0.3, Max: 1, Nits: color.Linear{0, 8, 0}},
	}
	share, nits := s.Veil(geom.Vec3{}, ahead, 5) // all of it below the base: even
	through := math.Exp(-0.1*5 - 0.3*5)
	assert.InDelta(t, 1-through, share, 1e-9)
	assert.InDelta(t, 4*0.25*share, nits[0], 1e-9, "colours count by optical depth, 1 to 3")
	assert.InDelta(t, 8*0.75*share, nits[1], 1e-9)
}

func volume(id string, at, size level.Vec, density float64) *level.FogVolume {
	v := level.Default[level.FogVolume]()
	v.ID, v.Size, v.Density, v.EdgeM, v.Color, v.Luminance = id, size, density, 0, "#ffffff", 10
	v.Transform.Position = at
	return &v
}

// A volume without edges is Beer and Lambert's law over the way inside.
func TestFogVolumeWithoutEdges(t *testing.T) {
	l := level.New("fog")
	l.FogVolumes = []*level.FogVolume{volume("v", level.Vec{0, 0, -10}, level.Vec{4, 4, 6}, 0.2)}
	a := of(l)
	s := a.At(l, geom.Vec3{})
	for _, c := range []struct{ end, inside float64 }{{5, 0}, {7, 0}, {10, 3}, {50, 6}} {
		through, added := a.VolumesAlong(&s, geom.Vec3{}, ahead, c.end)
		assert.InDelta(t, math.Exp(-0.2*c.inside), through, 1e-6, "to %v m", c.end)
		assert.InDelta(t, 10*(1-math.Exp(-0.2*c.inside)), added[1], 1e-4)
	}
	through, _ := a.VolumesAlong(&s, geom.Vec3{5, 0, 0}, ahead, 50)
	assert.Equal(t, 1.0, through, "beside it")
}

// Two volumes in one place are one of both densities, in a blend of colours; and
// edges thin what is inside.
func TestVolumesThatMeet(t *testing.T) {
	l := level.New("fog")
	red, blue := volume("a", level.Vec{0, 0, -5}, level.Vec{4, 4, 4}, 0.1), volume("b", level.Vec{0, 0, -5}, level.Vec{4, 4, 4}, 0.3)
	red.Color, blue.Color = "#ff0000", "#0000ff"
	l.FogVolumes = []*level.FogVolume{red, blue}
	a := of(l)
	s := a.At(l, geom.Vec3{})
	through, added := a.VolumesAlong(&s, geom.Vec3{}, ahead, 100)
	assert.InDelta(t, math.Exp(-0.4*4), through, 1e-6)
	assert.InDelta(t, 10*0.25*(1-through), added[0], 1e-4)
	assert.InDelta(t, 10*0.75*(1-through), added[2], 1e-4)
	red.EdgeM, blue.EdgeM = 1, 1
	thinner, _ := of(l).VolumesAlong(&s, geom.Vec3{}, ahead, 100)
	assert.Greater(t, thinner, through)
}

// A passage that was marched to the end of the fog says the same at each depth as
// a ray that ends there.
func TestPassageIsRightAtEveryDepth(t *testing.T) {
	l := level.New("fog")
	v := volume("v", level.Vec{0, 0, -10}, level.Vec{8, 8, 12}, 0.15)
	v.EdgeM = 2
	l.FogVolumes = []*level.FogVolume{v}
	a := of(l)
	s := a.At(l, geom.Vec3{})
	var p air.Passage
	require.True(t, a.March(&s, geom.Vec3{}, ahead, air.Far, &p))
	for d := 0.5; d < 24; d += 0.7 {
		through, added := a.VolumesAlong(&s, geom.Vec3{}, ahead, d)
		gotThrough, gotAdded := p.At(d)
		assert.InDelta(t, through, gotThrough, 3e-3, "%v m", d)
		assert.InDelta(t, added[0], gotAdded[0], 3e-2, "%v m", d)
	}
}

// Light that is even and comes evenly scatters E / 4π; against the light more,
// away from it less, and over all directions as much.
func TestScatteringKeepsEnergy(t *testing.T) {
	f := air.NewField(geom.Vec3{}, geom.Vec3{1, 1, 1}, [3]int{2, 2, 2})
	for i := 0; i < len(f.Values); i += 6 {
		copy(f.Values[i:], []float32{100, 100, 100, 0, 0, -100}) // from -Z
	}
	at := geom.Vec3{0.4, 0.5, 0.7}
	assert.InDelta(t, 100/(4*math.Pi), f.Scattered(&at, &ahead, 0)[0], 1e-4)
	for _, g := range []float64{0.1, 0.3, -0.3} {
		sum, n := 0.0, 200
		for i := range n {
			z := 1 - 2*(float64(i)+0.5)/float64(n)
			dir := geom.Vec3{math.Sqrt(1 - z*z), 0, z}
			sum += f.Scattered(&at, &dir, g)[0] * 4 * math.Pi / float64(n)
		}
		assert.InDelta(t, 100, sum, 0.01, "g %v", g)
	}
	back := geom.Vec3{0, 0, 1}
	assert.Greater(t, f.Scattered(&at, &ahead, 0.3)[0], 2*f.Scattered(&at, &back, 0.3)[0])
}

func TestVanishingDistance(t *testing.T) {
	s := air.Setting{Haze: air.ReadyHaze{Density: 0.03, Max: 1, Sky: 1}}
	assert.InDelta(t, -math.Log(0.05)/0.03, s.VanishM(100, 1.7, 1e5), 0.01, "Koschmieder: 3.0 over the density")
	assert.Less(t, s.VanishM(0.01, 1.7, 1e5), s.VanishM(1, 1.7, 1e5), "small things sooner")
	s.Haze.Max = 0.9
	assert.Equal(t, 1000.0, s.VanishM(100, 1.7, 1000), "a haze that keeps a tenth hides nothing large")
}

func glowing(set func(*level.Glow)) *air.Air {
	l := level.New("glow")
	g := level.Default[level.Glow]()
	g.ID, g.SizeM, g.Luminance, g.ToleranceM = "g", 2, 40, 0.5
	g.Transform.Position = level.Vec{0, 0, -10}
	set(&g)
	l.Glows = []*level.Glow{&g}
	return of(l)
}

var eye = air.Camera{Right: geom.Vec3{1, 0, 0}, Up: geom.Vec3{0, 1, 0}, TanHalf: 0.5}

func TestGlows(t *testing.T) {
	plain := &glowing(func(*level.Glow) {}).Glows[0]
	nits, depth := plain.Along(&eye, ahead, 100)
	assert.InDelta(t, 40, nits[1], 1e-9)
	assert.InDelta(t, 10, depth, 1e-9)
	half, _ := plain.Along(&eye, ahead, 9.75)
	assert.InDelta(t, 20, half[1], 1e-9, "half its tolerance behind a wall")
	gone, _ := plain.Along(&eye, ahead, 9.4)
	assert.Zero(t, gone[1])
	miss, _ := plain.Along(&eye, geom.Vec3{0.11, 0, -1}.Normalize(), 100)
	assert.Zero(t, miss[1], "past its rim")

	fading := &glowing(func(g *level.Glow) { g.FadeStartM, g.FadeEndM, g.Opacity = 5, 15, 0.5 }).Glows[0]
	nits, _ = fading.Along(&eye, ahead, 100)
	assert.InDelta(t, 10, nits[1], 1e-9, "half way, at half opacity")

	// On the screen: a tenth of the height, at any distance.
	screen := func(z float64) *air.ReadyGlow {
		return &glowing(func(g *level.Glow) { g.SizeMode, g.SizeShare, g.Transform.Position = "screen", 0.1, level.Vec{0, 0, z} }).Glows[0]
	}
	for _, z := range []float64{-2, -200} {
		in, _ := screen(z).Along(&eye, geom.Vec3{0, 0.048, -1}.Normalize(), 1e4)
		out, _ := screen(z).Along(&eye, geom.Vec3{0, 0.052, -1}.Normalize(), 1e4)
		assert.Positive(t, in[0], "at %v", z)
		assert.Zero(t, out[0], "at %v", z)
	}
	for _, shape := range []string{"soft", "star", "streak"} {
		assert.InDelta(t, 1, air.GlowShape(shape, 0, 0), 1e-9, shape)
	}
	assert.Greater(t, air.GlowShape("streak", 0.6, 0), 5*air.GlowShape("streak", 0, 0.6))
	assert.Equal(t, air.GlowShape("star", 0.6, 0), air.GlowShape("star", 0, -0.6))
	assert.Greater(t, air.GlowShape("ring", 0.7, 0), air.GlowShape("ring", 0, 0))
}

// What a ray outside a glow's reach would get is nothing.
func TestReachOfAGlowHoldsAllOfIt(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		screen := rapid.Bool().Draw(t, "screen")
		g := &glowing(func(g *level.Glow) {
			g.SizeM = rapid.Float64Range(0.1, 25).Draw(t, "size")
			if screen {
				g.SizeMode = "screen"
			}
		}).Glows[0]
		toward, cos := g.Reach(&eye)
		dir := geom.Vec3{rapid.Float64Range(-1, 1).Draw(t, "x"), rapid.Float64Range(-1, 1).Draw(t, "y"), -1}.Normalize()
		if nits, _ := g.Along(&eye, dir, 1e4); nits[0] > 0 {
			require.GreaterOrEqual(t, dir.Dot(toward), cos-1e-9)
		}
	})
}

func beaming(set func(*level.Beam)) *air.ReadyBeam {
	l := level.New("beam")
	b := level.Default[level.Beam]()
	b.ID, b.LengthM, b.AngleDeg, b.Luminance, b.StartM, b.Falloff = "b", 8, 20, 3, 0, 0
	set(&b)
	l.Beams = []*level.Beam{&b}
	return &of(l).Beams[0]
}

// Across a shaft the profile is (1 - x²)², whose mean is 8/15.
func TestShaftAcrossItsBreadth(t *testing.T) {
	b := beaming(func(b *level.Beam) { b.Form, b.WidthM, b.HeightM = "shaft", 2, 2 })
	nits, depth := b.Along(geom.Vec3{-10, 0, -4}, geom.Vec3{1, 0, 0}, 100)
	assert.InEpsilon(t, 3*2*8.0/15, nits[0], 0.01)
	assert.InDelta(t, 10, depth, 0.05)
	nits, _ = b.Along(geom.Vec3{-10, 0, -4}, geom.Vec3{1, 0, 0}, 10)
	assert.InEpsilon(t, 3*8.0/15, nits[0], 0.01, "half of it before a wall in its middle")
	nits, _ = b.Along(geom.Vec3{-10, 0, -9}, geom.Vec3{1, 0, 0}, 100)
	assert.Zero(t, nits[0], "past its end")
}

func TestConeIsSeenIntoAndNotFromBehind(t *testing.T) {
	b := beaming(func(b *level.Beam) {})
	wide := 4 * math.Tan(20*math.Pi/180)
	nits, _ := b.Along(geom.Vec3{-10, 0, -4}, geom.Vec3{1, 0, 0}, 100)
	assert.InEpsilon(t, 3*2*wide*8.0/15, nits[0], 0.01, "across it at 4 m")
	into, _ := b.Along(geom.Vec3{0, 0, -20}, geom.Vec3{0, 0, 1}, 100)
	assert.InEpsilon(t, 3*8*2, into[0], 0.01, "all its length, twice as bright")
	behind, _ := b.Along(geom.Vec3{0, 0, 5}, geom.Vec3{0, 0, -1}, 100)
	assert.InDelta(t, 0, behind[0], 1e-9)
	beside, _ := b.Along(geom.Vec3{-10, 3, -4}, geom.Vec3{1, 0, 0}, 100)
	assert.Zero(t, beside[0])
	inside, _ := b.Along(geom.Vec3{0, 0, -4}, geom.Vec3{1, 0, 0}, 100)
	assert.InEpsilon(t, 3*wide*8.0/15, inside[0], 0.01, "from its middle half of it")
}

func TestBeamFollowsItsLight(t *testing.T) {
	l := level.New("beam")
	lamp := level.NewLight("lamp", level.Spot)
	lamp.OuterDeg, lamp.Color, lamp.Transform.Position = 30, "#ff0000", level.Vec{1, 2, 3}
	l.Lights = []*level.Light{lamp}
	b := level.Default[level.Beam]()
	b.ID, b.Light = "b", "lamp"
	l.Beams = []*level.Beam{&b}
	got := of(l).Beams[0]
	assert.Equal(t, geom.Vec3{1, 2, 3}, got.At)
	assert.InDelta(t, math.Tan(math.Pi/6), got.TanHalf, 1e-12)
	assert.Equal(t, color.Linear{1, 0, 0}, got.Color)
	lamp.Enabled = false
	nits, _ := func() (color.Linear, float64) { d := of(l).Beams[0]; return d.Along(geom.Vec3{1, 2, 20}, ahead, 100) }()
	assert.Zero(t, nits[0], "it goes out with it")
}

func drifting(form string) *air.Emitter {
	l := level.New("motes")
	m := level.Default[level.Motes]()
	m.ID, m.Form, m.Size, m.RateHz, m.LifeS, m.SpeedMps, m.WindShare = "m", form, level.Vec{2, 2, 3}, 50, 4, 0.3, 1
	l.Motes = []*level.Motes{&m}
	l.Environment.Wind = level.Wind{FromDeg: 270, SpeedMps: 0.2}
	return &of(l).Motes[0]
}

func TestMotesAreTheSameEveryTimeAndStayInside(t *testing.T) {
	for _, form := range []string{"box", "cone", "shaft"} {
		a, b := drifting(form), drifting(form)
		require.Len(t, a.Motes, 200, "rate times life")
		assert.Equal(t, a.Specks(12.5), b.Specks(12.5), form)
		assert.NotEqual(t, a.Specks(12.5), a.Specks(12.6), form)
		assert.Equal(t, len(a.Specks(1)), len(a.Specks(5)), "after a life it is all again")
		for _, s := range a.Specks(7) {
			low := 0.0
			if form == "box" {
				low = -1.5
			}
			assert.True(t, math.Abs(s.At[0]) <= 1 && math.Abs(s.At[1]) <= 1 && -s.At[2] >= low && -s.At[2] <= 3, "%s %v", form, s.At)
			assert.Positive(t, s.Nits[0])
		}
	}
	e := drifting("box")
	assert.InDelta(t, 0.2, e.Drift[0], 1e-12, "wind from the west carries east")
}

// An even disc of radiance L lights what faces it with π L sin².
func TestDiscGivesItsLux(t *testing.T) {
	l := level.New("sun")
	sun := level.Default[level.Sun]()
	sun.Lux, sun.AngularDeg, sun.AltitudeDeg, sun.AzimuthDeg = 50000, 6, 90, 0
	l.Environment.Sun = &sun
	d := of(l).Discs[0]
	sum, n := 0.0, 400
	for i := range n { // rings about it; level ground faces it
		angle := 6 * math.Pi / 180 * (float64(i) + 0.5) / float64(n)
		ring := 2 * math.Pi * math.Sin(angle) * 6 * math.Pi / 180 / float64(n)
		sum += d.Along(geom.Vec3{math.Sin(angle), math.Cos(angle), 0}).Luminance() * math.Cos(angle) * ring
	}
	assert.InEpsilon(t, 50000, sum, 0.01)
	sun.Disc = level.Disc{Shown: true, Cut: true, AzimuthDeg: 90, AltitudeDeg: 10}
	assert.InDelta(t, math.Cos(10*math.Pi/180), of(l).Discs[0].Toward[0], 1e-9, "cut from its light")
	sun.Disc.Shown = false
	assert.Empty(t, of(l).Discs)
}

func TestStarsAreTheSameInEveryLevel(t *testing.T) {
	a, b := level.New("a"), level.New("b")
	a.Environment.Stars.Count, b.Environment.Stars.Count = 50, 20
	many, few := of(a).Stars, of(b).Stars
	assert.Equal(t, few, many[:20])
	for i, s := range many {
		assert.InDelta(t, 1, s.Toward.Len(), 1e-12)
		assert.GreaterOrEqual(t, s.Toward[1], 0.0)
		if i > 0 {
			assert.Less(t, s.Lux.Luminance(), many[i-1].Lux.Luminance()*1.001)
		}
	}
}

func TestZoneTakesOverAcrossItsBlend(t *testing.T) {
	l := level.New("zones")
	l.Fog.Haze.Enabled, l.Fog.Haze.Max = true, 0.8
	own := l.Fog
	own.Haze.Max = 0.2
	look := l.Look
	look.ExposureEV, look.Tone = l.Look.ExposureEV+2, "clamp"
	z := level.Default[level.Zone]()
	z.ID, z.Boxes, z.BlendM, z.Fog, z.Look = "z", []level.Box{{Min: level.Vec{0, 0, 0}, Max: level.Vec{10, 10, 10}}}, 2, &own, &look
	l.Zones = []*level.Zone{&z}
	a := of(l)
	at := func(x float64) air.Setting { return a.At(l, geom.Vec3{x, 5, 5}) }
	assert.Equal(t, 0.8, at(-1).Haze.Max)
	assert.InDelta(t, 0.5, at(1).Haze.Max, 1e-9, "half way through the blend")
	assert.InDelta(t, l.Look.ExposureEV+1, at(1).Look.ExposureEV, 1e-9)
	assert.InDelta(t, 0.2, at(5).Haze.Max, 1e-9)
	assert.Equal(t, "clamp", at(5).Look.Tone)
	own.Haze.Enabled = false
	a = of(l)
	assert.InDelta(t, 0.4, at(1).Haze.Max, 1e-9, "a haze that the zone lacks goes")
	assert.Zero(t, at(5).Haze.Max)
}

func TestFogTakesItsColourFromSkyAndLights(t *testing.T) {
	l := level.New("tint")
	lamp := level.NewLight("lamp", level.Point)
	lamp.Color = "#00ff00"
	l.Lights = []*level.Light{lamp}
	v := volume("v", level.Vec{}, level.Vec{1, 1, 1}, 1)
	v.ColorFrom, v.Luminance = "lamp", 3
	l.FogVolumes = []*level.FogVolume{v}
	assert.Equal(t, color.Linear{0, 3, 0}, of(l).Volumes[0].Nits)
	lamp.Enabled = false
	assert.Equal(t, color.Linear{}, of(l).Volumes[0].Nits)
	v.ColorFrom = level.FromSky
	l.Environment.Sky.Color, l.Environment.Sky.Luminance = "#ffffff", 250
	assert.InDelta(t, 250, of(l).Volumes[0].Nits[0], 1e-9)
}

func TestWhatIsTooMuchForAViewIsSaid(t *testing.T) {
	l := level.New("many")
	for i := range air.MaxVolumes + 2 {
		v := volume("v"+string(rune('a'+i)), level.Vec{}, level.Vec{1, 1, 1}, 0.1)
		v.Priority = i
		l.FogVolumes = append(l.FogVolumes, v)
	}
	a := of(l)
	assert.Len(t, a.Volumes, air.MaxVolumes)
	assert.Equal(t, []string{"vb", "va"}, a.Left, "the least priority goes")
}

// A zone says for itself where lit fog shows light: nowhere, in volumes, or also
// in haze.
func TestZonesSayWhereFogIsLit(t *testing.T) {
	l := level.New("fog")
	l.FogVolumes = []*level.FogVolume{volume("v", level.Vec{0, 0, -10}, level.Vec{4, 4, 6}, 0.2)}
	l.FogVolumes[0].Luminance = 0
	l.Fog.Lit = level.LitNowhere
	z := level.Default[level.Zone]()
	fog := l.Fog
	fog.Lit = level.LitVolumes
	z.ID, z.Fog, z.BlendM, z.Boxes = "room", &fog, 0, []level.Box{{Min: level.Vec{-1, -1, -1}, Max: level.Vec{1, 1, 1}}}
	l.Zones = []*level.Zone{&z}
	a := of(l)
	require.True(t, a.Volumes[0].Lit, "some setting shows it")
	a.Volumes[0].Field = air.NewField(a.Volumes[0].Min, a.Volumes[0].Max, [3]int{1, 1, 1})
	copy(a.Volumes[0].Field.Values, []float32{4, 4, 4, 0, 0, 0})
	inside, outside := a.At(l, geom.Vec3{}), a.At(l, geom.Vec3{5, 0, 0})
	_, added := a.VolumesAlong(&inside, geom.Vec3{}, ahead, 100)
	assert.InDelta(t, 4/(4*math.Pi)*(1-math.Exp(-1.2)), added[1], 1e-4, "evenly scattered light")
	_, added = a.VolumesAlong(&outside, geom.Vec3{}, ahead, 100)
	assert.Zero(t, added[1])

	// A volume without fog of its own counts where light shows everywhere.
	a.Volumes[0].Density = 0
	inside.Haze = air.ReadyHaze{Density: 0.1, Max: 1}
	_, added = a.VolumesAlong(&inside, geom.Vec3{}, ahead, 100)
	assert.Zero(t, added[1])
	inside.Lit = level.LitEverywhere
	_, added = a.VolumesAlong(&inside, geom.Vec3{}, ahead, 100)
	assert.InDelta(t, 4/(4*math.Pi)*(math.Exp(-0.7)-math.Exp(-1.3)), added[1], 1e-3, "haze from 7 to 13 m")
}
