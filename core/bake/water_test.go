package bake_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/level/leveltest"
)

// pool is a plane with so many metres of water over it.
func pool(depth float64, lights ...*level.Light) *level.Level {
	l := plane(lights...)
	m := level.Default[level.Material]()
	w := level.Default[level.Water]()
	w.Tint, w.ClarityM = "#8080c0", 1.5
	m.ID, m.Color, m.Water = "water", "#203020", &w
	l.Materials = append(l.Materials, &m)
	block(l, "pool", level.Vec{0, depth / 2, 0}, level.Vec{18, depth, 18})
	l.Solids[len(l.Solids)-1].Surface.Material = "water"
	return l
}

// Light under water is what falls on the water, times what goes in, times what is left of it at that depth; light on
// the water is what it is without.
func TestLightUnderWater(t *testing.T) {
	sun := level.Default[level.Sun]()
	for _, depth := range []float64{0.2, 1, 3} {
		for name, lit := range map[string]func(*level.Level){
			"sky": func(l *level.Level) {
				l.Environment.Sky.Kind, l.Environment.Sky.Color, l.Environment.Sky.Luminance, l.Environment.Sky.GroundColor = level.SkySolid, "#ffffff", 200, "#000000"
			},
			"sun": func(l *level.Level) {
				one := sun
				one.AltitudeDeg, one.Lux = 90, 5000
				l.Environment.Sun = &one
			},
		} {
			l := pool(depth)
			lit(l)
			p := prepare(t, l)
			l.Solids = l.Solids[:len(l.Solids)-1]
			dry := prepare(t, l)
			under, over := geom.Vec3{0.3, 0, 0.2}, geom.Vec3{0.3, depth, 0.2}
			want := ledger.Ask(dry, under, up).Total
			got := ledger.Ask(p, under, up).Total
			// 0x80 is 0.2159 in linear light, and 0xc0 0.5271.
			assert.InEpsilon(t, want.R*0.934*math.Pow(0.2159, depth/1.5), got.R, 0.003, "%s %g", name, depth)
			assert.InEpsilon(t, want.B*0.934*math.Pow(0.5271, depth/1.5), got.B, 0.003, "%s %g", name, depth)
			m := mixOf(t, p, bake.Good)
			checked := map[bool]int{}
			for _, texel := range p.Texels.List {
				at := texel.Origin
				if texel.Normal(p.Scene)[1] < 0.9 || math.Hypot(float64(at[0]), float64(at[2])) > 3 {
					continue
				}
				isWater := p.Scene.Surfaces[texel.Surface(p.Scene)].Body().Entity == "pool"
				checked[isWater]++
				book := got
				if isWater {
					book = ledger.Ask(p, over, up).Total
				}
				require.InEpsilon(t, book.R, m.Pix[3*texel.Index], 0.02, "%s %g, on water %v", name, depth, isWater)
			}
			assert.Len(t, checked, 2)
		}
	}
}

// What a floor sends back into a room goes up through the water too, so a pool with a lamp over it lights the room less
// than its floor does without it. The ledger, which follows paths, agrees with the bake.
func TestBouncesFromUnderWater(t *testing.T) {
	lamp := leveltest.Light("lamp", level.Spot, 400, level.Vec{0, 3.4, 0}, geom.Vec3{0, -1, 0})
	l := pool(0.5, lamp)
	l.Environment.Sky.Luminance, l.Environment.Ambient.Strength = 0, 0
	block(l, "wall", level.Vec{2, 1.75, 0}, level.Vec{0.2, 3.5, 6})
	block(l, "roof", level.Vec{0, 3.6, 0}, level.Vec{6, 0.2, 6})
	p := prepare(t, l)
	m := mixOf(t, p, bake.Good)
	at := geom.Vec3{1.9, 2.2, 0}
	book := ledger.Ask(p, at, geom.Vec3{-1, 0, 0})
	baked, n := 0.0, 0.0
	for _, texel := range p.Texels.List {
		o := texel.Origin
		if texel.Normal(p.Scene)[0] < -0.9 && math.Abs(float64(o[1])-at[1]) < 0.5 && math.Abs(float64(o[2])) < 0.7 && math.Abs(float64(o[0])-1.9) < 0.05 {
			baked, n = baked+float64(m.Pix[3*texel.Index+1]), n+1
		}
	}
	require.Positive(t, n)
	assert.InEpsilon(t, book.Total.G, baked/n, 0.12)
	l.Solids = append(l.Solids[:len(l.Solids)-3], l.Solids[len(l.Solids)-2:]...)
	assert.Greater(t, ledger.Ask(prepare(t, l), at, geom.Vec3{-1, 0, 0}).Total.G, 1.3*book.Total.G, "without the water")
}
