package shot_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/bake/baketest"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/mirror"
	"grotta/core/shot"
)

// Looking into water one sees the ground, tinted by the way through it, and what the water scatters in place of what it
// takes away; deep water shows what it scatters alone.
func TestLookingIntoWater(t *testing.T) {
	l := leveltest.Plane()
	leveltest.Material(l, "stone", 0.5, 0)
	l.Solids[0].Surface.Material = "stone"
	l.Environment.Sky.Luminance, l.Environment.Ambient.Strength = 0, 100*math.Pi
	m := level.Default[level.Material]()
	w := level.Default[level.Water]()
	w.Tint, w.ClarityM, w.WaveM = "#8080c0", 1.5, 0
	m.ID, m.Color, m.Water = "water", "#203020", &w
	l.Materials = append(l.Materials, &m)
	const depth = 0.8
	leveltest.Block(l, "pool", level.Vec{0, depth / 2, 0}, level.Vec{4, depth, 4})
	leveltest.Block(l, "hanging", level.Vec{8, 5, 0}, level.Vec{2, 1, 2}) // far over the ground
	for _, s := range l.Solids[len(l.Solids)-2:] {
		s.Surface.Material = "water"
	}
	p := baketest.Prepare(t, l)
	eye := shot.NewEye(p, baketest.Mix(t, p, bake.Good))
	floor, scattered := p.Scene.Surfaces[0].Finish().Albedo[0]*100, m.Albedo()[0]*100

	at := func(from, dir geom.Vec3) float64 { return eye.Radiance(from, dir)[0] }
	for _, tilt := range []float64{0, 0.3, 0.6} {
		dir := geom.Vec3{math.Sin(tilt), -math.Cos(tilt), 0}
		way := depth / math.Cos(tilt)
		left := w.Through(way)
		want := floor*0.934*w.Through(depth)[0]*left[0] + scattered*(1-(left[0]+left[1]+left[2])/3)
		assert.InEpsilon(t, want, at(geom.Vec3{0.05, depth, 0.05}.Sub(dir.Mul(2)), dir), 0.02, "tilt %g", tilt)
	}
	assert.InEpsilon(t, scattered, at(geom.Vec3{8, 9, 0}, geom.Vec3{0, -1, 0}), 0.02, "past its bottom nothing is left")
	assert.InEpsilon(t, floor, at(geom.Vec3{0, 3, 3.5}, geom.Vec3{0, -1, 0}), 0.02, "beside it")

	// A still surface mirrors 2 % straight on and more aslant: what is around is as bright everywhere.
	even, err := mirror.Capture(t.Context(), []mirror.Place{{At: geom.Vec3{0, 2, 0}, Half: geom.Vec3{50, 50, 50}, Side: 16}}, func(_, _ geom.Vec3) color.Linear { return color.White.Scale(1000) })
	require.NoError(t, err)
	down, without := geom.Vec3{0, -1, 0}, at(geom.Vec3{0.05, 3, 0.05}, geom.Vec3{0, -1, 0})
	eye.Mirrors = even
	assert.InEpsilon(t, 0.02*1000+0.98*without, at(geom.Vec3{0.05, 3, 0.05}, down), 0.01)
	aslant := geom.Vec3{math.Cos(0.1), -math.Sin(0.1), 0}
	assert.Greater(t, at(geom.Vec3{0, depth, 0}.Sub(aslant.Mul(2)), aslant), 500.0)
}
