package bake_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/bake/reference"
	"grotta/core/geom"
	"grotta/core/ledger"
	"grotta/core/level"
)

// curtain is a closed room with a translucent sheet across its middle and a lamp on one side.
func curtain(translucency float64) *level.Level {
	l := halves(1, 1.2)
	l.Materials[len(l.Materials)-1].TwoSided = false // that it is translucent is enough
	l.Materials[len(l.Materials)-1].Translucency = translucency
	return l
}

// Without bounces, a sheet under parallel light has its share on the side of the light and the rest on
// the other.
func TestASheetSharesLightBetweenItsSides(t *testing.T) {
	for _, share := range []float64{0.3, 1} {
		sheetShares(t, share)
	}
}

func sheetShares(t *testing.T, share float64) {
	t.Helper()
	l := level.New("Sheet")
	l.Environment.Sky.Luminance, l.Environment.Ambient.Strength, l.Lightmap.Bounces = 0, 0, false
	leaf := level.Default[level.Material]()
	leaf.ID, leaf.Translucency = "leaf", share
	l.Materials = append(l.Materials, &leaf)
	sheet := level.Default[level.Mesh]()
	sheet.ID, sheet.Surface.Material = "sheet", "leaf"
	sheet.Positions, sheet.Indices = []float64{-1, 0, -1, -1, 0, 1, 1, 0, 1, 1, 0, -1}, []uint32{0, 1, 2, 0, 2, 3}
	l.Meshes = append(l.Meshes, &sheet)
	l.Lights = []*level.Light{light("lamp", level.Directional, 100, level.Vec{0, 5, 0}, down)}
	p := prepare(t, l)
	m := mixOf(t, p, bake.Draft)
	require.NotEmpty(t, p.Texels.List)
	for i := range p.Texels.List {
		x := &p.Texels.List[i]
		want := 100 * (1 - share)
		if x.Normal(p.Scene)[1] < 0 {
			want = 100 * share
		}
		assert.InDelta(t, want, float64(m.Pix[3*x.Index+1]), 0.1)
	}
	for n, want := range map[float64]float64{1: 100 * (1 - share), -1: 100 * share} {
		book := ledger.Ask(p, geom.Vec3{0.2, 0, 0.1}, geom.Vec3{0, n, 0})
		assert.InDelta(t, want, book.Total.Luminance, 0.1)
		assert.Empty(t, book.Sources[0].Why)
	}
}

// The room behind a curtain is lit through it as path tracing says, at every quality, and the ledger
// says the same. What bounces from the dark room comes back through the curtain too.
func TestARoomBehindACurtainIsLitThroughIt(t *testing.T) {
	p := prepare(t, curtain(0.4))
	for _, side := range []float64{-1, 1} {
		list := reference.Pick(p.Map, func(id string) bool { return id == "floor" || id == "sheet" }, 400)
		var judged []int
		for _, i := range list {
			at := vec3(p.Texels.List[i].Origin)
			if (at[0]-0.03)*side > 0 && math.Abs(at[0]) < 2 && at[1] > -0.01 && at[1] < 2 && math.Abs(at[2]) < 1 {
				judged = append(judged, i)
			}
		}
		require.Greater(t, len(judged), 20)
		if len(judged) > 40 {
			judged = judged[:40]
		}
		truth := reference.New(p.Map).Texels(judged, 6000)
		for _, q := range []bake.Quality{bake.Draft, bake.Good} {
			off := errorOf(mixOf(t, p, q), p, judged, truth)
			t.Logf("side %v, %s: mean off by %+.1f %%, rms %.1f %%, reference off by %.1f %%", side, q, 100*off.bias, 100*off.rms, 100*off.own/math.Sqrt(float64(len(judged))))
			assert.InDelta(t, 0, off.bias, map[bake.Quality]float64{bake.Draft: 0.06, bake.Good: 0.03}[q], "side %v, %s", side, q)
			assert.Less(t, off.rms, 0.15)
		}
	}
	for _, at := range []geom.Vec3{{-1, 0, 0.3}, {1, 0, 0.3}} {
		book, want := ledger.Ask(p, at, geom.Vec3{0, 1, 0}), reference.New(p.Map).At(at, geom.Vec3{0, 1, 0}, 200_000)
		assert.InDelta(t, want.Lux, book.Total.Luminance, 4*math.Hypot(want.Error, book.Error), "at %v", at)
	}
}
