package bake_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/source"
)

// shaded is a lamp 4 m over the plane with a slab half way, and the lux at a spot
// in its shadow and at one beside it.
func shaded(t *testing.T, edit func(*level.Light)) (dark, lit float64) {
	t.Helper()
	l := plane(light("l", level.Point, 160, level.Vec{0, 4, 0}, down))
	block(l, "slab", level.Vec{0, 2, 0}, level.Vec{1, 0.1, 1})
	edit(l.Lights[0])
	p := prepare(t, l)
	return ledger.Ask(p, geom.Vec3{0.2, 0, 0}, up).Sources[0].Direct.Luminance, ledger.Ask(p, geom.Vec3{3, 0, 0}, up).Sources[0].Direct.Luminance
}

func TestShadowSettings(t *testing.T) {
	open, _ := shaded(t, func(l *level.Light) { l.Shadows.Cast = false })
	d2 := 0.2*0.2 + 16.0
	assert.InEpsilon(t, 160*4/math.Pow(d2, 1.5), open, 1e-3)

	dark, lit := shaded(t, func(*level.Light) {})
	assert.Zero(t, dark)
	assert.InEpsilon(t, 160*4/math.Pow(9+16, 1.5), lit, 1e-3)

	half, _ := shaded(t, func(l *level.Light) { l.Shadows.Depth = 0.5 })
	assert.InEpsilon(t, open/2, half, 1e-3, "half a shadow")

	beyond, _ := shaded(t, func(l *level.Light) { l.Shadows.ReachM = 3 })
	assert.InEpsilon(t, open, beyond, 1e-3, "the floor is farther than shadows reach")
	within, _ := shaded(t, func(l *level.Light) { l.Shadows.ReachM = 10 })
	assert.Zero(t, within)
	d := math.Sqrt(d2)
	fading, _ := shaded(t, func(l *level.Light) { l.Shadows.ReachM, l.Shadows.FadeM = d+0.25, 1 })
	assert.InEpsilon(t, open*0.75, fading, 1e-3, "a quarter of the way into the fade")

	near, _ := shaded(t, func(l *level.Light) { l.Shadows.NearM = 2.2 })
	assert.InEpsilon(t, open, near, 1e-3, "the slab is nearer than near")
}

// Softness widens the edges of shadows and nothing else.
func TestSoftness(t *testing.T) {
	at := func(softness, x float64) (lux, visible float64) {
		l := plane(light("l", level.Point, 160, level.Vec{0, 4, 0}, down))
		l.Lights[0].RadiusM, l.Lights[0].Shadows.Softness = 0.1, softness
		block(l, "board", level.Vec{5, 2, 0}, level.Vec{10, 0.01, 18})
		e := ledger.Ask(prepare(t, l), geom.Vec3{x, 0, 0}, up).Sources[0]
		return e.Direct.Luminance, e.Visible
	}
	_, hard := at(0, 0.08)
	assert.Contains(t, []float64{0, 1}, hard, "no softness: lit or not")
	_, plain := at(1, 0.08)
	_, wide := at(3, 0.08)
	assert.Less(t, plain, wide, "further into the dark a wider source shows more")
	a, _ := at(1, -4)
	b, _ := at(3, -4)
	assert.InEpsilon(t, a, b, 1e-9, "where nothing is in the way the size is its own")
}

func picturePNG(t *testing.T, at func(x, y int) color.NRGBA) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 16, 16))
	for y := range 16 {
		for x := range 16 {
			img.SetNRGBA(x, y, at(x, y))
		}
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	return b.Bytes()
}

// A gobo of two halves throws red to the left and nothing to the right, seen
// along the light; what spills goes past it.
func TestGobo(t *testing.T) {
	base := light("l", level.Spot, 500, level.Vec{0, 4, 0}, down)
	base.InnerDeg, base.OuterDeg = 60, 70
	base.Gobo = &level.Gobo{Image: "half", FovDeg: 90, FocusM: 4}
	l := plane(base)
	l.Images = []*level.Image{{ID: "half", Data: picturePNG(t, func(x, _ int) color.NRGBA {
		if x < 8 {
			return color.NRGBA{255, 0, 0, 255}
		}
		return color.NRGBA{0, 0, 0, 255}
	})}}
	p := prepare(t, l)
	right := p.Scene.World.Pose(&base.Entity).Rotation.Rotate(geom.Vec3{1, 0, 0})
	left := ledger.Ask(p, right.Mul(-1.5), up).Total
	assert.Greater(t, left.R, 10.0)
	assert.Zero(t, left.G)
	assert.Zero(t, ledger.Ask(p, right.Mul(1.5), up).Total.Luminance)
	assert.Zero(t, ledger.Ask(p, right.Mul(-4.5), up).Total.Luminance, "past the image's width")

	base.Gobo.Spill = 0.25
	p = prepare(t, l)
	spilt := ledger.Ask(p, right.Mul(1.5), up).Total
	base.Gobo = nil
	plain := ledger.Ask(prepare(t, l), right.Mul(1.5), up).Total
	assert.InEpsilon(t, plain.Luminance/4, spilt.Luminance, 1e-6)

	base.Gobo = &level.Gobo{Image: "half", FovDeg: 90, FocusM: 1, Blur: 0.5}
	middle := ledger.Ask(prepare(t, l), geom.Vec3{}, up).Total
	assert.Greater(t, middle.R, 0.2*plain.R)
	assert.Less(t, middle.R, 0.9*plain.R, "out of focus the halves run into each other")
}

// sheet is a one-sided mesh between lamp and floor, facing up or down.
func sheet(l *level.Level, facing geom.Vec3) *level.Mesh {
	u := geom.Vec3{1, 0, 0}
	quad(l, "sheet", "", geom.Vec3{0, 2, 0}, u, facing.Cross(u))
	return l.Meshes[len(l.Meshes)-1]
}

// Whether the back of a one-sided surface stops light is the platform's choice.
func TestBacksOfOneSidedSurfaces(t *testing.T) {
	lux := func(facing geom.Vec3, backs string, twoSided bool) float64 {
		l := plane(light("l", level.Point, 160, level.Vec{0, 4, 0}, down))
		l.Lightmap.Backs, l.Lightmap.Bounces = backs, false
		sheet(l, facing)
		if twoSided {
			material(l, "leaf", 0.5, 0)
			l.Materials[0].TwoSided = true
			l.Meshes[0].Surface.Material = "leaf"
		}
		return ledger.Ask(prepare(t, l), geom.Vec3{0.1, 0, 0.1}, up).Total.Luminance
	}
	assert.Zero(t, lux(up, "stop", false))
	assert.Zero(t, lux(down, "stop", false))
	assert.Zero(t, lux(up, "pass", false), "light meets the front")
	assert.Positive(t, lux(down, "pass", false), "light meets the back and passes")
	assert.Zero(t, lux(down, "pass", true), "two-sided stops it all the same")
}

// Leaves cut out by their image let light through where it is clear.
func TestCutOutShadows(t *testing.T) {
	l := plane(light("l", level.Point, 160, level.Vec{0, 4, 0}, down))
	l.Images = []*level.Image{{ID: "leaf", Data: picturePNG(t, func(x, _ int) color.NRGBA {
		return color.NRGBA{60, 120, 40, uint8(255 * (x / 8))} // the left half is clear
	})}}
	material(l, "foliage", 0.5, 0)
	l.Materials[0].Image, l.Materials[0].Cutoff = "leaf", 0.5
	m := sheet(l, up)
	m.Surface.Material, m.UVs = "foliage", []float64{0, 1, 1, 1, 1, 0, 0, 0}
	p := prepare(t, l)
	clear := m.Positions[0] < 0 // which side u = 0 came to lie on
	sign := map[bool]float64{true: -1, false: 1}[clear]
	assert.Positive(t, ledger.Ask(p, geom.Vec3{sign, 0, 0}, up).Sources[0].Direct.Luminance, "through the clear half")
	assert.Zero(t, ledger.Ask(p, geom.Vec3{-sign, 0, 0}, up).Sources[0].Direct.Luminance, "behind the leaf")
	for _, e := range ledger.Ask(p, geom.Vec3{-sign, 0, 0}, up).Sources {
		if e.ID == "l" {
			require.Len(t, e.BlockedBy, 1)
			assert.Equal(t, "sheet", e.BlockedBy[0].ID)
		}
	}

	// A layer depends on what is cut out: the cutoff, the image, where it lies.
	key := func() string {
		p := prepare(t, l)
		return p.Key(&p.Sources[0], bake.Good)
	}
	seen := map[string]string{key(): "as it was"}
	for name, edit := range map[string]func(){
		"cutoff": func() { l.Materials[0].Cutoff = 0.7 },
		"image": func() {
			l.Images[0].Data = picturePNG(t, func(_, y int) color.NRGBA { return color.NRGBA{60, 120, 40, uint8(255 * (y / 8))} })
		},
		"uvs": func() { m.UVs = []float64{0, 0, 1, 0, 1, 1, 0, 1} },
	} {
		edit()
		k := key()
		assert.Empty(t, seen[k], name)
		seen[k] = name
	}
}

// A shining panel lights as the rect light of its size does.
func TestEmissiveSurfaceIsLikeARect(t *testing.T) {
	l := plane()
	material(l, "lit", 1, 300)
	block(l, "panel", level.Vec{0, 2.05, 0}, level.Vec{1.2, 0.1, 0.8})
	l.Solids[1].Surface.Material = "lit"
	l.Lightmap.Bounces = false
	panel := ledger.Ask(prepare(t, l), geom.Vec3{0.4, 0, 0.3}, up)

	r := light("r", level.Rect, 300, level.Vec{0, 2, 0}, down)
	r.WidthM, r.HeightM = 1.2, 0.8
	rect := ledger.Ask(prepare(t, plane(r)), geom.Vec3{0.4, 0, 0.3}, up)
	assert.InEpsilon(t, rect.Total.Luminance, panel.Total.Luminance, 0.002)
	assert.Equal(t, "emissive:lit", panel.Sources[0].ID)
}

// Flicker is a mix: the sources of a moment weigh what they then do.
func TestSourcesAtATime(t *testing.T) {
	l := plane(light("a", level.Point, 10, level.Vec{0, 2, 0}, down), light("b", level.Point, 10, level.Vec{0, 2, 0}, down))
	l.Lights[0].Flicker = &level.Flicker{Pattern: "pulse", RateHz: 1, Depth: 1}
	p := prepare(t, l)
	now := source.At(p.Sources, 0.5)
	assert.InDelta(t, 0, now[0].Weight[0], 1e-9)
	assert.Equal(t, p.Sources[1].Weight, now[1].Weight)
	assert.InDelta(t, 10, p.Sources[0].Weight[0], 1e-9, "the steady ones stay")
}

// A small sun in a sky image: its shadow is as sharp as a sun's, the rest of the
// sky's as even, and both together are what the ledger finds.
func TestSunInASkyImage(t *testing.T) {
	l := plane()
	block(l, "wall", level.Vec{0, 1.5, 0}, level.Vec{0.2, 3, 12})
	img := picturePNG(t, func(x, y int) color.NRGBA {
		if x == 12 && y == 4 { // in the east, 50 degrees high
			return color.NRGBA{255, 255, 255, 255}
		}
		return color.NRGBA{45, 45, 45, 255}
	})
	l.Images = []*level.Image{{ID: "day", Data: img}}
	l.Environment.Sky.Kind, l.Environment.Sky.Image, l.Environment.Sky.Luminance = level.SkyImage, "day", 1000
	l.Lightmap.Bounces = false
	p := prepare(t, l)
	m := mixOf(t, p, bake.Good)
	// At the foot of a wall smoothing brightens by some per cent, the same along the wall.
	// Noise comes on top of it, and neighbours share it; so the mean of a row is measured.
	const beside = 32
	light, off := map[float32]float64{}, map[float32]float64{} // by distance from the wall
	for i := range p.Texels.List {
		x := &p.Texels.List[i]
		if x.Normal(p.Scene)[1] < 0.9 || x.Origin[1] > 0.1 || math.Abs(float64(x.Origin[2])) > 0.26*beside/2 || math.Abs(float64(x.Origin[0])) > 4 {
			continue
		}
		got := float64(m.Pix[3*x.Index+1])
		truth := ledger.Light(p, vec3(x.Origin), x.Normal(p.Scene), 1<<11, 0)[1]
		light[x.Origin[0]] += got / beside
		off[x.Origin[0]] += (got - truth) / truth / beside
	}
	for at, relative := range off {
		assert.InDelta(t, 0, relative, 0.06, "%g m from the wall", at)
	}
	require.Len(t, light, 32)
	assert.Greater(t, light[3.875], 2*light[-0.625], "the sun's side and its shadow")
}

// Shadow rays take no memory, whatever they are sent to.
func TestShadowRaysTakeNoMemory(t *testing.T) {
	for kind, edit := range map[string]func(*level.Light){
		level.Point: func(l *level.Light) { l.RadiusM = 0.2 },
		level.Rect:  func(*level.Light) {}, level.Tube: func(*level.Light) {},
	} {
		lamp := light("lamp", kind, 100, level.Vec{0, 3, 0}, down)
		edit(lamp)
		l := plane(lamp)
		block(l, "post", level.Vec{0, 1, 0}, level.Vec{0.5, 1, 0.5})
		p := prepare(t, l)
		i := slices.IndexFunc(p.Texels.List, func(t lightmap.Texel) bool { return t.Normal(p.Scene)[1] > 0.9 && t.Origin[0] > 2 })
		assert.Zero(t, testing.AllocsPerRun(10, func() { p.Light(&p.Sources[0], &p.Texels.List[i]) }), kind)
	}
}
